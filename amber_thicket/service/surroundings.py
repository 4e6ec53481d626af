"""Prefiltered surroundings as the page fetches them, kept in the data folder once made."""

from __future__ import annotations

import contextlib
import hashlib
import re
import struct
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.core.lit.surroundings import HEIGHT, NAMES, ROUGHNESS, WIDTH, Surroundings, prefiltered, radiance
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import NotFound, UnreadableFile
from amber_thicket.formats import apart
from amber_thicket.formats.picture import read_picture
from amber_thicket.formats.radiance import START as RADIANCE
from amber_thicket.store.disk import write_whole

_VERSION = 1
_OWN = re.compile("own-[0-9a-f]{16}")
_MEAN = 0.45


@lru_cache(maxsize=4)
def surroundings_bytes(folder: Path, name: str) -> bytes:
    """Little endian: 4 uint32 (width, height of a level, levels, 9), 27 float32 harmonics, then RGBA half floats.

    name: one of NAMES, or what own_surroundings answered. Raises NotFound.
    """
    if name not in NAMES and not _OWN.fullmatch(name):
        raise NotFound(f"There are no surroundings “{name[:40]}”.", remedy=f"Known: {', '.join(NAMES)}.")
    kept = folder / "cache" / f"surroundings-{name}-{_VERSION}.bin"
    if kept.exists():
        return kept.read_bytes()
    if name not in NAMES:
        raise NotFound("These surroundings are gone.", remedy="Open the file again.")
    data = _as_bytes(prefiltered(radiance(name)))
    # Without room on the disk they are made anew next time.
    with contextlib.suppress(OSError):
        write_whole(kept, data)
    return data


def radiance_of(folder: Path, name: str) -> Pixels:
    """(H, W, 3) radiance all round: of built-in surroundings as it is, of one's own as fine as it is kept.

    Raises NotFound.
    """
    if name in NAMES:
        return radiance(name, 512, 256)
    data = surroundings_bytes(folder, name)
    width, height, count, terms = struct.unpack("<4I", data[:16])
    levels = np.frombuffer(data, "<f2", offset=16 + 12 * terms).reshape(count, height, width, 4)
    return np.ascontiguousarray(levels[0, ..., :3], np.float32)


def own_surroundings(folder: Path, data: bytes, file_name: str) -> str:
    """Makes surroundings of a panorama (equirectangular: twice as wide as high) and answers their name.

    Radiance HDR and OpenEXR hold light as it is; other pictures are taken as lit by what they show. Raises
    UnreadableFile, TooLarge.
    """
    source = _panorama(data, file_name)
    height, width = source.shape[:2]
    if not 1.8 <= width / height <= 2.2:
        raise UnreadableFile(
            f"{file_name} is {width} × {height} px: no panorama.",
            remedy="Give one of all directions, twice as wide as high.",
            file=file_name,
        )
    small = cv2.resize(np.ascontiguousarray(source), (512, 256), interpolation=cv2.INTER_AREA)
    # The mean is brought to that of the built-in ones, so that the exposure fits.
    light = small.clip(0, 500) * np.float32(_MEAN / max(float(small.clip(0, 20).mean()), 1e-6))
    name = f"own-{hashlib.sha256(data).hexdigest()[:16]}"
    write_whole(folder / "cache" / f"surroundings-{name}-{_VERSION}.bin", _as_bytes(prefiltered(light)))
    return name


def _panorama(data: bytes, file_name: str) -> Pixels:
    if data.startswith(RADIANCE):
        return apart.read_radiance(data, file_name).codes
    return read_picture(data, file_name).pixels


def _as_bytes(made: Surroundings) -> bytes:
    rgba = np.concatenate([made.levels, np.ones((*made.levels.shape[:2], 1), np.float32)], -1)
    return (
        struct.pack("<4I", WIDTH, HEIGHT, len(ROUGHNESS), 9)
        + made.harmonics.astype("<f4").tobytes()
        + rgba.clip(0, 60000).astype("<f2").tobytes()
    )
