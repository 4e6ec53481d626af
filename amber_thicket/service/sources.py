"""Captures in the blob store as sources of an evaluation."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Raster
from amber_thicket.formats.picture import Picture, read_picture

_DECODER = 1


class StoredSource:
    """A capture read from its bytes when needed; halved copies share the memory of results."""

    def __init__(self, info: dict[str, Any], read: Callable[[], bytes], memory: Memory) -> None:
        self.key = f"{info['blob']}.{_DECODER}"
        self.width: int = info["width"]
        self.height: int = info["height"]
        self._name: str = info["file"]
        self._read = read
        self._memory = memory

    def read(self, level: int) -> Raster:
        """Linear RGB, halved `level` times."""
        if level == 0:
            return Raster(read_picture(self._read(), self._name).pixels)
        larger: Raster = self._memory.get(f"{self.key}/{level - 1}", lambda: self.read(level - 1))
        return Raster(shrink(larger.pixels, 2))


def describe(picture: Picture, blob: str, length: int, name: str) -> dict[str, Any]:
    """What the database keeps of a capture."""
    height, width = picture.pixels.shape[:2]
    return {
        "blob": blob,
        "file": name,
        "bytes": length,
        "format": picture.format,
        "width": width,
        "height": height,
        "bits": picture.bits,
        "floating": picture.floating,
        "notes": list(picture.notes),
        "findings": triage(picture.pixels, bits=picture.bits, floating=picture.floating),
    }
