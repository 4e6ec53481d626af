"""Stored numbers to file bytes, and back again for the read-back.

PNG third edition; TIFF 6.0; OpenEXR; JFIF 1.02; TGA 2.0; ICC.1:2022 for profiles in TIFF and JPEG. Files say what their
colours are (IEC 61966-2-1) and how many pixels there are to a metre, as far as the format has room for it: per_metre, 0
where nobody knows.
"""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
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

_AFTER_IHDR, _JPEG_QUALITY = 33, 95
# x and y of red, green and blue, and of white, of sRGB (ITU-R BT.709, CIE D65).
_PRIMARIES, _WHITE = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06), (0.3127, 0.3290)


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


@cache
def srgb_profile() -> bytes:
    """The ICC profile of sRGB, the same bytes every day."""
    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    # When it was made: year, month, day, and no time.
    made[24:36] = struct.pack(">6H", 2000, 1, 1, 0, 0, 0)
    return bytes(made)


# What a picture is packed with. Maps of surfaces repeat nothing within reach of a search for matches: Paeth's predictor
# and codes for what it leaves, with runs, make smaller files in half the time (figures in docs/decisions/041).
# Patterns and ramps repeat all the time, and are searched.
_BY_RUNS: dict[str, Any] = {"filter": imagecodecs.PNG.FILTER.PAETH, "strategy": imagecodecs.PNG.STRATEGY.RLE}
_BY_MATCHES: dict[str, Any] = {}
_BAND, _BANDS = 16, 3


def _packing(codes: NDArray[Any]) -> dict[str, Any]:
    """What packs a picture better, told from a few bands of its rows."""
    rows = len(codes)
    if rows <= _BAND * _BANDS * 2:
        bands = codes
    else:
        starts = [round((rows - _BAND) * (number + 1) / (_BANDS + 1)) for number in range(_BANDS)]
        bands = np.concatenate([codes[start : start + _BAND] for start in starts])
    tried = [len(imagecodecs.png_encode(bands, level=1, **one)) for one in (_BY_RUNS, _BY_MATCHES)]
    return _BY_RUNS if tried[0] <= tried[1] else _BY_MATCHES


def png_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """A PNG of 8 or 16 bits. sRGB pictures carry the chunks that say so; data maps carry none and are read raw."""
    codes = np.ascontiguousarray(codes)
    data = bytes(imagecodecs.png_encode(codes, level=1, **_packing(codes)))
    tags = b""
    if encoding == "srgb":
        # Primaries of BT.709, transfer of IEC 61966-2-1, no matrix, full range (ITU-T H.273).
        tags += _chunk(b"cICP", bytes((1, 13, 0, 1)))
        tags += _chunk(b"cHRM", struct.pack(">8I", *(round(100_000 * value) for value in (*_WHITE, *_PRIMARIES))))
        tags += _chunk(b"sRGB", b"\0") + _chunk(b"gAMA", struct.pack(">I", 45455))
    if per_metre:
        whole = min(max(round(per_metre), 1), 0x7FFFFFFF)
        tags += _chunk(b"pHYs", struct.pack(">IIB", whole, whole, 1))
    return data[:_AFTER_IHDR] + tags + data[_AFTER_IHDR:] if tags else data


def tiff_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
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
