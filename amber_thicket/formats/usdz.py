"""A USD layer and its pictures as one file.

Source: OpenUSD, "Usdz File Format Specification" 1.3: a zip without compression, the layer first, every file's bytes
beginning at a multiple of 64; pictures as PNG, JPEG, OpenEXR or AVIF.
"""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Mapping

# Kinds of pictures a package may hold, as files are named here.
PICTURES = ("png", "jpeg", "jpg", "exr")
_ALIGNED, _LOCAL_HEADER, _FIELD = 64, 30, 4
# An extra field that means nothing but room.
_ROOM = 0x1986


def usdz_bytes(layer: str, text: str, pictures: Mapping[str, bytes]) -> bytes:
    """The package. layer: name of the layer in it, text: what it says; pictures: by the names the layer has for them.
    Raises ValueError for a name that is not ASCII."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_STORED) as archive:
        for name, data in {layer: text.encode(), **pictures}.items():
            if not name.isascii():
                raise ValueError(f"{name} is not ASCII")
            entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            begins = stream.tell() + _LOCAL_HEADER + len(name) + _FIELD
            room = -begins % _ALIGNED
            entry.extra = struct.pack("<HH", _ROOM, room) + bytes(room)
            archive.writestr(entry, data)
    return stream.getvalue()
