"""Height from banded tone: levels, and a depth that gives the wanted steepness."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.slope import slopes
from amber_thicket.core.settings import OperationSettings, setting

_OUTLIERS = 0.1


class Settings(OperationSettings):
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


def _levelled(field: Pixels, floor: float, top: float, low: float, high: float, middle: float) -> Pixels:
    unit = (field - np.float32(floor)) / np.float32(max(top - floor, 1e-6))
    if low > 0 or high < 100:
        unit = (unit - np.float32(low / 100)) / np.float32(max(high - low, 1) / 100)
    unit = soft_clip(unit)
    return unit if middle == 1 else unit ** np.float32(1 / middle)


class Decided(NamedTuple):
    """floor, top: the field values that become 0 and 1. span: the depth that gives the steepness."""

    floor: float
    top: float
    span: float


def _unit(banded: Raster, floor: float, top: float, invert: bool, levels: dict[str, float]) -> Pixels:
    if invert:
        return _levelled(-banded.pixels, -top, -floor, **levels)
    return _levelled(banded.pixels, floor, top, **levels)


def decide_height(banded: Raster, *, frame: Frame, steepness: float, invert: bool, **levels: float) -> Decided:
    """What holds for every size: see Decided."""
    floor, top = (float(v) for v in np.percentile(banded.pixels[::2, ::2], (_OUTLIERS, 100 - _OUTLIERS)))
    room = 0.03 * (top - floor)
    floor, top = floor - room, top + room
    right, up = slopes(_unit(banded, floor, top, invert, levels), wraps=True)
    typical = float(np.sqrt((np.vdot(right, right) + np.vdot(up, up)) / right.size))
    span = steepness / max(typical * frame.tile_width, 1e-6)
    return Decided(floor, top, min(span, 1.0))


def height(banded: Raster, *, frame: Frame, decided: Decided, steepness: float, invert: bool, **levels: Any) -> Raster:
    """Height in [0, 1], white is high, with its span. banded: (H, W) tone that wraps."""
    floor, top, span = decided
    unit = _unit(banded, floor, top, invert, levels)
    evidence: dict[str, float] = {"depth_percent_of_tile": round(span * 100, 3)}
    if frame.tile_mm:
        evidence["depth_mm"] = round(span * frame.tile_mm, 3)
    return Raster(unit, span=span, evidence=evidence)


OPERATION = Operation(
    id="relief.height",
    label="Height",
    help="How high each point lies.",
    settings=Settings,
    reads=("banded",),
    writes="height",
    apply=height,
    decide=decide_height,
    version=2,
)
