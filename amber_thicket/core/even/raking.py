"""Takes the shading of low light out of the colour where no height is known: what the picture itself tells of it.

From which side the light comes is read from the spectrum; what of the tone varies along it, as relief would, is divided
out. Where the light comes from no one side nothing is changed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from amber_thicket.core.numeric.colour import log_luminance, with_gain
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.raking import Raking, material_floors, raking, slope_along

# How strong the shading may be, against its own spread; the part of it that is taken; the least light in a shadow.
_STRENGTHS, _PART, _LEAST, _DARK = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6), 0.75, 0.15, 1e-3
_LARGE = 60 / 768
# Slopes come to so many times their median size at the most.
_STEEPEST = 2.6


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Relief shading",
        help="Takes out the shading of low light that the picture itself tells of; nothing where no side lights it.",
    )
    reading: Literal["octaves", "first"] = setting(
        "octaves",
        label="Told from the material",
        choices={"octaves": "By octave", "first": "As in 0.1"},
        help="How shading is told from what the material has of its own: octave by octave, or as version 0.1 did.",
    )


@dataclass(frozen=True)
class Shaded:
    """light: where it comes from. spread: of the slopes toward it. strength: of the shading, in such spreads; 0 where
    the light comes from no one side. floors: as material_floors() gives them, or (). usual: median of the
    slopes' size."""

    light: Raking
    spread: float
    strength: float
    floors: tuple[float, ...] = ()
    usual: float = 1.0


def decide_raking(known: Raster, *, frame: Frame, amount: float, reading: str = "octaves") -> Shaded:
    """The light, and the strength of shading that explains the tone best."""
    light = raking(known.pixels)
    if light.weight == 0:
        return Shaded(light, 1.0, 0.0)
    floors = material_floors(known.pixels, light, frame.tile_width) if reading == "octaves" else ()
    slope = slope_along(known.pixels, light, frame.tile_width, floors, wraps=frame.wraps)
    usual = max(float(np.median(np.abs(slope))), 1e-9)
    slope = _held(slope, usual) if floors else slope
    spread = max(float(slope.std()), 1e-9)
    tone = log_luminance(known.pixels, _DARK)
    sigma = _LARGE * frame.tile_width
    costs = []
    for strength in _STRENGTHS:
        off = tone - np.log(np.maximum(1 + strength / spread * slope, _LEAST))
        off = off - blur(np.ascontiguousarray(off, np.float32), sigma, wraps=frame.wraps, fast=True)
        costs.append(float(np.abs(off - np.median(off)).mean()))
    return Shaded(light, spread, _STRENGTHS[int(np.argmin(costs))], floors, usual)


def _held(slope: Pixels, usual: float) -> Pixels:
    """Slopes without the steps of the material's own tone, which would ring on along the light as pale and dark
    patches. usual: median of their size."""
    most = np.float32(_STEEPEST * usual)
    result: Pixels = most * np.tanh(slope / most)
    return result


def shading(known: Raster, *, frame: Frame, decided: Shaded, amount: float, **_: object) -> Raster:
    """Linear RGB divided by the shading found, by amount per cent."""
    evidence = {"strength": decided.strength, "bearing": decided.light.bearing, "fit": decided.light.fit}
    if decided.strength == 0:
        return Raster(known.pixels, evidence=evidence)
    slope = slope_along(known.pixels, decided.light, frame.tile_width, decided.floors, wraps=frame.wraps)
    slope = _held(slope, decided.usual) if decided.floors else slope
    light = np.maximum(1 + np.float32(decided.strength / decided.spread) * slope, _LEAST)
    return Raster(with_gain(known.pixels, np.log(light) * np.float32(-_PART * amount / 100)), evidence=evidence)


OPERATION = Operation(
    id="even.raking",
    label="Relief shading",
    help="Shading of low light, read from the picture itself.",
    settings=Settings,
    tags=("takes_light_out",),
    reads=("previous",),
    apply=shading,
    decide=decide_raking,
    decides_by=("reading",),
    idle=lambda s: s.amount == 0,
    version=2,
)
