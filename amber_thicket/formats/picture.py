"""Bytes of a picture to linear light, whatever its kind (kind_of() tells which), colour model or depth.

Orientation tags are obeyed, colour profiles converted, odd values replaced and reported.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import decode_srgb, decode_srgb_halved
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile
from amber_thicket.formats import apart
from amber_thicket.formats.decode import AS_SHOT, PNG_START, REMEDY, Decoded, Develop
from amber_thicket.formats.older_kinds import older_kind
from amber_thicket.formats.phone_kinds import phone_kind
from amber_thicket.formats.raw_tags import is_raw
from amber_thicket.formats.unzip import is_zip


@dataclass(frozen=True)
class Picture:
    """A decoded file. held: (H, W, 3) float32 linear light or stored numbers; or sRGB codes, uint8 or uint16, whose
    light is made when somebody asks. alpha: (H, W) or None. bits: per channel as stored. floating: stored as float.
    notes: what was done, in words. shot: how it was taken, as in shot_tags.py."""

    held: NDArray[Any]
    bits: int
    format: str
    alpha: Pixels | None = None
    floating: bool = False
    notes: tuple[str, ...] = field(default=())
    shot: dict[str, Any] = field(default_factory=dict)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) px."""
        return self.held.shape[1], self.held.shape[0]

    @cached_property
    def pixels(self) -> Pixels:
        """(H, W, 3) float32: linear BT.709, or the stored numbers of a data map."""
        return self.held if self.held.dtype == np.float32 else decode_srgb(self.held)

    def every(self, step: int) -> Pixels:
        """Every so many pixels of it, across and down."""
        some = np.ascontiguousarray(self.held[::step, ::step])
        return some if some.dtype == np.float32 else decode_srgb(some)

    def halved(self) -> Pixels:
        """At half its size; of large pictures that takes a fourth of the memory of all their light."""
        width, height = self.size
        if self.held.dtype == np.float32 or width % 2 or height % 2:
            return shrink(self.pixels, 2)
        return decode_srgb_halved(self.held)


def kind_of(data: bytes) -> str | None:
    """The format by its first bytes; file names are not trusted."""
    if data[:8] == PNG_START:
        return "png"
    if data[:3] == b"\xff\xd8\xff":
        return "jpeg"
    if data[:4] == b"\x76\x2f\x31\x01":
        return "exr"
    if is_raw(data):
        return "raw"
    if data[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "tiff"
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "webp"
    return phone_kind(data) or older_kind(data)


def read_picture(data: bytes, name: str, *, as_stored: bool = False, develop: Develop = AS_SHOT) -> Picture:
    """Decode a picture, in the helper process where there is one. as_stored: the numbers of a data map as they are,
    integers scaled to [0, 1], no profile. develop: for camera RAW. Raises UnreadableFile or TooLarge, naming the
    file."""
    if not data:
        raise UnreadableFile(f"{name} is empty.", remedy=REMEDY, file=name)
    kind = kind_of(data)
    if kind is None:
        raise UnreadableFile(_no_picture(data, name), remedy=REMEDY, file=name)
    return _finish(
        apart.decode(data, name, kind, as_stored=as_stored, develop=develop), kind, name, as_stored=as_stored
    )


# What is met now and then and is no picture of pixels, by its first bytes.
_KNOWN = ((b"%PDF", "a PDF"), (b"%!PS", "PostScript"), (b"<svg", "a drawing (SVG)"),
          (b"ftypisom", "a film"), (b"ftypmp4", "a film"), (b"ftypqt", "a film"), (b"\0\0\1\0", "an icon"))  # fmt: skip


def _no_picture(data: bytes, name: str) -> str:
    if is_zip(data):
        return f"{name} is a zip, not a picture."
    for start, what in _KNOWN:
        if start in data[:64]:
            return f"{name} is {what}, which we cannot read as a picture."
    return f"{name} is not a picture we can read."


def _finish(found: Decoded, kind: str, name: str, *, as_stored: bool) -> Picture:
    """Alpha apart, values linear (or as stored), right way up."""
    codes, alpha_codes, notes = found.codes, found.alpha, list(found.notes)
    if codes.ndim not in (2, 3) or 0 in codes.shape or (codes.ndim == 3 and codes.shape[-1] > 5):
        raise UnreadableFile(f"{name} is not a flat picture.", remedy=REMEDY, file=name)
    if codes.ndim == 3 and codes.shape[-1] == 1:
        codes = codes[..., 0]
    if codes.ndim == 3 and codes.shape[-1] in (2, 4, 5):
        alpha_codes = codes[..., 1 if codes.shape[-1] == 2 else 3]
        codes = codes[..., 0] if codes.shape[-1] == 2 else codes[..., :3]
    held = _stored(codes, notes) if as_stored or found.light else _light(codes, notes)
    if held.ndim == 2:
        held = np.repeat(held[..., None], 3, axis=-1)
    alpha = None if alpha_codes is None else _unit(alpha_codes)
    if alpha is not None and float(alpha.min()) >= 1:
        alpha = None
    if alpha is not None:
        notes.append("has transparency")
    return Picture(
        np.ascontiguousarray(_turned(held, found.turn)),
        found.bits or codes.dtype.itemsize * 8,
        kind,
        alpha=None if alpha is None else np.ascontiguousarray(_turned(alpha, found.turn)),
        floating=codes.dtype.kind == "f",
        notes=tuple(notes + (["turned by its orientation tag"] if found.turn != (0, False) else [])),
        shot=found.shot,
    )


def _turned(pixels: NDArray[Any], turn: tuple[int, bool]) -> NDArray[Any]:
    quarter, mirror = turn
    turned = np.rot90(pixels, quarter)
    return turned[:, ::-1] if mirror else turned


def _unit(codes: NDArray[Any]) -> Pixels:
    if codes.dtype.kind == "f":
        return np.nan_to_num(codes.astype(np.float32), nan=0, posinf=1, neginf=0).clip(0, 1)
    if codes.dtype in (np.uint8, np.uint16):
        most = np.iinfo(codes.dtype).max
        return np.take((np.arange(most + 1) / most).astype(np.float32), codes)
    low = -float(np.iinfo(codes.dtype).min) if codes.dtype.kind == "i" else 0.0
    return ((codes.astype(np.float64) + low) / (float(np.iinfo(codes.dtype).max) + low)).astype(np.float32)


def _stored(codes: NDArray[Any], notes: list[str]) -> Pixels:
    return _linear_from_float(codes, notes) if codes.dtype.kind == "f" else _unit(codes)


def _light(codes: NDArray[Any], notes: list[str]) -> NDArray[Any]:
    """Linear light of floats; codes as they are, of 8 or 16 bits."""
    if codes.dtype.kind == "f":
        return _linear_from_float(codes, notes)
    if codes.dtype not in (np.uint8, np.uint16):
        notes.append(f"{codes.dtype} scaled to 16 bit")
        codes = np.rint(_unit(codes).astype(np.float64) * 65535).astype(np.uint16)
    return codes


def _linear_from_float(codes: NDArray[Any], notes: list[str]) -> Pixels:
    """Float pictures hold linear light. Not-a-number, infinite and negative values are replaced and said."""
    values = codes.astype(np.float32)
    odd = int(np.count_nonzero(~np.isfinite(values)))
    if odd:
        notes.append(f"{odd} values were not numbers and became 0")
        values = np.nan_to_num(values, nan=0, posinf=0, neginf=0)
    negative = int(np.count_nonzero(values < 0))
    if negative:
        notes.append(f"{negative} negative values became 0")
        values = np.maximum(values, 0)
    return values
