"""Prefiltered surroundings as the page fetches them, kept in the data folder once made."""

from __future__ import annotations

import struct
from functools import lru_cache
from pathlib import Path

import numpy as np

from amber_thicket.core.lit.surroundings import HEIGHT, NAMES, ROUGHNESS, WIDTH, prefiltered, radiance
from amber_thicket.errors import NotFound

_VERSION = 1


@lru_cache(maxsize=4)
def surroundings_bytes(folder: Path, name: str) -> bytes:
    """Little endian: 4 uint32 (width, height of a level, levels, 9), 27 float32 harmonics, then RGBA half floats."""
    if name not in NAMES:
        raise NotFound(f"There are no surroundings “{name[:40]}”.", remedy=f"Known: {', '.join(NAMES)}.")
    kept = folder / "cache" / f"surroundings-{name}-{_VERSION}.bin"
    if kept.exists():
        return kept.read_bytes()
    made = prefiltered(radiance(name))
    rgba = np.concatenate([made.levels, np.ones((*made.levels.shape[:2], 1), np.float32)], -1)
    data = (
        struct.pack("<4I", WIDTH, HEIGHT, len(ROUGHNESS), 9)
        + made.harmonics.astype("<f4").tobytes()
        + rgba.astype("<f2").tobytes()
    )
    kept.parent.mkdir(parents=True, exist_ok=True)
    aside = kept.with_suffix(".new")
    aside.write_bytes(data)
    aside.replace(kept)
    return data
