"""Picture makers: the simulation that ships, and others that answer a plain HTTP contract of ours.

They are named in providers.toml in the data folder:

    [studio]
    label = "Our picture maker"
    address = "http://127.0.0.1:9000/pictures"
    key_from = "STUDIO_KEY"       # name of the environment variable that holds the key; left out: none is sent
    seconds = 120                 # how long one request may take
    largest_side = 2048

One request, one answer (docs/guide/providers.md): POST of JSON, answered by JSON with PNG files in base64. What a maker
sends is believed in nothing: sizes, counts and pictures are looked at before anything is kept.
"""

from __future__ import annotations

import base64
import binascii
import json
import os
import time
import tomllib
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from amber_thicket.core.generate import Candidate, Provider, Request
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.errors import BadSetting, ServiceAway, ThicketError
from amber_thicket.formats.picture import read_picture
from amber_thicket.standins.words_to_picture import SimulatedProvider

FILE = "providers.toml"
SIMULATION = "simulation"
_PART = 1 << 16
# Base64 and what stands around it, per byte of a picture that does not shrink.
_SWOLLEN, _AROUND = 1.4, 1 << 20


class Maker(BaseModel):
    """A picture maker as it is named in the file."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    label: str = Field(min_length=1, max_length=80)
    address: str = Field(max_length=400)
    key_from: str = Field(default="", pattern="^[A-Za-z0-9_]*$")
    seconds: float = Field(default=120.0, gt=0, le=3600)
    largest_side: int = Field(default=2048, ge=512, le=4096)

    @field_validator("address")
    @classmethod
    def _is_http(cls, address: str) -> str:
        if not address.startswith(("http://", "https://")):
            raise ValueError("it begins with http:// or https://")
        return address


class _Picture(BaseModel):
    model_config = ConfigDict(extra="ignore")

    seed: int = Field(ge=0)
    png: str


class _Answer(BaseModel):
    model_config = ConfigDict(extra="ignore")

    pictures: list[_Picture]
    unread: list[str] = Field(default_factory=list, max_length=400)
    simulation: bool = False


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    """An address is asked itself; nobody is sent on, with a key, to another."""

    def redirect_request(self, *_: Any) -> None:
        return None


class HttpProvider(Provider):
    """A picture maker behind an address."""

    def __init__(self, maker: Maker) -> None:
        self.maker = maker
        self.label = maker.label
        self._unread: list[str] = []

    def unread(self, words: str) -> list[str]:
        """What the maker said of the words of the last request."""
        return [word for word in self._unread if word in words]

    def candidates(
        self, request: Request, count: int, say: Callable[[float, str], None], check: Callable[[], None]
    ) -> list[Candidate]:
        if request.side > self.maker.largest_side:
            raise BadSetting(
                f"{self.label} makes pictures of up to {self.maker.largest_side} px.", remedy="Ask for smaller ones."
            )
        say(0.02, f"Asking {self.label}")
        check()
        told = self._asked(request, count, say, check)
        try:
            answer = _Answer.model_validate(told)
        except ValidationError as error:
            where = ".".join(str(part) for part in error.errors()[0]["loc"])
            raise self._lies(f"its answer is not right at “{where}”") from None
        if len(answer.pictures) != count:
            raise self._lies(f"it was asked for {count} pictures and sent {len(answer.pictures)}")
        self._unread = [word[:80] for word in answer.unread]
        self.simulation = answer.simulation
        made = []
        for number, picture in enumerate(answer.pictures):
            check()
            made.append(Candidate(self._pixels(picture, request.side), picture.seed))
            say(0.9 + 0.1 * (number + 1) / count, "Looking at the pictures")
        return made

    def _lies(self, what: str) -> ThicketError:
        return ServiceAway(
            f"{self.label} did not answer as it should: {what}.",
            remedy="Tell whoever looks after it; nothing was kept.",
        )

    def _asked(self, request: Request, count: int, say: Callable[[float, str], None], check: Callable[[], None]) -> Any:
        body = {
            "words": request.words, "seed": request.seed, "count": count, "side": request.side,
            "tileable": request.tileable, "top_down": request.top_down,
        }  # fmt: skip
        headers = {"Content-Type": "application/json", "Accept": "application/json"}
        if self.maker.key_from:
            key = os.environ.get(self.maker.key_from, "")
            if not key:
                raise BadSetting(
                    f"{self.label} needs a key, and {self.maker.key_from} is not set.",
                    remedy="Set that environment variable where the program, and its workers, are started.",
                )
            headers["Authorization"] = f"Bearer {key}"
        most = int(count * request.side**2 * 3 * _SWOLLEN) + _AROUND
        ends = time.monotonic() + self.maker.seconds
        asked = urllib.request.Request(self.maker.address, json.dumps(body).encode(), headers)
        try:
            with urllib.request.build_opener(_NoRedirect).open(asked, timeout=self.maker.seconds) as answer:
                data = bytearray()
                while part := answer.read1(_PART):
                    data += part
                    check()
                    if len(data) > most:
                        raise self._lies(f"it sends more than {most // 1_000_000} MB")
                    if time.monotonic() > ends:
                        raise TimeoutError
                    say(min(0.85, 0.1 + 0.75 * len(data) / most), f"{self.label} is sending")
        except urllib.error.HTTPError as error:
            raise self._refused(error) from None
        except TimeoutError:
            raise self._slow() from None
        except (urllib.error.URLError, OSError) as error:
            if isinstance(getattr(error, "reason", None), TimeoutError):
                raise self._slow() from None
            raise ServiceAway(
                f"{self.label} cannot be reached.", remedy="Is it running, and is its address in providers.toml right?"
            ) from None
        try:
            return json.loads(data)
        except (ValueError, RecursionError):
            raise self._lies("its answer is no JSON") from None

    def _refused(self, error: urllib.error.HTTPError) -> ThicketError:
        if error.code in (401, 403):
            return ServiceAway(
                f"{self.label} does not take the key.", remedy=f"Look at {self.maker.key_from or 'key_from'}."
            )
        if error.code == 429:
            return ServiceAway(f"{self.label} has enough to do.", remedy="Ask again later.")
        return ServiceAway(f"{self.label} refused ({error.code}).", remedy="Ask for something else, or again later.")

    def _slow(self) -> ThicketError:
        return ServiceAway(
            f"{self.label} took longer than {self.maker.seconds:g} s.",
            remedy="Ask again, for smaller pictures, or give it more seconds in providers.toml.",
        )

    def _pixels(self, picture: _Picture, side: int) -> NDArray[np.uint8]:
        """(side, side, 3) 8-bit sRGB codes of one picture that was sent."""
        try:
            data = base64.b64decode(picture.png, validate=True)
        except (binascii.Error, ValueError):
            raise self._lies("a picture is no base64") from None
        try:
            pixels = read_picture(data, "picture.png").pixels
        except ThicketError as error:
            raise self._lies(f"a picture cannot be read ({error.message})") from None
        if pixels.shape[:2] != (side, side):
            raise self._lies(f"a picture is {pixels.shape[1]} × {pixels.shape[0]} px, asked were {side} × {side}")
        return encode_srgb8(np.ascontiguousarray(pixels))


def makers(folder: Path | None) -> dict[str, Maker]:
    """The picture makers a data folder names. Raises BadSetting saying where its file is wrong."""
    path = folder / FILE if folder else None
    if path is None or not path.is_file():
        return {}
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise BadSetting(f"{path} cannot be read: {error}.", remedy="Correct the file.") from None
    found: dict[str, Maker] = {}
    for name, told in data.items():
        try:
            if name != SIMULATION:
                found[name] = Maker.model_validate(told)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join((name, *(str(part) for part in first["loc"])))
            message = first["msg"].removeprefix("Value error, ")
            raise BadSetting(f"{path}: {where}: {message}.", remedy="Correct the file.") from None
    return found


def providers(folder: Path | None) -> dict[str, Provider]:
    """All picture makers there are, the simulation first. Raises BadSetting."""
    others: dict[str, Provider] = {name: HttpProvider(maker) for name, maker in makers(folder).items()}
    return {SIMULATION: SimulatedProvider(), **others}
