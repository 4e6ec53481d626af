"""Shared by shadow and highlight: how far a place lies under or over its neighbourhood."""

from __future__ import annotations

from typing import NamedTuple

from amber_thicket.core.numeric.colour import log_luminance, with_gain
from amber_thicket.core.numeric.filters import blur, enlarge, guided, shrink
from amber_thicket.core.raster import Frame, Pixels, Raster

_GRID = 384
_DARK = 1e-3
_EDGE = 0.05


class Neighbourhood(NamedTuple):
    """Fields at a coarse grid: a·tone + b is the tone without fine detail, around is its neighbourhood."""

    a: Pixels
    b: Pixels
    around: Pixels


def tone_of(pixels: Pixels) -> Pixels:
    """Natural log of luminance, floored. (H, W, 3) linear RGB → (H, W)."""
    return log_luminance(pixels, _DARK)


def survey(raster: Raster, frame: Frame, size: float) -> Neighbourhood:
    """Decide, at plan size, what counts as detail and as neighbourhood. size: % of tile.

    raster: (H, W, 3) linear RGB.
    """
    tone = tone_of(raster.pixels)
    factor = max(1, min(tone.shape) // _GRID)
    small = shrink(tone, factor)
    sigma = frame.length(size) / factor
    a, b = guided(small, max(sigma / 4, 0.6), _EDGE, wraps=frame.wraps)
    around = blur(a * small + b, sigma * 2, wraps=frame.wraps)
    return Neighbourhood(a, b, around)


def departure(raster: Raster, frame: Frame, found: Neighbourhood) -> Pixels:
    """Detail-free log tone minus its neighbourhood, at frame size: below 0 in shadow, above in highlight.

    (H, W), natural log.
    """
    size = (frame.height, frame.width)
    a, b, around = (enlarge(field, *size, wraps=frame.wraps) for field in found)
    return a * tone_of(raster.pixels) + b - around


def scaled(raster: Raster, log_gain: Pixels) -> Raster:
    """The raster with a gain given as its logarithm. log_gain: (H, W), natural log."""
    return Raster(with_gain(raster.pixels, log_gain))
