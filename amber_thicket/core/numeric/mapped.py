"""Pixels that lie in a file and are read as they are looked at (mmap(2))."""

from __future__ import annotations

import mmap
from typing import Any

from amber_thicket.core.raster import Pixels


def mapped_from(pixels: Pixels) -> mmap.mmap | None:
    """The mapping that pixels are a view of; None for pixels in memory."""
    held: Any = pixels
    while held is not None and not isinstance(held, mmap.mmap):
        held = held.obj if isinstance(held, memoryview) else getattr(held, "base", None)
    return held


def release_pages(pixels: Pixels) -> None:
    """Give back the memory of pixels mapped from a file (madvise(2), MADV_DONTNEED); they are read again when somebody
    looks at them. Nothing happens to others."""
    held = mapped_from(pixels)
    if held is not None and hasattr(mmap, "MADV_DONTNEED"):
        held.madvise(mmap.MADV_DONTNEED)
