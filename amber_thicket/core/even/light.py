"""Large-scale light: lamp fall-off, vignetting, a window at one side."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.colour import log_luminance, multiplied
from amber_thicket.core.numeric.filters import blur, enlarge, shrink
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

_GRID = 128
_DARK = 1e-3


class Settings(OperationSettings):
    amount: float = setting(
        80.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Large-scale light",
        help="Takes out slow changes of brightness across the picture; colours keep their hue.",
    )
    size: float = setting(
        22.0,
        ge=4,
        le=80,
        step=1,
        unit="% of tile",
        label="Light size",
        help="Changes wider than this count as light; narrower ones stay.",
    )


def _surface_terms(height: int, width: int) -> Pixels:
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = (x + 0.5) / width * 2 - 1, (y + 0.5) / height * 2 - 1
    return np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1)


def _surface(small: Pixels) -> Pixels:
    """The quadratic surface that comes nearest, (H, W)."""
    terms = _surface_terms(*small.shape)
    flat = terms.reshape(-1, 6)
    weights = np.linalg.solve(flat.T @ flat, flat.T @ small.reshape(-1))
    return np.asarray((flat @ weights.astype(np.float32)).reshape(small.shape))


def decide_light(squared: Raster, *, frame: Frame, amount: float, size: float) -> Pixels:
    """Log of the light across the picture, mean 0, on a coarse grid.

    A quadratic surface takes the slope that runs through the edges, where smoothing alone would be
    biased; smoothing the rest follows what a quadratic cannot. Round the edges of a tile no slope can run through.
    """
    tone = log_luminance(squared.pixels, _DARK)
    factor = max(1, min(tone.shape) // _GRID)
    small = shrink(tone, factor)
    surface = np.float32(small.mean()) * np.ones_like(small) if frame.wraps else _surface(small)
    light = surface + blur(small - surface, frame.length(size) / factor, wraps=frame.wraps)
    result: Pixels = (light - light.mean()).astype(np.float32)
    return result


def light(squared: Raster, *, frame: Frame, decided: Pixels, amount: float, size: float) -> Raster:
    """The picture divided by its large-scale light to the power of amount. Linear RGB in and out."""
    # Slow enough that it makes no difference whether the light or its power is enlarged.
    gain = enlarge(
        np.exp(decided * np.float32(-amount / 100)), frame.height, frame.width, wraps=frame.wraps, cubic=True
    )
    return Raster(
        multiplied(squared.pixels, gain),
        evidence={"fall_off": round(float(np.exp(decided.max() - decided.min())), 3)},
    )


OPERATION = Operation(
    id="even.light",
    label="Large-scale light",
    help="Slow changes of brightness across the picture.",
    settings=Settings,
    reads=("previous",),
    apply=light,
    idle=lambda s: s.amount == 0,
    decide=decide_light,
    decides_by=("size",),
)
