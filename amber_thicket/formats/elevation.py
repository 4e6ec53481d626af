"""Bytes of a depth map or of elevation data to its own numbers. Sources: OGC, "GeoTIFF standard", 1.1, 2019
(ModelPixelScaleTag 33550); GDAL's registered private tag 42113 (the value of places without data)."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats import apart
from amber_thicket.formats.picture import kind_of

_SCALE, _NO_DATA, _MODEL = 33550, 42113, 34735
_REMEDY = "Give a 16-bit or float picture of one channel: PNG, TIFF, GeoTIFF or OpenEXR."
# GeoTIFF: key 1024 says what the numbers of places are; 1 are lengths on a map, 2 degrees.
_MODEL_TYPE, _PROJECTED = 1024, 1


@dataclass(frozen=True)
class Elevation:
    """values: (H, W) float64, in the file's unit. missing: the value of places without data, None where there is none.
    pixel: metres of a px, 0 where the file does not say. notes: in words."""

    values: NDArray[np.float64]
    missing: float | None = None
    pixel: float = 0.0
    notes: tuple[str, ...] = field(default=())


def read_elevation(data: bytes, name: str) -> Elevation:
    """Raises UnreadableFile, TooLarge, each naming the file."""
    kind = kind_of(data)
    if kind is None or kind in ("jpeg", "raw", "gif"):
        raise UnreadableFile(f"{name} is no depth map we can read.", remedy=_REMEDY, file=name)
    codes = apart.decode(data, name, kind, as_stored=True).codes
    notes = []
    if codes.ndim == 3:
        first = codes[..., 0]
        colours = codes[..., : min(codes.shape[-1], 3)]
        if codes.shape[-1] > 2 and not (colours == first[..., None]).all():
            raise UnreadableFile(f"{name} is a coloured picture, no depth map.", remedy=_REMEDY, file=name)
        codes = first
    if codes.dtype == np.uint8:
        notes.append("8 bit: only 256 levels of height")
    missing, pixel = _geo_tags(data) if kind == "tiff" else (None, 0.0)
    return Elevation(codes.astype(np.float64), missing, pixel, tuple(notes))


def _geo_tags(data: bytes) -> tuple[float | None, float]:
    """(value without data, metres a px) that a GeoTIFF says. The picture was decoded before: it is one."""
    import tifffile

    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        tags = tiff.pages[0].tags  # type: ignore[union-attr]
        try:
            missing = float(str(tags[_NO_DATA].value).strip("\0 ")) if _NO_DATA in tags else None
            scale = _lengths(tags) if _SCALE in tags else 0.0
        except (ValueError, TypeError, IndexError):
            return None, 0.0
    return missing, scale


def _lengths(tags: Any) -> float:
    """Metres a px; 0 where places are told in degrees."""
    keys = list(tags[_MODEL].value) if _MODEL in tags else []
    told = {keys[k]: keys[k + 3] for k in range(4, len(keys) - 3, 4) if keys[k + 1] == 0}
    return float(tags[_SCALE].value[0]) if told.get(_MODEL_TYPE, _PROJECTED) == _PROJECTED else 0.0
