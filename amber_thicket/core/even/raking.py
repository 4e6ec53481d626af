"""Takes the shading of low light out of the colour where no height is known: what the picture itself tells of it.

From which side the light comes is read from the spectrum; what of the tone varies along it, as relief would, is divided
out. Where the light comes from no one side nothing is changed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amber_thicket.core.numeric.colour import log_luminance, with_gain
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.raking import Raking, raking, slope_along

# How strong the shading may be, against its own spread; the part of it that is taken; the least light in a shadow.
_STRENGTHS, _PART, _LEAST, _DARK = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6), 0.75, 0.15, 1e-3
_LARGE = 60 / 768


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


@dataclass(frozen=True)
class Shaded:
    """light: where it comes from. spread: of the slopes toward it. strength: of the shading, in such spreads; 0 where
    the light comes from no one side."""

    light: Raking
    spread: float
    strength: float


def decide_raking(known: Raster, *, frame: Frame, amount: float) -> Shaded:
    """The light, and the strength of shading that explains the tone best."""
    light = raking(known.pixels)
    if light.weight == 0:
        return Shaded(light, 1.0, 0.0)
    slope = slope_along(known.pixels, light, frame.tile_width, wraps=frame.wraps)
    spread = max(float(slope.std()), 1e-9)
    tone = log_luminance(known.pixels, _DARK)
    sigma = _LARGE * frame.tile_width
    costs = []
    for strength in _STRENGTHS:
        off = tone - np.log(np.maximum(1 + strength / spread * slope, _LEAST))
        off = off - blur(np.ascontiguousarray(off, np.float32), sigma, wraps=frame.wraps, fast=True)
        costs.append(float(np.abs(off - np.median(off)).mean()))
    return Shaded(light, spread, _STRENGTHS[int(np.argmin(costs))])


def shading(known: Raster, *, frame: Frame, decided: Shaded, amount: float) -> Raster:
    """Linear RGB divided by the shading found, by amount per cent."""
    evidence = {"strength": decided.strength, "bearing": decided.light.bearing, "fit": decided.light.fit}
    if decided.strength == 0:
        return Raster(known.pixels, evidence=evidence)
    slope = slope_along(known.pixels, decided.light, frame.tile_width, wraps=frame.wraps)
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
    decides_by=(),
    idle=lambda s: s.amount == 0,
)
