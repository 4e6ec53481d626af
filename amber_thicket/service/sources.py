"""Captures in the blob store as sources of an evaluation."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from amber_thicket.core.gather.roles import Guess
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.settings import KEY_LENGTH
from amber_thicket.formats.decode import AS_SHOT, Develop
from amber_thicket.formats.picture import Picture, read_picture

_DECODER = 1


class StoredSource:
    """A file read from its bytes when needed; all its sizes share the memory of results."""

    keeps = True

    def __init__(self, info: dict[str, Any], read: Callable[[], bytes], memory: Memory) -> None:
        self.key = f"{info['blob']}.{_DECODER}"
        self.width: int = info["width"]
        self.height: int = info["height"]
        # How it was taken, as formats/shot_tags.py tells it.
        self.shot: dict[str, Any] = info.get("shot", {})
        self._name: str = info["file"]
        self._raw = info["format"] == "raw"
        self._read = read
        self._memory = memory

    def read(self, level: int, *, data: bool = False, white: Any = "as_shot", highlights: Any = "blend") -> Raster:
        """Linear RGB, or the stored numbers of a data map, halved `level` times."""
        develop = Develop(white, highlights) if self._raw else AS_SHOT

        def compute() -> Raster:
            if level == 0:
                return Raster(read_picture(self._read(), self._name, as_stored=data, develop=develop).pixels)
            wanted = self._memory.known(key(level - 1)) is not None
            larger = self.read(level - 1, data=data, white=white, highlights=highlights)
            if not wanted and larger.pixels.nbytes > self._memory.largest_passing:
                self._memory.drop([key(level - 1)])
            return Raster(shrink(larger.pixels, 2))

        def key(level: int) -> str:
            return self._level(level, data, develop)

        return self._memory.get(key(level), compute)

    def _level(self, level: int, data: bool, develop: Develop) -> str:
        return f"{self.key}/{data}/{develop}/{level}"

    def hold(self, picture: Picture) -> Pixels:
        """Keeps a picture that was just read, as it was shot, in the largest size that is kept: it can be looked at
        then without reading it again. Returns that, linear RGB (H, W, 3)."""
        most, (width, height) = self._memory.largest_passing, picture.size
        level = int(4 * 3 * width * height > most and min(width, height) > 1)
        pixels = picture.halved() if level else picture.pixels
        while pixels.nbytes > most and min(pixels.shape[:2]) > 1:
            pixels, level = shrink(pixels, 2), level + 1
        self._memory.get(self._level(level, False, AS_SHOT), lambda: Raster(pixels))
        return pixels

    def alpha(self, level: int) -> Raster:
        """How solid each pixel is, halved `level` times; 1 everywhere where the file does not say."""
        if level == 0:
            found = read_picture(self._read(), self._name, as_stored=True).alpha
            return Raster(np.ones((self.height, self.width), np.float32) if found is None else found)
        larger: Raster = self._memory.get(f"{self.key}/alpha/{level - 1}", lambda: self.alpha(level - 1))
        return Raster(shrink(larger.pixels, 2))


def file_key(blob: str) -> str:
    """What recipes call a file."""
    return blob[:KEY_LENGTH]


def files_of(source: dict[str, Any]) -> list[dict[str, Any]]:
    """All files of a material, the one imported first at the head."""
    return [source, *source.get("more", [])]


def names_of(source: dict[str, Any]) -> dict[str, str]:
    """What the files of a material are called, by key."""
    return {file_key(info["blob"]): info["file"] for info in files_of(source)}


def describe_map(picture: Picture, blob: str, length: int, name: str, guess: Guess) -> dict[str, Any]:
    """What the database keeps of an existing map. picture: read as stored."""
    notes = list(picture.notes)
    return {**_facts(picture, blob, length, name), "notes": notes, "role": guess.role, "why": guess.why}


def describe(picture: Picture, blob: str, length: int, name: str) -> dict[str, Any]:
    """What the database keeps of a capture; what it is good for is found out when somebody asks."""
    return {**_facts(picture, blob, length, name), "notes": list(picture.notes)}


def _facts(picture: Picture, blob: str, length: int, name: str) -> dict[str, Any]:
    width, height = picture.size
    return {
        "key": file_key(blob),
        "blob": blob,
        "file": name,
        "bytes": length,
        "format": picture.format,
        "width": width,
        "height": height,
        "bits": picture.bits,
        "floating": picture.floating,
        **({"shot": picture.shot} if picture.shot else {}),
    }
