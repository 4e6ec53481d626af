"""Stored numbers to file bytes, and back again for the read-back.

TIFF 6.0; OpenEXR; JFIF 1.02; TGA 2.0; ICC.1:2022 for profiles in TIFF and JPEG. Files say what their
colours are (IEC 61966-2-1) and how many pixels there are to a metre, as far as the format has room for it: per_metre, 0
where nobody knows.
"""

from __future__ import annotations

import io
import struct
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms

from amber_thicket.core.roles import Encoding
from amber_thicket.formats.png import png_bytes

_JPEG_QUALITY = 95


@cache
def srgb_profile() -> bytes:
    """The ICC profile of sRGB, the same bytes every day."""
    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    # When it was made: year, month, day, and no time.
    made[24:36] = struct.pack(">6H", 2000, 1, 1, 0, 0, 0)
    return bytes(made)


def tiff_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """A TIFF of 8 or 16 bits or of floats, deflated; the description says how the values are encoded."""
    stream = io.BytesIO()
    tifffile.imwrite(
        stream,
        codes,
        photometric="rgb" if codes.ndim == 3 else "minisblack",
        compression="zlib",
        # The usual level 6 takes twice the time for files that are 1 to 3 % smaller.
        compressionargs={"level": 4},
        predictor=True,
        description=f"encoding={encoding}",
        metadata=None,
        extrasamples=["unassalpha"] if codes.ndim == 3 and codes.shape[2] == 4 else None,
        iccprofile=srgb_profile() if encoding == "srgb" and codes.ndim == 3 else None,
        resolution=(per_metre / 100, per_metre / 100) if per_metre else None,
        resolutionunit="CENTIMETER" if per_metre else None,
    )
    return stream.getvalue()


def exr_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """An OpenEXR of half or single floats, zip-compressed: R, G, B (A), or Y. Its colours are those of BT.709, which is
    what a file without chromaticities means."""
    names = {2: ["Y"]}.get(codes.ndim) or ["R", "G", "B", "A"][: codes.shape[2]]
    planes = [codes] if codes.ndim == 2 else [codes[..., i] for i in range(codes.shape[2])]
    channels = {name: np.ascontiguousarray(plane) for name, plane in zip(names, planes, strict=True)}
    header: dict[str, Any] = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    if per_metre:
        # Pixels to an inch.
        header["xDensity"] = per_metre * 0.0254
    # The library writes files by name only.
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        with OpenEXR.File(header, channels) as picture:
            picture.write(file.name)
        file.seek(0)
        return file.read()


def jpeg_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """A JPEG of high quality, all colours at full resolution."""
    data = bytes(imagecodecs.jpeg_encode(np.ascontiguousarray(codes), level=_JPEG_QUALITY, subsampling="444"))
    if data[2:4] != b"\xff\xe0" or data[6:11] != b"JFIF\0":
        return data
    end = 4 + int.from_bytes(data[4:6], "big")
    first = bytearray(data[:end])
    if per_metre:
        # Dots to a centimetre, which JFIF counts in whole ones.
        dots = min(max(round(per_metre / 100), 1), 0xFFFF)
        first[13:18] = struct.pack(">BHH", 2, dots, dots)
    told = b""
    if encoding == "srgb":
        body = b"ICC_PROFILE\0\x01\x01" + srgb_profile()
        told = b"\xff\xe2" + struct.pack(">H", len(body) + 2) + body
    return bytes(first) + told + data[end:]


def webp_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """A lossless WebP; grey is written in colour, which is all WebP has."""
    colour = np.repeat(codes[..., None], 3, -1) if codes.ndim == 2 else codes
    return bytes(imagecodecs.webp_encode(np.ascontiguousarray(colour), lossless=True, level=1))


def tga_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
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
    """write: (codes, encoding=…, per_metre=…) to bytes. read: bytes to the very numbers. starts: how such a file
    begins; a file that begins otherwise is of a format without a mark."""

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


def encoded(codes: NDArray[Any], *, format: str, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """File bytes in the named format."""
    return CODECS[format].write(codes, encoding=encoding, per_metre=per_metre)


def stored_codes(data: bytes) -> NDArray[Any]:
    """The raw numbers of a file written by this module, for comparison."""
    known = (codec for codec in CODECS.values() if codec.starts and data.startswith(codec.starts))
    return np.asarray(next(known, CODECS["tga"]).read(data))
