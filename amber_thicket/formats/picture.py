"""Bytes of JPEG, PNG, TIFF, WebP, OpenEXR or camera RAW to linear light, whatever their colour model or depth.

Orientation tags are obeyed, colour profiles converted, odd values replaced and reported.
Sources: Exif 2.32 (orientation, tag 0x0112), ICC.1:2022 (profiles), PNG third edition, TIFF 6.0.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps

from amber_thicket.core.numeric.colour import decode_srgb, srgb_to_linear
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.exr import read_exr
from amber_thicket.formats.limits import check_size
from amber_thicket.formats.raw import AS_SHOT, Develop, is_raw, read_raw

Image.MAX_IMAGE_PIXELS = None  # our own limit, checked before decoding, says what to do
_REMEDY = "Give a JPEG, PNG, TIFF, WebP, OpenEXR or camera RAW picture that opens elsewhere."
_TURNS: dict[int, tuple[int, bool]] = {1: (0, False), 2: (0, True), 3: (2, False), 4: (2, True),
                                       5: (3, True), 6: (3, False), 7: (1, True), 8: (1, False)}  # fmt: skip


@dataclass(frozen=True)
class Picture:
    """A decoded file. pixels: (H, W, 3) float32: linear BT.709, or the stored numbers of a data map.
    alpha: (H, W) or None. bits: per channel as stored. floating: stored as float. notes: what was done, in words."""

    pixels: Pixels
    bits: int
    format: str
    alpha: Pixels | None = None
    floating: bool = False
    notes: tuple[str, ...] = field(default=())


def kind_of(data: bytes) -> str | None:
    """The format by its first bytes; file names are not trusted."""
    if data[:8] == b"\x89PNG\r\n\x1a\n":
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
    return None


def read_picture(data: bytes, name: str, *, as_stored: bool = False, develop: Develop = AS_SHOT) -> Picture:
    """Decode a picture. as_stored: the numbers of a data map as they are, integers scaled to [0, 1], no profile.
    develop: for camera RAW. Raises UnreadableFile or TooLarge, naming the file."""
    if not data:
        raise UnreadableFile(f"{name} is empty.", remedy=_REMEDY, file=name)
    kind = kind_of(data)
    if kind is None:
        raise UnreadableFile(f"{name} is not a picture we can read.", remedy=_REMEDY, file=name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if kind in ("exr", "raw"):
                linear, alpha, bits, notes = read_exr(data, name) if kind == "exr" else read_raw(data, name, develop)
                return _linear_picture(linear, alpha, bits, kind, list(notes))
            read = _read_tiff(data, name) if kind == "tiff" else _read_other(data, name, kind)
            picture = _finish(read, kind, as_stored=as_stored)
    except (MemoryError, UnreadableFile):
        raise
    except (OSError, ValueError, TypeError, KeyError, IndexError, SyntaxError, RuntimeError, tifffile.TiffFileError,
            EOFError, AttributeError, ZeroDivisionError, NotImplementedError) as error:  # fmt: skip
        raise UnreadableFile(
            f"{name} is damaged or cut short ({str(error)[:120]}).", remedy=_REMEDY, file=name
        ) from None
    return picture


def _linear_picture(linear: NDArray[Any], alpha: Pixels | None, bits: int, kind: str, notes: list[str]) -> Picture:
    """A picture whose numbers are light already."""
    pixels = _linear_from_float(linear, notes)
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=-1)
    return Picture(np.ascontiguousarray(pixels), bits, kind, alpha, kind == "exr", tuple(notes))


class _Read(NamedTuple):
    """What a reader hands on: codes as stored, embedded profile, how to turn, notes so far."""

    codes: NDArray[Any]
    profile: bytes | None
    turn: tuple[int, bool]
    notes: list[str]


def _read_other(data: bytes, name: str, kind: str) -> _Read:
    with Image.open(io.BytesIO(data)) as image:
        check_size(*image.size, name)
        notes = []
        frames = int(getattr(image, "n_frames", 1))
        if frames > 1:
            notes.append(f"first of {frames} frames")
        profile = image.info.get("icc_profile")
        turn, mirror = _TURNS.get(_exif_orientation(image), (0, False))
        sixteen = kind == "png" and (image.mode.startswith("I;16") or image.mode == "I" or _png_depth(data) == 16)
        if sixteen:
            codes = np.asarray(imagecodecs.png_decode(data))
            if "transparency" in image.info:
                notes.append("transparent colour ignored")
        else:
            image.load()
            codes, alpha_note = _eight_bit(image, profile)
            notes += alpha_note
            if image.mode == "CMYK":
                profile = None
    return _Read(codes, profile, (turn, mirror), notes)


def _png_depth(data: bytes) -> int:
    return data[24] if len(data) > 24 else 8


def _exif_orientation(image: Image.Image) -> int:
    try:
        return int(image.getexif().get(0x0112, 1))
    except (ValueError, TypeError, SyntaxError, OSError, KeyError, OverflowError):
        return 1


def _eight_bit(image: Image.Image, profile: bytes | None) -> tuple[NDArray[Any], list[str]]:
    """uint8 grey, grey+alpha, RGB or RGBA from any mode of 8 bits or fewer."""
    notes = []
    if image.mode in ("CMYK", "YCCK"):
        notes.append("converted from CMYK")
        return np.asarray(_cmyk_to_rgb(image, profile)), notes
    if image.mode == "P":
        notes.append("palette expanded")
        image = image.convert("RGBA" if "transparency" in image.info else "RGB")
    elif image.mode == "1":
        image = image.convert("L")
    elif image.mode == "PA":
        image = image.convert("RGBA")
    elif image.mode == "L" and "transparency" in image.info:
        image = image.convert("LA")
    elif image.mode == "RGB" and "transparency" in image.info:
        image = image.convert("RGBA")
    elif image.mode not in ("L", "LA", "RGB", "RGBA"):
        image = image.convert("RGB")
    return np.asarray(image), notes


def _cmyk_to_rgb(image: Image.Image, profile: bytes | None) -> Image.Image:
    from PIL import ImageCms

    if profile:
        try:
            source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
            result = ImageCms.profileToProfile(image, source, ImageCms.createProfile("sRGB"), outputMode="RGB")
            if result is not None:
                return result
        except (ImageCms.PyCMSError, OSError):
            pass
    return image.convert("RGB")


def _read_tiff(data: bytes, name: str) -> _Read:
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        if not tiff.pages:
            raise UnreadableFile(f"{name} holds no picture.", remedy=_REMEDY, file=name)
        page = tiff.pages[0]
        check_size(int(page.imagewidth), int(page.imagelength), name)  # type: ignore[union-attr]
        notes = [f"first of {len(tiff.pages)} pages"] if len(tiff.pages) > 1 else []
        photometric = int(getattr(page, "photometric", 1))
        tags = page.tags  # type: ignore[union-attr]
        profile = tags[34675].value if 34675 in tags else None
        turn = _TURNS.get(int(tags[274].value), (0, False)) if 274 in tags else (0, False)
        if photometric not in (0, 1, 2):
            return _tiff_by_pillow(data, notes)
        codes = page.asarray()
        planar = int(getattr(page, "planarconfig", 1))
        if codes.ndim == 3 and planar == 2 and codes.shape[0] <= 5:
            codes = np.moveaxis(codes, 0, -1)
        if codes.dtype == bool:
            codes = codes.astype(np.uint8) * 255
        elif int(page.bitspersample) < 8:  # type: ignore[union-attr, arg-type]
            codes = (codes.astype(np.float32) * (255 / ((1 << int(page.bitspersample)) - 1))).round().astype(np.uint8)  # type: ignore[union-attr, arg-type]
        if photometric == 0 and codes.dtype.kind == "u":
            codes = np.iinfo(codes.dtype).max - codes
    if codes.ndim not in (2, 3) or (codes.ndim == 3 and codes.shape[-1] > 5):
        raise UnreadableFile(f"{name} is not a flat picture (shape {codes.shape}).", remedy=_REMEDY, file=name)
    return _Read(codes, profile, turn, notes)


def _tiff_by_pillow(data: bytes, notes: list[str]) -> _Read:
    """Palette, CMYK, YCbCr and Lab TIFFs, which need colour conversion."""
    with Image.open(io.BytesIO(data)) as image:
        image.load()
        profile = image.info.get("icc_profile")
        codes, more = _eight_bit(ImageOps.exif_transpose(image) or image, profile)
    return _Read(codes, None if "converted from CMYK" in more else profile, (0, False), [*notes, *more])


def _finish(read: _Read, kind: str, *, as_stored: bool) -> Picture:
    """Alpha apart, values linear (or as stored), profile obeyed, right way up."""
    codes, profile, turn, notes = read
    if codes.ndim == 3 and codes.shape[-1] == 1:
        codes = codes[..., 0]
    alpha_codes = None
    if codes.ndim == 3 and codes.shape[-1] in (2, 4, 5):
        alpha_codes = codes[..., 1 if codes.shape[-1] == 2 else 3]
        codes = codes[..., 0] if codes.shape[-1] == 2 else codes[..., :3]
    bits, floating = codes.dtype.itemsize * 8, codes.dtype.kind == "f"
    linear = _stored(codes, notes) if as_stored else _linear(codes, profile, notes)
    if linear.ndim == 2:
        linear = np.repeat(linear[..., None], 3, axis=-1)
    alpha = None if alpha_codes is None else _unit(alpha_codes)
    if alpha is not None and float(alpha.min()) >= 1:
        alpha = None
    if alpha is not None:
        notes.append("has transparency")
    return Picture(
        np.ascontiguousarray(_turned(linear, turn)),
        bits,
        kind,
        alpha=None if alpha is None else np.ascontiguousarray(_turned(alpha, turn)),
        floating=floating,
        notes=tuple(notes + (["turned by its orientation tag"] if turn != (0, False) else [])),
    )


def _turned(pixels: Pixels, turn: tuple[int, bool]) -> Pixels:
    quarter, mirror = turn
    turned = np.rot90(pixels, quarter)
    return turned[:, ::-1] if mirror else turned


def _unit(codes: NDArray[Any]) -> Pixels:
    if codes.dtype.kind == "f":
        return np.nan_to_num(codes.astype(np.float32), nan=0, posinf=1, neginf=0).clip(0, 1)
    low = -float(np.iinfo(codes.dtype).min) if codes.dtype.kind == "i" else 0.0
    return ((codes.astype(np.float64) + low) / (float(np.iinfo(codes.dtype).max) + low)).astype(np.float32)


def _stored(codes: NDArray[Any], notes: list[str]) -> Pixels:
    return _linear_from_float(codes, notes) if codes.dtype.kind == "f" else _unit(codes)


def _linear(codes: NDArray[Any], profile: bytes | None, notes: list[str]) -> Pixels:
    if codes.dtype.kind == "f":
        return _linear_from_float(codes, notes)
    if codes.dtype not in (np.uint8, np.uint16):
        notes.append(f"{codes.dtype} scaled to 16 bit")
        codes = np.rint(_unit(codes).astype(np.float64) * 65535).astype(np.uint16)
    if profile and _is_plain_srgb(profile):
        profile = None
    if profile:
        converted = _converted(codes, profile, notes)
        if converted is not None:
            return converted
    return decode_srgb(codes)


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


def _is_plain_srgb(profile: bytes) -> bool:
    return b"sRGB" in profile[:4096] or b"s\0R\0G\0B" in profile[:4096]


def _converted(codes: NDArray[Any], profile: bytes, notes: list[str]) -> Pixels | None:
    """Through the embedded profile into linear BT.709; None when the profile is unusable."""
    grey = codes.ndim == 2
    try:
        # Lossless on the way: 16-bit in, 16-bit sRGB out.
        deep = codes if codes.dtype == np.uint16 else codes.astype(np.uint16) * 257
        rgb = np.repeat(deep[..., None], 3, axis=-1) if grey and _profile_space(profile) == b"RGB " else deep
        result = imagecodecs.cms_transform(
            np.ascontiguousarray(rgb),
            profile,
            imagecodecs.cms_profile("srgb"),
            colorspace="rgb" if rgb.ndim == 3 else "gray",
            outcolorspace="rgb",
            outdtype="uint16",
        )
        notes.append("colour profile converted")
        return srgb_to_linear(result / 65535.0).astype(np.float32)
    except (imagecodecs.CmsError, ValueError, TypeError, RuntimeError):
        notes.append("colour profile damaged and ignored")
        return None


def _profile_space(profile: bytes) -> bytes:
    return profile[16:20]
