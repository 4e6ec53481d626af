"""Tone of the tile, by size of structure: what height is read from."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb, luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
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


class Settings(OperationSettings):
    finest: float = _gain(0.35, "Finest", "under 1 %")
    fine: float = _gain(0.7, "Fine", "1–2 %")
    small: float = _gain(1.0, "Small", "2–4 %")
    medium: float = _gain(1.0, "Medium", "4–8 %")
    large: float = _gain(0.8, "Large", "8–20 %")
    largest: float = _gain(0.5, "Largest", "over 20 %")


def bands(base_color: Raster, *, frame: Frame, **gains: float) -> Raster:
    """Sum of the size bands of gamma-coded luminance, each times its gain; (H, W), mean about 0."""
    tone = encode_srgb(luminance(base_color.pixels))
    result = np.zeros_like(tone)
    rest = tone
    for fraction, band in zip(EDGES, BANDS, strict=False):
        softer = blur(tone, fraction * frame.tile_width, wraps=True)
        result += np.float32(gains[band]) * (rest - softer)
        rest = softer
    return Raster(result + np.float32(gains[BANDS[-1]]) * (rest - tone.mean()))


OPERATION = Operation(
    id="relief.bands",
    label="Detail by size",
    help="How much each size of structure counts as height.",
    settings=Settings,
    reads=("base_color",),
    writes="banded",
    apply=bands,
)
