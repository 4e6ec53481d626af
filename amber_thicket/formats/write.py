"""Stored numbers to file bytes, and back again for the read-back. PNG third edition; TIFF 6.0; OpenEXR; TGA 2.0."""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
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


def _exr_codes(data: bytes) -> NDArray[Any]:
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        with OpenEXR.File(file.name, separate_channels=True) as picture:
            channels = {name: np.array(channel.pixels) for name, channel in picture.channels().items()}
    if "Y" in channels:
        return channels["Y"]
    return np.dstack([channels[name] for name in "RGBA" if name in channels])


def _tga_codes(data: bytes) -> NDArray[Any]:
    with Image.open(io.BytesIO(data), formats=["TGA"]) as picture:
        return np.asarray(picture)


@dataclass(frozen=True)
class Codec:
    """write: (codes, encoding=…) to bytes. read: bytes to the very numbers. starts: how such a file begins; a file that
    begins otherwise is of a format without a mark."""

    write: Callable[..., bytes]
    read: Callable[[bytes], NDArray[Any]]
    starts: tuple[bytes, ...] = ()


# How the formats of core/pack/formats.py are written, and read back to prove it.
CODECS: dict[str, Codec] = {
    "png": Codec(png_bytes, imagecodecs.png_decode, (b"\x89PNG",)),
    "tiff": Codec(tiff_bytes, lambda data: tifffile.imread(io.BytesIO(data)), (b"II*\0", b"MM\0*")),
    "exr": Codec(exr_bytes, _exr_codes, (b"\x76\x2f\x31\x01",)),
    "jpeg": Codec(jpeg_bytes, imagecodecs.jpeg_decode, (b"\xff\xd8\xff",)),
    "webp": Codec(webp_bytes, imagecodecs.webp_decode, (b"RIFF",)),
    "tga": Codec(tga_bytes, _tga_codes),
}


def encoded(codes: NDArray[Any], *, format: str, encoding: Encoding) -> bytes:
    """File bytes in the named format."""
    return CODECS[format].write(codes, encoding=encoding)


def stored_codes(data: bytes) -> NDArray[Any]:
    """The raw numbers of a file written by this module, for comparison."""
    known = (codec for codec in CODECS.values() if codec.starts and data.startswith(codec.starts))
    return np.asarray(next(known, CODECS["tga"]).read(data))
