"""The height told by the colour, by size of structure: how much of each size counts, and how it is spread."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

# Standard deviations, as fractions of the tile width, at which one size band ends and the next begins.
EDGES = (0.0022, 0.0045, 0.009, 0.02, 0.05)
BANDS = ("finest", "fine", "small", "medium", "large", "largest")


def _gain(default: float, label: str, size: str) -> float:
    value: float = setting(
        default,
        ge=0,
        le=3,
        step=0.05,
        unit="×",
        label=label,
        help=f"How strongly structure of {size} of the tile width counts as height.",
    )
    return value


def _contrast(label: str) -> float:
    value: float = setting(
        1.0,
        ge=0.3,
        le=3,
        step=0.05,
        unit="×",
        folded=True,
        label=f"{label}, contrast",
        help="Under 1 the faint structure of this size counts as much as the bold, over 1 the bold stands out alone.",
    )
    return value


class Settings(OperationSettings):
    finest: float = _gain(0.8, "Finest", "under 1 %")
    fine: float = _gain(1.0, "Fine", "1–2 %")
    small: float = _gain(1.0, "Small", "2–4 %")
    medium: float = _gain(1.0, "Medium", "4–8 %")
    large: float = _gain(0.9, "Large", "8–20 %")
    largest: float = _gain(0.7, "Largest", "over 20 %")
    finest_contrast: float = _contrast("Finest")
    fine_contrast: float = _contrast("Fine")
    small_contrast: float = _contrast("Small")
    medium_contrast: float = _contrast("Medium")
    large_contrast: float = _contrast("Large")
    largest_contrast: float = _contrast("Largest")


def _split(cue: Pixels, frame: Frame) -> Iterator[Pixels]:
    """The field of each band, finest first."""
    rest = cue
    for fraction in EDGES:
        softer = blur(cue, fraction * frame.tile_width, wraps=True)
        yield rest - softer
        rest = softer
    yield rest - np.float32(cue.mean())


_CONTRASTS = tuple(f"{name}_contrast" for name in BANDS)


def decide_bands(cue: Raster, *, frame: Frame, **settings: float) -> tuple[float, ...]:
    """How strong each band is, root mean square; nothing where no contrast asks for it."""
    if all(settings[name] == 1 for name in _CONTRASTS):
        return ()
    return tuple(float(np.sqrt(np.vdot(band, band) / band.size)) for band in _split(cue.pixels, frame))


def bands(cue: Raster, *, frame: Frame, decided: tuple[float, ...], **settings: float) -> Raster:
    """Sum of the size bands of the height told, each times its gain; (H, W), mean about 0."""
    if not decided:
        return Raster(_weighed(cue.pixels, frame, [settings[name] for name in BANDS]), evidence=dict(cue.evidence))
    result = np.zeros_like(cue.pixels)
    for name, band, strength in zip(BANDS, _split(cue.pixels, frame), decided, strict=True):
        contrast = settings[f"{name}_contrast"]
        if contrast != 1:
            size = np.abs(band) / np.float32(max(strength, 1e-9))
            band = np.sign(band) * size ** np.float32(contrast) * np.float32(strength)
        result += np.float32(settings[name]) * band
    return Raster(result, evidence=dict(cue.evidence))


def _weighed(cue: Pixels, frame: Frame, gains: list[float]) -> Pixels:
    """Sum of the bands times their gains. A band is the difference of two smoothings, so each of those counts by how
    far the gain steps there."""
    result = cue * np.float32(gains[0])
    result -= np.float32(gains[-1] * float(cue.mean()))
    for fraction, finer, coarser in zip(EDGES, gains[:-1], gains[1:], strict=True):
        if coarser != finer:
            cv2.scaleAdd(blur(cue, fraction * frame.tile_width, wraps=True), coarser - finer, result, result)
    return result


OPERATION = Operation(
    id="relief.bands",
    label="Detail by size",
    help="How much each size of structure counts as height.",
    settings=Settings,
    reads=("previous",),
    writes="banded",
    apply=bands,
    decide=decide_bands,
    decides_by=_CONTRASTS,
    version=2,
)
