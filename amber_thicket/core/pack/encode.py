"""Maps to stored numbers and back. The only place where inside conventions meet file conventions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.pack.profiles import PlannedFile
from amber_thicket.core.raster import Pixels

Stored = NDArray[Any]


@numba.njit(cache=True, nogil=True)
def _quantise(flat, scale, offset, top, out, first, last):  # type: ignore[no-untyped-def]
    for i in range(first, last):
        value = flat[i] * scale + offset
        out[i] = 0 if not value > 0 else (top if value >= top else int(value + np.float32(0.5)))


def quantised(values: Pixels, bits: int, *, scale: float = 1.0, offset: float = 0.0) -> Stored:
    """Unsigned integers of 8 or 16 bits from values·scale + offset in [0, 1], rounded to nearest."""
    top = (1 << bits) - 1
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty(flat.shape, np.uint8 if bits == 8 else np.uint16)
    s, o = np.float32(scale * top), np.float32(offset * top)
    over_rows(lambda a, b: _quantise(flat, s, o, np.float32(top), out, a, b), flat.size, least=1 << 16)
    return out.reshape(values.shape)


def stored(file: PlannedFile, maps: Mapping[str, Pixels]) -> Stored:
    """What a file holds: (H, W) or (H, W, 3) uint8 or uint16.

    maps: inside form by role (linear colour, unit normals Y+, scalars in [0, 1]). Y− is the exact
    complement of the Y+ green, so that inverting one gives the other.
    """
    if len(file.roles) > 1:
        return cv2.merge([quantised(maps[role], file.bits) for role in file.roles])
    role, pixels = file.roles[0], maps[file.roles[0]]
    if file.encoding == "srgb":
        return encode_srgb8(pixels) if file.bits == 8 else quantised(encode_srgb(pixels), file.bits)
    if role == "normal":
        codes = quantised(pixels, file.bits, scale=0.5, offset=0.5)
        if file.y == "minus":
            codes[..., 1] = ((1 << file.bits) - 1) - codes[..., 1]
        return codes
    return quantised(pixels, file.bits)


def decoded_normal(codes: Stored, bits: int = 8) -> Pixels:
    """Vectors in [-1, 1] as stored, not renormalised; green is left in the file's direction."""
    return codes.astype(np.float32) * np.float32(2 / ((1 << bits) - 1)) - 1
