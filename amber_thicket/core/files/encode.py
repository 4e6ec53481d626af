"""Maps to stored numbers and back. The only place where inside conventions meet file conventions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.pack.profiles import CONSTANTS, content_of
from amber_thicket.core.raster import Pixels
from amber_thicket.core.response.convert import DERIVED, needed
from amber_thicket.core.roles import ROLES

Stored = NDArray[Any]


@compiled()
def _quantise(flat, scale, offset, top, out, first, last):  # type: ignore[no-untyped-def]
    here, to = flat[first:last], out[first:last]
    for i in range(len(here)):
        value = here[i] * scale + offset
        value = value if value > np.float32(0.0) else np.float32(0.0)
        to[i] = np.int32((value if value < top else top) + np.float32(0.5))


def quantised(values: Pixels, bits: int, *, scale: float = 1.0, offset: float = 0.0) -> Stored:
    """Unsigned integers of 8 or 16 bits from values·scale + offset in [0, 1], rounded to nearest."""
    top = (1 << bits) - 1
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty(flat.shape, np.uint8 if bits == 8 else np.uint16)
    s, o = np.float32(scale * top), np.float32(offset * top)
    over_rows(lambda a, b: _quantise(flat, s, o, np.float32(top), out, a, b), flat.size, least=1 << 16)
    return out.reshape(values.shape)


def asked_for(file: PlannedFile) -> tuple[str, ...]:
    """The maps that have to be there to write a file."""
    found: list[str] = []
    for role in file.roles:
        found += needed(role) if role in DERIVED else [] if role in CONSTANTS else [role]
    return tuple(dict.fromkeys(found))


def stored(file: PlannedFile, maps: Mapping[str, Pixels]) -> Stored:
    """What a file holds: (H, W), (H, W, 3) or (H, W, 4) of uint8, uint16, float16 or float32.

    maps: inside form by role (linear colour, unit normals Y+, scalars in [0, 1]). Y− is the exact
    complement of the Y+ green, so that inverting one gives the other. Floats hold linear light.
    """
    parts = [_part(file, token, maps) for token in file.contents]
    if len(parts) == 1:
        return parts[0]
    if len(parts) == 2:
        first = parts[0] if parts[0].ndim == 3 else np.repeat(parts[0][..., None], 3, -1)
        return np.dstack([first, parts[1]])
    return np.dstack(parts)


def _part(file: PlannedFile, token: str, maps: Mapping[str, Pixels]) -> Stored:
    role = content_of(token)
    if role in CONSTANTS:
        shape = next(iter(maps.values())).shape[:2]
        pixels: Pixels = np.full(shape, CONSTANTS[role], np.float32)
    else:
        pixels = DERIVED[role](dict(maps)) if role in DERIVED else maps[role]
    whole = len(file.contents) <= 2 and token == file.contents[0]
    colour = role in DERIVED or (role in ROLES and ROLES[role].encoding == "srgb")
    if file.floating:
        values = pixels * np.float32(0.5) + np.float32(0.5) if role == "normal" else pixels
        values = 1 - values if token != role else values
        if role == "normal" and file.y == "minus":
            values = values * np.array([1, -1, 1], np.float32) + np.array([0, 1, 0], np.float32)
        return values.astype(np.float16 if file.bits == 16 else np.float32)
    top = (1 << file.bits) - 1
    if colour and whole:
        return encode_srgb8(pixels) if file.bits == 8 else quantised(encode_srgb(pixels), file.bits)
    if role == "normal":
        codes = quantised(pixels, file.bits, scale=0.5, offset=0.5)
        if file.y == "minus":
            codes[..., 1] = top - codes[..., 1]
        return codes
    codes = quantised(pixels, file.bits)
    return (top - codes).astype(codes.dtype) if token != role else codes


def decoded_normal(codes: Stored) -> Pixels:
    """Vectors in [-1, 1] as stored, not renormalised; green is left in the file's direction. codes: uint8 or uint16."""
    return codes.astype(np.float32) * np.float32(2 / np.iinfo(codes.dtype).max) - 1
