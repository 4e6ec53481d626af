"""Whether bytes begin like a camera RAW file; without the library that develops them."""

from __future__ import annotations

import struct

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
