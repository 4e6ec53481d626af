"""Bytes of a picture to the codes it holds: whatever touches a stranger's bytes.

No numba and nothing of the core: this runs in the small helper process too (apart.py), which starts in a moment and may
die of what it is given. Sources: Exif 2.32 (orientation, tag 0x0112), ICC.1:2022 (profiles), PNG third edition, TIFF
6.0.
"""

from __future__ import annotations

import io
import logging
import struct
import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.formats import limits
from amber_thicket.formats.limits import check_size
from amber_thicket.formats.shot_tags import shot_of_image, shot_of_tiff

REMEDY = "Give a JPEG, PNG, TIFF, WebP, HEIC, AVIF, OpenEXR or camera RAW picture that opens elsewhere."
_TURNS: dict[int, tuple[int, bool]] = {1: (0, False), 2: (0, True), 3: (2, False), 4: (2, True),
                                       5: (3, True), 6: (3, False), 7: (1, True), 8: (1, False)}  # fmt: skip
_MOST_SAMPLES, _MOST_BITS = 5, 64
log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Develop:
    """How a camera RAW becomes light. white: "as_shot", "daylight" or "average". highlights: what is done where the
    sensor was burnt out: "cut" at white, "blend" what is left, or "rebuild" the channels from their neighbours."""

    white: str = "as_shot"
    highlights: str = "blend"


AS_SHOT = Develop()


@dataclass
class Decoded:
    """What a file holds. codes: (H, W) or (H, W, C), as stored. light: the codes are linear light already, from 0 to
    full scale for integers. alpha: apart, where it is not among the channels. bits: as stored, where the codes are not.
    turn: quarter turns against the clock, and whether it is mirrored then. notes: what was done, in words. shot: how
    it was taken, as in shot_tags.py."""

    codes: NDArray[Any]
    light: bool = False
    alpha: NDArray[Any] | None = None
    bits: int = 0
    turn: tuple[int, bool] = (0, False)
    notes: list[str] = field(default_factory=list)
    shot: dict[str, Any] = field(default_factory=dict)


def decode(data: bytes, name: str, kind: str, *, as_stored: bool = False, develop: Develop = AS_SHOT) -> Decoded:
    """Decode a picture. kind: as kind_of() tells it. as_stored: leave a colour profile alone. Raises UnreadableFile,
    TooLarge, each naming the file."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if kind == "raw":
                from amber_thicket.formats.raw import read_raw

                return read_raw(data, name, develop)
            if kind in _LATER:
                return _read_later(kind, data, name, as_stored)
            return _READERS[kind](data, name, as_stored)
    except ThicketError:
        raise
    except MemoryError:
        raise UnreadableFile(
            f"{name} needs far more memory than a picture of its size.", remedy=REMEDY, file=name
        ) from None
    except (OSError, ValueError, TypeError, KeyError, IndexError, SyntaxError, RuntimeError, EOFError, AttributeError,
            ArithmeticError, NotImplementedError, AssertionError, struct.error) as error:  # fmt: skip
        # What the libraries say is for those who write them; it is logged, and the person is told what it means.
        log.debug("%s: %r", name, error)
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name) from None


# Kinds whose readers are loaded when one comes.
_LATER = ("heif", "avif", "jpegxl", "jpeg2000", "gif", "bmp", "tga", "dds", "pnm", "psd", "hdr")


def _read_later(kind: str, data: bytes, name: str, as_stored: bool) -> Decoded:
    from amber_thicket.formats import older_kinds, phone_kinds
    from amber_thicket.formats.radiance import read_radiance

    if kind == "hdr":
        return read_radiance(data, name)
    reader = getattr(phone_kinds, f"read_{kind}", None) or getattr(older_kinds, f"read_{kind}", None)
    return reader(data, name, as_stored) if reader else older_kinds.read_by_pillow(kind, data, name, as_stored)


def _read_exr(data: bytes, name: str, _as_stored: bool) -> Decoded:
    from amber_thicket.formats.exr import read_exr

    return read_exr(data, name)


def _read_other(data: bytes, name: str, as_stored: bool) -> Decoded:
    """JPEG, PNG and WebP."""
    import imagecodecs

    # Named, so that no other reader is asked; the library loads the one for WebP only when it is asked for all.
    from PIL import Image, WebPImagePlugin

    assert WebPImagePlugin
    Image.MAX_IMAGE_PIXELS = None  # our own limit, checked before decoding, says what to do
    if data[:8] == PNG_START:
        _check_png(data, name)
    with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as image:
        kind = (image.format or "").lower()
        densest = limits.JPEG_BLOCKS if kind in ("jpeg", "mpo") else limits.ANY
        check_size(*image.size, name, samples=len(image.getbands()), length=len(data), densest=densest)
        notes = []
        frames = int(getattr(image, "n_frames", 1))
        if frames > 1:
            notes.append(f"first of {frames} frames")
        profile = image.info.get("icc_profile")
        shot = shot_of_image(image)
        turn, mirror = _TURNS.get(_exif_orientation(image), (0, False))
        sixteen = kind == "png" and (image.mode.startswith("I;16") or image.mode == "I" or _png_depth(data) == 16)
        if sixteen:
            codes = np.asarray(imagecodecs.png_decode(data))
            if "transparency" in image.info:
                notes.append("transparent colour ignored")
        elif (plain := _plain_jpeg(data, image)) is not None:
            codes = plain
        else:
            image.load()
            codes, alpha_note = eight_bit(image, profile)
            notes += alpha_note
            if image.mode == "CMYK":
                profile = None
    made = profiled(codes, None if as_stored else profile, (turn, mirror), notes)
    made.shot = shot
    return made


PNG_START = b"\x89PNG\r\n\x1a\n"
# Samples a pixel by colour type; PNG third edition, table 9.
_PNG_SAMPLES = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}


def _check_png(data: bytes, name: str) -> None:
    """The header alone: width, height, bits and colour type stand at its start."""
    if len(data) < 33 or data[8:16] != b"\0\0\0\rIHDR":
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name)
    width, height, bits, colour = struct.unpack_from(">IIBB", data, 16)
    samples = _PNG_SAMPLES.get(colour, 4)
    check_size(width, height, name, samples=samples, depth=bits / 8, length=len(data), densest=limits.DEFLATE)


def _png_depth(data: bytes) -> int:
    return data[24] if len(data) > 24 else 8


def _exif_orientation(image: Any) -> int:
    try:
        return int(image.getexif().get(0x0112, 1))
    except (ValueError, TypeError, SyntaxError, OSError, KeyError, OverflowError):
        return 1


def _plain_jpeg(data: bytes, image: Any) -> NDArray[np.uint8] | None:
    """The codes of a JPEG in grey or RGB, decoded straight to where they stay; None for any other picture, and for one
    that is cut short, about which Pillow says what is wrong. Both stand on the same decoder and give the same codes."""
    import imagecodecs

    # A whole one ends with EOI (ITU-T T.81, B.1.1.3); some cameras fill up with zeros.
    ends = data[-64:].rstrip(b"\0").endswith(b"\xff\xd9")
    if image.format not in ("JPEG", "MPO") or image.mode not in ("L", "RGB") or not ends:
        return None
    codes = new_array((image.height, image.width, *([3] if image.mode == "RGB" else [])))
    try:
        imagecodecs.jpeg8_decode(data, out=codes)
    except (RuntimeError, ValueError):
        return None
    return codes


def eight_bit(image: Any, profile: bytes | None) -> tuple[NDArray[Any], list[str]]:
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
    return _codes_of(image), notes


# How an array for many pixels is made; the helper makes it where it can be handed over as it is.
new_array: Callable[[tuple[int, ...]], NDArray[np.uint8]] = lambda shape: np.empty(shape, np.uint8)  # noqa: E731
_BAND = 256


def _codes_of(image: Any) -> NDArray[np.uint8]:
    """(H, W[, C]) uint8 of an image, a band of rows at a time: the library's way takes another whole copy."""
    width, height = image.size
    count = len(image.getbands())
    codes = new_array((height, width) if count == 1 else (height, width, count))
    for top in range(0, height, _BAND):
        bottom = min(top + _BAND, height)
        codes[top:bottom] = np.asarray(image.crop((0, top, width, bottom)))
    return codes


def _cmyk_to_rgb(image: Any, profile: bytes | None) -> Any:
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


# How many decoded bytes a byte of the file stands for at most, by TIFF's numbers of compressions; others are not
# limited.
_TIFF_DENSEST = {1: limits.PLAIN, 32773: limits.PACKBITS, 8: limits.DEFLATE, 32946: limits.DEFLATE}


def _read_tiff(data: bytes, name: str, as_stored: bool) -> Decoded:
    import tifffile

    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        if not tiff.pages:
            raise UnreadableFile(f"{name} holds no picture.", remedy=REMEDY, file=name)
        page = tiff.pages[0]
        _check_tiff(page, data, name)
        notes = [f"first of {len(tiff.pages)} pages"] if len(tiff.pages) > 1 else []
        photometric = int(getattr(page, "photometric", 1))
        tags = page.tags  # type: ignore[union-attr]
        profile = tags[34675].value if 34675 in tags else None
        turn = _TURNS.get(int(tags[274].value), (0, False)) if 274 in tags else (0, False)
        if photometric not in (0, 1, 2):
            return _tiff_by_pillow(data, notes, as_stored)
        codes = page.asarray()
        planar = int(getattr(page, "planarconfig", 1))
        if codes.ndim == 3 and planar == 2 and codes.shape[0] <= 5:
            codes = np.moveaxis(codes, 0, -1)
        if codes.dtype == bool:
            codes = codes.astype(np.uint8) * 255
        elif int(page.bitspersample) < 8:  # type: ignore[union-attr]
            codes = (codes.astype(np.float32) * (255 / ((1 << int(page.bitspersample)) - 1))).round().astype(np.uint8)  # type: ignore[union-attr]
        if photometric == 0 and codes.dtype.kind == "u":
            codes = np.iinfo(codes.dtype).max - codes
        extra = tuple(int(kind) for kind in getattr(page, "extrasamples", ()))
    if codes.ndim not in (2, 3) or (codes.ndim == 3 and codes.shape[-1] > 5):
        raise UnreadableFile(f"{name} is not a flat picture (shape {codes.shape}).", remedy=REMEDY, file=name)
    if extra[:1] == (_ASSOCIATED,) and codes.ndim == 3 and codes.shape[-1] in (2, 4) and not as_stored:
        codes = _divided_by_alpha(codes)
    made = profiled(codes, None if as_stored else profile, turn, notes)
    made.shot = shot_of_tiff(data)
    return made


# ExtraSamples of TIFF 6.0: alpha that the colours were multiplied by.
_ASSOCIATED = 1


def _divided_by_alpha(codes: NDArray[Any]) -> NDArray[Any]:
    """Colours as they are where they are solid. codes: (H, W, 2 or 4), alpha last, colours multiplied by it."""
    most = np.iinfo(codes.dtype).max if codes.dtype.kind == "u" else 1.0
    alpha = codes[..., -1:].astype(np.float32)
    colour = codes[..., :-1] * (most / np.where(alpha > 0, alpha, most))
    return np.concatenate([colour.clip(0, most).round() if most > 1 else colour, alpha], -1).astype(codes.dtype)


def _check_tiff(page: Any, data: bytes, name: str) -> None:
    samples, bits = int(page.samplesperpixel), int(page.bitspersample)
    width, height = int(page.imagewidth), int(page.imagelength)
    if samples > _MOST_SAMPLES:
        raise UnreadableFile(
            f"{name} has {samples} values a pixel; a picture has at most {_MOST_SAMPLES}.", remedy=REMEDY, file=name
        )
    if bits > _MOST_BITS:
        raise UnreadableFile(f"{name} says that a value has {bits} bits.", remedy=REMEDY, file=name)
    densest = _TIFF_DENSEST.get(int(page.compression), limits.ANY)
    # A bilevel or oddly packed page may be stored in fewer bits than it says; the header has room for itself.
    check_size(width, height, name, samples=samples, depth=bits / 8, length=len(data) + 4096, densest=densest)


def _tiff_by_pillow(data: bytes, notes: list[str], as_stored: bool) -> Decoded:
    """Palette, CMYK, YCbCr and Lab TIFFs, which need colour conversion."""
    from PIL import Image, ImageOps

    with Image.open(io.BytesIO(data)) as image:
        image.load()
        profile = image.info.get("icc_profile")
        codes, more = eight_bit(ImageOps.exif_transpose(image) or image, profile)
    profile = None if as_stored or "converted from CMYK" in more else profile
    return profiled(codes, profile, (0, False), [*notes, *more])


def _is_plain_srgb(profile: bytes) -> bool:
    return b"sRGB" in profile[:4096] or b"s\0R\0G\0B" in profile[:4096]


def profiled(codes: NDArray[Any], profile: bytes | None, turn: tuple[int, bool], notes: list[str]) -> Decoded:
    """Codes with their colour brought through the embedded profile into sRGB of 16 bit."""
    bits = codes.dtype.itemsize * 8
    if profile and not _is_plain_srgb(profile) and codes.dtype in (np.uint8, np.uint16):
        if codes.ndim == 3 and codes.shape[-1] in (2, 4, 5):
            # Alpha has no colour.
            at = 1 if codes.shape[-1] == 2 else 3
            alpha, colour = codes[..., at], codes[..., 0] if at == 1 else codes[..., :3]
        else:
            alpha, colour = None, codes[..., 0] if codes.ndim == 3 and codes.shape[-1] == 1 else codes
        converted = _converted(colour, profile, notes)
        if converted is not None:
            return Decoded(converted, alpha=alpha, bits=bits, turn=turn, notes=notes)
    return Decoded(codes, bits=bits, turn=turn, notes=notes)


def _converted(codes: NDArray[Any], profile: bytes, notes: list[str]) -> NDArray[Any] | None:
    """Through the embedded profile into sRGB of 16 bit, (H, W, 3); None when the profile is unusable."""
    import imagecodecs

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
        return np.asarray(result, np.uint16)
    except (imagecodecs.CmsError, ValueError, TypeError, RuntimeError):
        notes.append("colour profile damaged and ignored")
        return None


# Display P3 (primaries of SMPTE EG 432-1, white D65) to BT.709, linear; from the chromaticities of both.
_P3_TO_BT709 = np.array(
    [[1.2249401, -0.2249402, 0.0], [-0.0420570, 1.0420571, 0.0], [-0.0196376, -0.0786361, 1.0982735]]
)
P3_PRIMARIES = 12


def from_p3(codes: NDArray[Any]) -> NDArray[Any]:
    """Codes of Display P3 (H, W, 3 or 4) of 8 or 16 bit as sRGB codes of 16 bit; alpha, if any, scaled along."""
    most = float(np.iinfo(codes.dtype).max)
    table = srgb_decoded(np.arange(int(most) + 1) / most).astype(np.float32)
    out = np.empty(codes.shape, np.uint16)
    for top in range(0, codes.shape[0], _BAND):
        part = codes[top : top + _BAND]
        light = np.take(table, part[..., :3]) @ _P3_TO_BT709.T.astype(np.float32)
        out[top : top + _BAND, ..., :3] = np.rint(srgb_encoded(light.clip(0, 1)) * 65535)
        if codes.shape[-1] > 3:
            out[top : top + _BAND, ..., 3] = np.rint(part[..., 3] * (65535 / most))
    return out


def srgb_decoded(values: NDArray[Any]) -> NDArray[Any]:
    """Linear light of sRGB values in [0, 1]. Source: IEC 61966-2-1."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def srgb_encoded(light: NDArray[Any]) -> NDArray[Any]:
    """The way back."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)


def _profile_space(profile: bytes) -> bytes:
    return profile[16:20]


_READERS: dict[str, Callable[[bytes, str, bool], Decoded]] = {
    "png": _read_other,
    "jpeg": _read_other,
    "webp": _read_other,
    "tiff": _read_tiff,
    "exr": _read_exr,
}
