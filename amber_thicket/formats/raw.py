"""Camera RAW (DNG and what LibRaw reads): linear light with BT.709 primaries, 16 bit, white as the camera set it."""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import rawpy
from numpy.typing import NDArray

from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.limits import check_size

_REMEDY = "Give a DNG or another camera RAW file that opens elsewhere."
_STARTS = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0", b"FOVb")
_DNG_VERSION, _PHOTOMETRIC, _SUB_IFDS, _SUBFILE = 50706, 262, 330, 254
_FILTER_ARRAY, _LINEAR_RAW = 32803, 34892


def is_raw(data: bytes) -> bool:
    """Whether the bytes begin like a camera RAW file. Many are TIFF files that say so in their tags (DNG 1.4)."""
    if data[:16].startswith(_STARTS) or data[4:11] == b"ftypcrx" or data[8:10] == b"CR":
        return True
    if data[:4] not in (b"II*\0", b"MM\0*") or len(data) < 16:
        return False
    tags = _first_tags(data)
    shown_small = bool(tags.get(_SUBFILE, 0) & 1) and _SUB_IFDS in tags
    return _DNG_VERSION in tags or tags.get(_PHOTOMETRIC) in (_FILTER_ARRAY, _LINEAR_RAW) or shown_small


def _first_tags(data: bytes) -> dict[int, int]:
    """Tag numbers of the first directory with their value (or offset) as stored; empty when cut short."""
    order = "<" if data[:2] == b"II" else ">"
    try:
        (at,) = struct.unpack_from(f"{order}I", data, 4)
        (count,) = struct.unpack_from(f"{order}H", data, at)
        found = {}
        for entry in range(count):
            tag, kind, _ = struct.unpack_from(f"{order}HHI", data, at + 2 + 12 * entry)
            (found[tag],) = struct.unpack_from(f"{order}{'H' if kind == 3 else 'I'}", data, at + 10 + 12 * entry)
        return found
    except struct.error:
        return {}


@dataclass(frozen=True)
class Develop:
    """How a RAW is developed. white: as the camera set it, for daylight, or so that the whole is grey on average.
    highlights: what becomes of burnt-out places: cut off, blended, or rebuilt from the channels that hold."""

    white: Literal["as_shot", "daylight", "average"] = "as_shot"
    highlights: Literal["cut", "blend", "rebuild"] = "blend"


AS_SHOT = Develop()
_HIGHLIGHTS = {
    "cut": rawpy.HighlightMode.Clip,
    "blend": rawpy.HighlightMode.Blend,
    "rebuild": rawpy.HighlightMode.ReconstructDefault,
}


def read_raw(data: bytes, name: str, develop: Develop = AS_SHOT) -> tuple[NDArray[Any], Pixels | None, int, list[str]]:
    """(linear values (H, W, 3), None, bits, notes)."""
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            check_size(raw.sizes.width, raw.sizes.height, name)
            codes = raw.postprocess(
                output_bps=16,
                gamma=(1, 1),
                no_auto_bright=True,
                use_camera_wb=develop.white == "as_shot",
                use_auto_wb=develop.white == "average",
                output_color=rawpy.ColorSpace.sRGB,
                highlight_mode=_HIGHLIGHTS[develop.highlights],
            )
            white = [round(float(v), 3) for v in raw.camera_whitebalance[:3]]
    except rawpy.LibRawError as error:
        raise UnreadableFile(f"{name} cannot be developed ({str(error)[:120]}).", remedy=_REMEDY, file=name) from None
    note = f"developed from RAW, white balance {white[0]:g} : {white[1]:g} : {white[2]:g}"
    return codes.astype(np.float32) / np.float32(65535), None, 16, [note]
