"""HEIF, AVIF, JPEG XL and JPEG 2000: what phones and newer programs save, with more than 8 bits where they hold them.

Sources: ISO/IEC 23008-12 (HEIF), AV1-ISOBMFF (the av1C box), ISO/IEC 18181-1 (size header of JPEG XL).
"""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.decode import P3_PRIMARIES, REMEDY, Decoded, from_p3, profiled
from amber_thicket.formats.limits import check_size
from amber_thicket.formats.shot_tags import shot_of_exif, shot_of_image

_HEIF = (b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1")
_AVIF = (b"avif", b"avis")
_JXL_BOX = b"\0\0\0\x0cJXL \r\n\x87\n"
_JP2_BOX = b"\0\0\0\x0cjP  \r\n\x87\n"


def phone_kind(data: bytes) -> str | None:
    """The format by its first bytes, if it is one of these."""
    if data[:12] == _JXL_BOX or data[:2] == b"\xff\x0a":
        return "jpegxl"
    if data[:12] == _JP2_BOX or data[:4] == b"\xff\x4f\xff\x51":
        return "jpeg2000"
    if data[4:8] != b"ftyp":
        return None
    length = int.from_bytes(data[:4], "big")
    brands = {data[at : at + 4] for at in (8, *range(16, min(length, 64), 4))}
    if brands & set(_AVIF):
        return "avif"
    return "heif" if brands & set(_HEIF) else None


def read_heif(data: bytes, name: str, as_stored: bool) -> Decoded:
    """The primary picture, turned as it is to be seen. Gain and depth maps beside it are left out, and told."""
    import pillow_heif

    found = pillow_heif.open_heif(io.BytesIO(data), convert_hdr_to_8bit=False)
    samples = len(found.mode.split(";")[0])
    width, height = found.size
    check_size(width, height, name, samples=samples, depth=2 if ";16" in found.mode else 1, length=len(data))
    notes = []
    if found.info.get("depth_images"):
        notes.append("depth map left out")
    if found.info.get("aux"):
        notes.append("gain map or other pictures beside it left out")
    if len(found) > 1:
        notes.append("first of several pictures")
    codes = np.asarray(found)
    profile = found.info.get("icc_profile")
    primaries = int((found.info.get("nclx_profile") or {}).get("color_primaries", 0))
    if not profile and not as_stored and primaries == P3_PRIMARIES and codes.ndim == 3 and codes.shape[-1] in (3, 4):
        # Phones say so in a few numbers, without a profile.
        bits = codes.dtype.itemsize * 8
        made = Decoded(from_p3(codes), bits=bits, notes=[*notes, "converted from Display P3"])
    else:
        made = profiled(codes, None if as_stored else profile, (0, False), notes)
    made.bits = int(found.info.get("bit_depth") or made.bits)
    made.shot = shot_of_exif(found.info.get("exif"))
    return made


def read_avif(data: bytes, name: str, as_stored: bool) -> Decoded:
    import imagecodecs
    from PIL import AvifImagePlugin, Image

    assert AvifImagePlugin
    bits = _avif_bits(data)
    with Image.open(io.BytesIO(data), formats=("AVIF",)) as image:
        check_size(*image.size, name, samples=len(image.getbands()), depth=1 if bits == 8 else 2, length=len(data))
        frames = int(getattr(image, "n_frames", 1))
        notes = [f"first of {frames} frames"] if frames > 1 else []
        profile, size, shot = image.info.get("icc_profile"), image.size, shot_of_image(image)
        if bits == 8 or image.getexif().get(0x0112, 1) not in (0, 1):
            image.load()
            made = profiled(np.asarray(image), None if as_stored else profile, (0, False), notes)
            made.shot = shot
            return made
    codes = np.asarray(imagecodecs.avif_decode(data, index=0))
    if codes.shape[1::-1] != size:
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name)
    made = profiled(_sixteen(codes, bits), None if as_stored else profile, (0, False), notes)
    made.bits, made.shot = bits, shot
    return made


def _avif_bits(data: bytes) -> int:
    """Bits of a value: the third byte of the codec's configuration says 8, 10 or 12."""
    at = data.find(b"av1C")
    flags = data[at + 6] if 0 <= at < len(data) - 6 else 0
    return 12 if flags & 0x60 == 0x60 else 10 if flags & 0x40 else 8


def _sixteen(codes: NDArray[Any], bits: int) -> NDArray[Any]:
    """Codes of so many bits as the 16-bit codes of the same values."""
    if codes.dtype != np.uint16 or bits >= 16:
        return codes
    most = (1 << bits) - 1
    result: NDArray[Any] = np.rint(np.minimum(codes, most) * (65535.0 / most)).astype(np.uint16)
    return result


def read_jpegxl(data: bytes, name: str, as_stored: bool) -> Decoded:
    import imagecodecs

    width, height = _jpegxl_size(data, name)
    check_size(width, height, name, samples=4, depth=2, length=len(data))
    codes = np.asarray(imagecodecs.jpegxl_decode(data, index=0))
    # A picture with an orientation comes turned already.
    if sorted(codes.shape[:2]) != sorted((height, width)):
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name)
    return profiled(codes, None, (0, False), [])


def _jpegxl_size(data: bytes, name: str) -> tuple[int, int]:
    """Width and height, as the first bits of the codestream say."""
    start = data.find(b"\xff\x0a") if data[:12] == _JXL_BOX else 0
    if start < 0:
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name)
    bits = int.from_bytes(data[start + 2 : start + 16].ljust(14, b"\0"), "little")
    at = 0

    def take(count: int) -> int:
        nonlocal at
        at += count
        return (bits >> (at - count)) & ((1 << count) - 1)

    def side(small: bool) -> int:
        return 8 * (take(5) + 1) if small else take((9, 13, 18, 30)[take(2)]) + 1

    small = bool(take(1))
    height = side(small)
    ratio = take(3)
    shares = ((1, 1), (12, 10), (4, 3), (3, 2), (16, 9), (5, 4), (2, 1))
    if ratio:
        return height * shares[ratio - 1][0] // shares[ratio - 1][1], height
    return side(small), height


def read_jpeg2000(data: bytes, name: str, as_stored: bool) -> Decoded:
    import imagecodecs
    from PIL import Image, Jpeg2KImagePlugin

    assert Jpeg2KImagePlugin
    with Image.open(io.BytesIO(data), formats=("JPEG2000",)) as image:
        check_size(*image.size, name, samples=len(image.getbands()), depth=2, length=len(data))
        profile = image.info.get("icc_profile")
    codes = np.asarray(imagecodecs.jpeg2k_decode(data))
    return profiled(codes, None if as_stored else profile, (0, False), [])
