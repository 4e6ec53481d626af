"""Layers in files without a name, for maps so large that memory cannot hold all steps to them at once."""

from __future__ import annotations

import mmap
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import IO
from weakref import WeakKeyDictionary

import numpy as np

from amber_thicket.core.numeric.mapped import mapped_from
from amber_thicket.core.raster import Pixels
from amber_thicket.store.disk import full

# Of the data folder.
SPILL_FOLDER = "spill"
# Bytes written at a time, so that who writes can be told to stop by the system.
_CHUNK = 1 << 26


# Which file a mapping somebody looks at is of.
_Opened = WeakKeyDictionary[mmap.mmap, "_InFile"]


@dataclass(frozen=True)
class _InFile:
    """Pixels in a file, which goes with the last who knows of it."""

    file: IO[bytes]
    shape: tuple[int, ...]
    opened: _Opened

    def open(self) -> Pixels:
        held = mmap.mmap(self.file.fileno(), 0)
        self.opened[held] = self
        return np.frombuffer(held, np.float32).reshape(self.shape)


class SpillFiles:
    """Files in a folder that nobody sees: they have no name, and are gone when the process is, however it ends."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._opened: _Opened = WeakKeyDictionary()

    def write(self, pixels: Pixels) -> _InFile:
        """Put float32 pixels into a file; those that come from one are in it. Raises WriteFailed where the disk is
        full."""
        mapping = mapped_from(pixels)
        known = self._opened.get(mapping) if mapping else None
        if known and pixels.shape == known.shape and pixels.flags.c_contiguous:
            return known
        held = np.ascontiguousarray(pixels, np.float32).reshape(-1).view(np.uint8)
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            # Closed by whoever has it last.
            file = tempfile.TemporaryFile(dir=self._folder, buffering=0)  # noqa: SIM115
            done = 0
            while done < len(held):
                done += file.write(held[done : done + _CHUNK].data)
        except OSError as error:
            raise full(self._folder, len(held)) from error
        return _InFile(file, pixels.shape, self._opened)
