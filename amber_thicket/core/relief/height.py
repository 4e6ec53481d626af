"""Height from banded tone: levels, and a depth that gives the wanted steepness."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.numeric.quantiles import quantiles
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.slope import integrated, slopes, typical_slope

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
    unit = field - np.float32(floor)
    unit *= np.float32(1 / max(top - floor, 1e-6))
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


def decide_height(banded: Raster, *, frame: Frame, steepness: float, invert: bool, **options: Any) -> Decided:
    """What holds for every size: see Decided."""
    levels = _levels_of(options)
    floor, top = quantiles(banded.pixels[::2, ::2], (_OUTLIERS / 100, 1 - _OUTLIERS / 100))
    room = 0.03 * (top - floor)
    floor, top = floor - room, top + room
    unit = _unit(banded, floor, top, invert, levels)
    return Decided(floor, top, _span_for(unit, frame, steepness))


def _span_for(unit: Pixels, frame: Frame, steepness: float) -> float:
    """The depth, in tile widths, at which heights in [0, 1] have the wanted typical slope."""
    return min(steepness / max(typical_slope(unit) * frame.tile_width, 1e-6), 1.0)


def height(banded: Raster, *, frame: Frame, decided: Decided, steepness: float, invert: bool, **options: Any) -> Raster:
    """Height in [0, 1], white is high, with its span. banded: (H, W) tone that wraps."""
    floor, top, span = decided
    return _with_depth(_unit(banded, floor, top, invert, _levels_of(options)), span, frame, banded.evidence)


def _levels_of(options: dict[str, Any]) -> dict[str, float]:
    return {name: options[name] for name in ("low", "high", "middle")}


def _with_depth(unit: Pixels, span: float, frame: Frame, told: dict[str, Any]) -> Raster:
    evidence: dict[str, Any] = {"depth_percent_of_tile": round(span * 100, 3)}
    if frame.tile_mm:
        evidence["depth_mm"] = round(span * frame.tile_mm, 3)
    return Raster(unit, span=span, evidence=evidence | told)


def decide_given(given: Raster, normal: Raster | None, *, frame: Frame, **settings: Any) -> Decided:
    """Heights that were brought stay as they are. How deep they reach somebody said, or the normal map beside them
    says, or the steepness that is wanted."""
    deep = settings["maps"].height_mm
    if deep and frame.tile_mm:
        return Decided(0.0, 1.0, min(deep / frame.tile_mm, 1.0))
    if normal is None:
        unit = _unit(given, 0.0, 1.0, settings["invert"], _levels_of(settings))
        return Decided(0.0, 1.0, _span_for(unit, frame, settings["steepness"]))
    right, up = slopes(given.pixels, wraps=True)
    z = np.maximum(normal.pixels[..., 2], 0.05)
    asked = -(right * normal.pixels[..., 0] + up * normal.pixels[..., 1]) / z
    depth = float(asked.sum()) / max(float((right * right + up * up).sum()), 1e-12)
    return Decided(0.0, 1.0, min(abs(depth) / frame.tile_width, 1.0))


def given_height(given: Raster, normal: Raster | None, *, frame: Frame, decided: Decided, **settings: Any) -> Raster:
    """The height map that was brought: its very values, unless the levels are changed."""
    low, high, middle = settings["low"], settings["high"], settings["middle"]
    unit = 1 - given.pixels if settings["invert"] else given.pixels
    if low > 0 or high < 100:
        unit = (unit - np.float32(low / 100)) / np.float32(max(high - low, 1) / 100)
    unit = unit.clip(0, 1)
    return _with_depth(unit if middle == 1 else unit ** np.float32(1 / middle), decided.span, frame, {})


class Integrated(NamedTuple):
    """What integration at plan size found, in tile widths: the heights that become 0 and 1."""

    floor: float
    top: float


def decide_integrated(normal: Raster, *, frame: Frame, **_: Any) -> Integrated:
    """Range of the surface the normals describe, with a little room."""
    field = integrated(normal.pixels) / np.float32(frame.tile_width)
    low, high = float(field.min()), float(field.max())
    room = max(0.02 * (high - low), 1e-6)
    return Integrated(low - room, high + room)


def height_of_normals(
    normal: Raster, *, frame: Frame, decided: Integrated, steepness: float, invert: bool, **options: Any
) -> Raster:
    """Height by integrating the normal map that was brought: the two are views of one surface."""
    field = Raster(integrated(normal.pixels) / np.float32(frame.tile_width))
    return height(
        field,
        frame=frame,
        decided=Decided(decided.floor, decided.top, min(decided.top - decided.floor, 1.0)),
        steepness=steepness,
        invert=invert,
        **options,
    )


def _matters(options: dict[str, Any]) -> Any:
    return [options[name] for name in Settings.model_fields] + [options["maps"].height_mm]


OPERATION = Operation(
    id="relief.height",
    label="Height",
    help="How high each point lies.",
    settings=Settings,
    reads=("previous",),
    apply=height,
    decide=decide_height,
    given=(
        ExistingMap("height", given_height, decide_given, beside=("normal",)),
        ExistingMap("normal", height_of_normals, decide_integrated),
    ),
    also=("gather.maps",),
    matters=_matters,
    version=3,
)
