"""Two photographs of one view in two lights: how they differ tells slopes without colour.

Where one light is to the left and one to the right, albedo cancels in their ratio, and what is left rises with the
slope toward the first. Source: Horn, Woodham & Silver, "Determining shape and reflectance using multiple images", MIT
AI Memo 490, 1978 (ratios of images under different lights are independent of albedo).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.raking import Raking, raking

# What both photographs' exposure and fall-off do is slower than this, in tile widths; the least light believed.
_SLOW, _DARKEST = 0.06, 3e-3
# From how clear an axis on it is believed, and how much it counts then at least.
_LEAST_STRENGTH, _LEAST_FIT, _LEAST_WEIGHT = 0.25, 0.35, 0.3


def log_ratio(one: Pixels, other: Pixels, tile: float, *, wraps: bool = True) -> Pixels:
    """(H, W): log of how much more light a place has in one picture than in the other, exposure and slow light aside.
    one, other: (H, W, 3) linear. tile: px of a tile width."""
    logs = [np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), _DARKEST)) for pixels in (one, other)]
    ratio = np.ascontiguousarray(logs[0] - logs[1], np.float32)
    return np.asarray(ratio - blur(ratio, _SLOW * tile, wraps=wraps, fast=True), np.float32)


def difference_of_lights(one: Pixels, other: Pixels, tile: float) -> Pixels:
    """(H, W) in −1..1: difference over sum of two pictures that wrap, which rises with the slope toward the first's
    light. one, other, tile: as for log_ratio()."""
    return np.asarray(np.tanh(0.5 * log_ratio(one, other, tile)), np.float32)


def axis_of_two(difference: Pixels) -> Raking:
    """The axis along which two lights lie apart, told by how their photographs differ; either end may be the first's.
    difference: as difference_of_lights() gives it. There is no colour in it, so less is needed to believe it."""
    grey = np.repeat(np.exp(difference)[..., None] * np.float32(0.3), 3, -1)
    axis = raking(np.ascontiguousarray(grey, np.float32))
    seen = axis.strength >= _LEAST_STRENGTH and axis.fit >= _LEAST_FIT
    return replace(axis, weight=max(axis.weight, _LEAST_WEIGHT)) if seen else axis


def middle_light(one: Pixels, other: Pixels) -> Pixels:
    """(H, W, 3) linear: the geometric mean of two pictures, lit from both sides."""
    return np.asarray(np.sqrt(np.maximum(one, 0) * np.maximum(other, 0)), np.float32)
