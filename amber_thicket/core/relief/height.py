"""Height from the tone of the tile, by size of structure."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb, luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.slope import slopes
from amber_thicket.core.settings import OperationSettings, setting

# Standard deviations, as fractions of the tile width, at which one size band ends and the next begins.
EDGES = (0.0022, 0.0045, 0.009, 0.02, 0.05)
BANDS = ("finest", "fine", "small", "medium", "large", "largest")
_OUTLIERS = 0.1


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
    steepness: float = setting(
        0.45,
        ge=0.02,
        le=3,
        step=0.05,
        unit="×",
        label="Steepness",
        help="Typical rise per run of the surface; normal, occlusion and displacement all follow it.",
    )
    invert: bool = setting(False, label="Invert", help="Makes dark high and bright low.")
    low: float = setting(
        0.0, ge=0, le=95, step=1, unit="%", folded=True, label="Lowest", help="Heights under this become the floor."
    )
    high: float = setting(
        100.0, ge=5, le=100, step=1, unit="%", folded=True, label="Highest", help="Heights over this become the top."
    )
    middle: float = setting(
        1.0,
        ge=0.2,
        le=5,
        step=0.05,
        unit="×",
        folded=True,
        label="Middle",
        help="Bends the middle heights up (above 1) or down (below 1).",
    )


def _banded(base_color: Raster, frame: Frame, gains: tuple[float, ...]) -> Pixels:
    """Sum of the size bands of gamma-coded luminance, each times its gain; mean about 0."""
    tone = encode_srgb(luminance(base_color.pixels))
    result = np.zeros_like(tone)
    rest = tone
    for fraction, gain in zip(EDGES, gains[:-1], strict=True):
        softer = blur(tone, fraction * frame.tile_width, wraps=True)
        result += np.float32(gain) * (rest - softer)
        rest = softer
    return result + np.float32(gains[-1]) * (rest - tone.mean())


def _levelled(field: Pixels, floor: float, top: float, low: float, high: float, middle: float) -> Pixels:
    unit = (field - np.float32(floor)) / np.float32(max(top - floor, 1e-6))
    if low > 0 or high < 100:
        unit = (unit - np.float32(low / 100)) / np.float32(max(high - low, 1) / 100)
    unit = soft_clip(unit)
    return unit if middle == 1 else unit ** np.float32(1 / middle)


def _gains(values: dict[str, float]) -> tuple[float, ...]:
    return tuple(values[band] for band in BANDS)


class Decided(NamedTuple):
    """floor, top: the field values that become 0 and 1. span: the depth that gives the steepness.
    field: the banded tone at plan size, so that a preview of that size need not compute it again."""

    floor: float
    top: float
    span: float
    field: Pixels


def decide_height(
    base_color: Raster,
    *,
    frame: Frame,
    steepness: float,
    invert: bool,
    low: float,
    high: float,
    middle: float,
    **bands: float,
) -> Decided:
    """What holds for every size: see Decided."""
    field = _banded(base_color, frame, _gains(bands))
    floor, top = (float(v) for v in np.percentile(field[::2, ::2], (_OUTLIERS, 100 - _OUTLIERS)))
    room = 0.03 * (top - floor)
    floor, top = floor - room, top + room
    unit = _levelled(-field if invert else field, *_turned(floor, top, invert), low, high, middle)
    right, up = slopes(unit, wraps=True)
    typical = float(np.sqrt(np.mean(right * right + up * up)))
    span = steepness / max(typical * frame.tile_width, 1e-6)
    return Decided(floor, top, min(span, 1.0), field)


def _turned(floor: float, top: float, invert: bool) -> tuple[float, float]:
    return (-top, -floor) if invert else (floor, top)


def height(
    base_color: Raster,
    *,
    frame: Frame,
    decided: Decided,
    steepness: float,
    invert: bool,
    low: float,
    high: float,
    middle: float,
    **bands: float,
) -> Raster:
    """Height in [0, 1], white is high, with its span. base_color: linear RGB (H, W, 3) that wraps."""
    floor, top, span, planned = decided
    same = planned.shape == (frame.height, frame.width)
    field = planned if same else _banded(base_color, frame, _gains(bands))
    unit = _levelled(-field if invert else field, *_turned(floor, top, invert), low, high, middle)
    evidence: dict[str, float] = {"depth_percent_of_tile": round(span * 100, 3)}
    if frame.tile_mm:
        evidence["depth_mm"] = round(span * frame.tile_mm, 3)
    return Raster(unit, span=span, evidence=evidence)


OPERATION = Operation(
    id="relief.height",
    label="Height",
    help="How high each point lies, read from tone by size of structure.",
    settings=Settings,
    reads=("base_color",),
    writes="height",
    apply=height,
    decide=decide_height,
)
