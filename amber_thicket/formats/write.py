"""Stored numbers to file bytes, and back again for the read-back. PNG third edition; TIFF 6.0."""

from __future__ import annotations

import io
import struct
import zlib
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_thicket.core.roles import Encoding

_AFTER_IHDR = 33


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def png_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """A PNG of 8 or 16 bits. sRGB pictures carry the sRGB chunk; data maps carry none and are read raw."""
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(codes), level=1))
    if encoding != "srgb":
        return data
    tag = _chunk(b"sRGB", b"\0") + _chunk(b"gAMA", struct.pack(">I", 45455))
    return data[:_AFTER_IHDR] + tag + data[_AFTER_IHDR:]


def tiff_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """A TIFF of 8 or 16 bits, deflated; the description says how the values are encoded."""
    stream = io.BytesIO()
    tifffile.imwrite(
        stream,
        codes,
        photometric="rgb" if codes.ndim == 3 else "minisblack",
        compression="zlib",
        predictor=True,
        description=f"encoding={encoding}",
        metadata=None,
    )
    return stream.getvalue()


def encoded(codes: NDArray[Any], *, format: str, encoding: Encoding) -> bytes:
    """File bytes in the named format ("png" or "tiff")."""
    return {"png": png_bytes, "tiff": tiff_bytes}[format](codes, encoding=encoding)


def stored_codes(data: bytes) -> NDArray[Any]:
    """The raw numbers of a file written by this module, for comparison."""
    if data[:4] == b"\x89PNG":
        return np.asarray(imagecodecs.png_decode(data))
    return np.asarray(tifffile.imread(io.BytesIO(data)))
