"""GIF, BMP, TGA, DDS, PNM, PSD and Radiance HDR: what scanners, older programs and bought sets hold.

Sources: TGA 2.0 (Truevision, 1991), Netpbm formats, the published PSD file format (its image data section), DDS as
Pillow and imagecodecs read it.
"""

from __future__ import annotations

import io
import itertools
import re
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats import limits
from amber_thicket.formats.decode import REMEDY, Decoded, eight_bit, profiled
from amber_thicket.formats.limits import check_size

_PILLOW = {"gif": "GIF", "bmp": "BMP", "tga": "TGA", "dds": "DDS"}
# Picture types of TGA; each may be packed in runs.
_TGA_TYPES, _TGA_BITS = {1, 2, 3, 9, 10, 11}, {8, 15, 16, 24, 32}
_PNM = re.compile(rb"P[1-6][\s#]")
_PSD_MODES = {0: 1, 1: 1, 3: 3, 4: 4}


def older_kind(data: bytes) -> str | None:
    """The format by its first bytes (TGA: by its last, or by a header that says nothing impossible)."""
    if data[:6] in (b"GIF87a", b"GIF89a"):
        return "gif"
    if data[:2] == b"BM" and len(data) > 26 and int.from_bytes(data[14:18], "little") in (12, 40, 52, 56, 64, 108, 124):
        return "bmp"
    if data[:4] == b"DDS ":
        return "dds"
    if data[:4] == b"8BPS":
        return "psd"
    if data[:2] == b"#?":
        return "hdr"
    if _PNM.match(data[:3]):
        return "pnm"
    return "tga" if _is_tga(data) else None


def _is_tga(data: bytes) -> bool:
    if len(data) < 19:
        return False
    table, kind = data[1], data[2]
    width, height = struct.unpack_from("<HH", data, 12)
    possible = table in (0, 1) and kind in _TGA_TYPES and data[16] in _TGA_BITS and width > 0 and height > 0
    # Without a footer of its own the file has to be as long as it says; packed ones cannot be held against that.
    whole = 18 + data[0] + width * height * ((data[16] + 7) // 8)
    signed = data[-18:-2] == b"TRUEVISION-XFILE"
    return possible and (signed or kind > 8 or whole <= len(data) <= whole + 65_536)


def read_by_pillow(kind: str, data: bytes, name: str, as_stored: bool) -> Decoded:
    """GIF (its first frame), BMP, TGA and DDS."""
    from PIL import DdsImagePlugin, Image, TgaImagePlugin

    assert DdsImagePlugin
    assert TgaImagePlugin
    Image.MAX_IMAGE_PIXELS = None  # our own limit, checked before decoding, says what to do
    try:
        with Image.open(io.BytesIO(data), formats=(_PILLOW[kind],)) as image:
            check_size(*image.size, name, samples=len(image.getbands()), length=len(data))
            frames = int(getattr(image, "n_frames", 1))
            notes = [f"first of {frames} frames"] if frames > 1 else []
            image.load()
            codes, more = eight_bit(image, None)
    except (OSError, NotImplementedError, ValueError):
        if kind != "dds":
            raise
        return _dds_of_floats(data, name)
    return profiled(codes, None, (0, False), [*notes, *more])


def _dds_of_floats(data: bytes, name: str) -> Decoded:
    """Kinds of DDS that hold half floats (BC6H), and others that Pillow does not know."""
    import imagecodecs

    height, width = struct.unpack_from("<II", data, 12)
    check_size(width, height, name, samples=4, depth=4, length=len(data))
    codes = np.asarray(imagecodecs.dds_decode(data, mipmap=0))
    while codes.ndim > 3:
        codes = codes[0]
    return Decoded(codes.astype(np.float32) if codes.dtype.kind == "f" else codes, light=codes.dtype.kind == "f")


def read_pnm(data: bytes, name: str, as_stored: bool) -> Decoded:
    """PBM, PGM and PPM, 8 or 16 bit, as text or binary."""
    import cv2
    from PIL import Image

    with Image.open(io.BytesIO(data), formats=("PPM",)) as image:
        check_size(*image.size, name, samples=len(image.getbands()), depth=2, length=0)
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if found is None:
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=REMEDY, file=name)
    codes: NDArray[Any] = np.ascontiguousarray(found[..., ::-1]) if found.ndim == 3 else found
    return profiled(codes, None, (0, False), [])


def read_psd(data: bytes, name: str, as_stored: bool) -> Decoded:
    """The flattened picture that layered files carry, 8, 16 or 32 bit, grey, RGB or CMYK, with its first extra channel
    as alpha."""
    import imagecodecs

    version, channels, height, width, depth, mode = struct.unpack_from(">HxxxxxxHIIHH", data, 4)
    if version not in (1, 2) or mode not in _PSD_MODES or depth not in (8, 16, 32):
        raise UnreadableFile(
            f"{name} is a layered file in a colour mode that we cannot read.",
            remedy="Save it as RGB, or export it as PNG or TIFF.",
            file=name,
        )
    size = depth // 8
    check_size(width, height, name, samples=min(channels, 5), depth=size, length=len(data), densest=limits.PACKBITS)
    at, profile = 26, None
    for part in range(3):
        # The part of the layers is counted with eight bytes in files of version 2.
        long = part == 2 and version == 2
        length = struct.unpack_from(">Q" if long else ">I", data, at)[0]
        at += 8 if long else 4
        if part == 1:
            profile = _psd_profile(data[at : at + length])
        at += length
    packing = struct.unpack_from(">H", data, at)[0]
    at += 2
    wanted = min(channels, _PSD_MODES[mode] + 1)
    kind = {8: ">u1", 16: ">u2", 32: ">f4"}[depth]
    if packing == 0:
        planes = np.frombuffer(data, kind, wanted * height * width, at).reshape(wanted, height, width)
    elif packing == 1:
        counts = np.frombuffer(data, ">u4" if version == 2 else ">u2", channels * height, at)
        at += counts.nbytes
        ends = at + np.concatenate([[0], np.cumsum(counts[: wanted * height], dtype=np.int64)])
        rows = [imagecodecs.packbits_decode(data[a:b]) for a, b in itertools.pairwise(ends)]
        planes = np.frombuffer(b"".join(rows), kind).reshape(wanted, height, width)
    else:
        raise UnreadableFile(f"{name} is packed in a way that we cannot read.", remedy=REMEDY, file=name)
    # The array of a file is stored with the most significant byte first.
    native = np.moveaxis(planes, 0, -1).astype(np.dtype(kind).newbyteorder("="))
    return _psd_colours(native, mode, None if as_stored else profile)


def _psd_colours(codes: NDArray[Any], mode: int, profile: bytes | None) -> Decoded:
    if mode != 4:
        return profiled(codes[..., 0] if codes.shape[-1] == 1 else codes, profile, (0, False), ["layers flattened"])
    # Inks are stored the other way round: all is paper.
    most = np.iinfo(codes.dtype).max if codes.dtype.kind == "u" else 1.0
    ink = codes[..., :4].astype(np.float64) / most
    rgb = ink[..., :3] * ink[..., 3:]
    notes = ["layers flattened", "converted from CMYK"]
    return Decoded(np.rint(rgb * 65535).astype(np.uint16), bits=codes.dtype.itemsize * 8, notes=notes)


def _psd_profile(resources: bytes) -> bytes | None:
    """The colour profile, which is resource 1039."""
    at = 0
    while at + 12 <= len(resources) and resources[at : at + 4] == b"8BIM":
        number = struct.unpack_from(">H", resources, at + 4)[0]
        title = resources[at + 6] + 1
        start = at + 6 + title + title % 2
        length = struct.unpack_from(">I", resources, start)[0]
        if number == 1039:
            return resources[start + 4 : start + 4 + length]
        at = start + 4 + length + length % 2
    return None
