"""Stored numbers to file bytes, and back again for the read-back. PNG third edition; TIFF 6.0; OpenEXR; TGA 2.0."""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
from collections.abc import Callable
from typing import Any

import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image

from amber_thicket.core.roles import Encoding

_AFTER_IHDR, _JPEG_QUALITY = 33, 95


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
    """A TIFF of 8 or 16 bits or of floats, deflated; the description says how the values are encoded."""
    stream = io.BytesIO()
    tifffile.imwrite(
        stream,
        codes,
        photometric="rgb" if codes.ndim == 3 else "minisblack",
        compression="zlib",
        predictor=True,
        description=f"encoding={encoding}",
        metadata=None,
        extrasamples=["unassalpha"] if codes.ndim == 3 and codes.shape[2] == 4 else None,
    )
    return stream.getvalue()


def exr_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """An OpenEXR of half or single floats, zip-compressed: R, G, B (A), or Y."""
    names = {2: ["Y"]}.get(codes.ndim) or ["R", "G", "B", "A"][: codes.shape[2]]
    planes = [codes] if codes.ndim == 2 else [codes[..., i] for i in range(codes.shape[2])]
    channels = {name: np.ascontiguousarray(plane) for name, plane in zip(names, planes, strict=True)}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    # The library writes files by name only.
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        with OpenEXR.File(header, channels) as picture:
            picture.write(file.name)
        file.seek(0)
        return file.read()


def jpeg_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """A JPEG of high quality, all colours at full resolution."""
    return bytes(imagecodecs.jpeg_encode(np.ascontiguousarray(codes), level=_JPEG_QUALITY, subsampling="444"))


def webp_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """A lossless WebP; grey is written in colour, which is all WebP has."""
    colour = np.repeat(codes[..., None], 3, -1) if codes.ndim == 2 else codes
    return bytes(imagecodecs.webp_encode(np.ascontiguousarray(colour), lossless=True, level=1))


def tga_bytes(codes: NDArray[Any], *, encoding: Encoding) -> bytes:
    """A run-length coded TGA."""
    stream = io.BytesIO()
    Image.fromarray(codes).save(stream, "TGA", compression="tga_rle")
    return stream.getvalue()


_WRITERS: dict[str, Callable[..., bytes]] = {
    "png": png_bytes,
    "tiff": tiff_bytes,
    "exr": exr_bytes,
    "jpeg": jpeg_bytes,
    "webp": webp_bytes,
    "tga": tga_bytes,
}


def encoded(codes: NDArray[Any], *, format: str, encoding: Encoding) -> bytes:
    """File bytes in the named format."""
    return _WRITERS[format](codes, encoding=encoding)


def stored_codes(data: bytes) -> NDArray[Any]:
    """The raw numbers of a file written by this module, for comparison."""
    if data[:4] == b"\x89PNG":
        return np.asarray(imagecodecs.png_decode(data))
    if data[:4] == b"\x76\x2f\x31\x01":
        return _exr_codes(data)
    if data[:3] == b"\xff\xd8\xff":
        return np.asarray(imagecodecs.jpeg_decode(data))
    if data[:4] == b"RIFF":
        return np.asarray(imagecodecs.webp_decode(data))
    if data[:4] in (b"II*\0", b"MM\0*"):
        return np.asarray(tifffile.imread(io.BytesIO(data)))
    with Image.open(io.BytesIO(data), formats=["TGA"]) as picture:
        return np.asarray(picture)


def _exr_codes(data: bytes) -> NDArray[Any]:
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        with OpenEXR.File(file.name, separate_channels=True) as picture:
            channels = {name: np.array(channel.pixels) for name, channel in picture.channels().items()}
    if "Y" in channels:
        return channels["Y"]
    return np.dstack([channels[name] for name in "RGBA" if name in channels])
