"""How sharply an exposure bracket's glints stand out: what is smooth mirrors a lamp in few, very bright pixels.

One exposure burns its glints out, so that all look alike; merged from several, how bright they are is there to be
measured. A lobe that is half as wide is four times as bright (Walter et al., "Microfacet models for refraction through
rough surfaces", EGSR 2007). Diffuse light cannot stand far above what is around; only what does is looked at, and a
capture without it says nothing.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur, enlarge, pad, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings

# Looked at with so many px to a tile, grain below a share of it smoothed; what is around, and where a glint counts.
_WORK, _GRAIN, _AROUND, _NEAR = 768, 0.0015, 0.015, 0.012
# So far above what is around no diffuse light is, in times; there are glints where the brightest are so far above.
_ABOVE, _GLINTS, _BRIGHTEST = 2.2, 5.0, 99.95
_FAINT = 0.03
# Steps of a doubling of light, and the code of full light, in the 8 bits whose median is taken.
_STEPS, _FULL = 16, 210


class Settings(OperationSettings):
    pass


class Measure(NamedTuple):
    """What holds for every size: whether there are glints; mean and standard deviation of how they stand out."""

    there: bool
    middle: float
    spread: float


def from_exposures(merge: Any) -> bool:
    """Whether a capture is merged from exposures. merge: settings of gather.merge."""
    return merge.by == "exposure" and len(merge.frames) > 1


def above_surround(light: Pixels, tile: float) -> Pixels:
    """(H, W) how many times as bright as the median around it each place is. light: (H, W) linear that wraps. tile: px
    of a tile width."""
    soft = np.maximum(blur(light, _GRAIN * tile, wraps=True), 1e-5)
    codes = np.rint(np.log2(soft) * _STEPS + _FULL).clip(0, 255).astype(np.uint8)
    reach = max(1, round(_AROUND * tile))
    around = cv2.medianBlur(np.ascontiguousarray(pad(codes, reach, wraps=True)), 2 * reach + 1)
    inside = around[reach:-reach, reach:-reach].astype(np.float32)
    return np.asarray(soft / np.exp2((inside - np.float32(_FULL)) / np.float32(_STEPS)), np.float32)


def _standing_out(as_shot: Raster, frame: Frame) -> tuple[Pixels, Pixels]:
    """(times above what is around, how bright glints near each place are as a log of times), both at working size."""
    factor = max(1, round(frame.tile_width / _WORK))
    times = above_surround(np.ascontiguousarray(shrink(luminance(as_shot.pixels), factor)), frame.tile_width / factor)
    over = np.maximum(times - np.float32(_ABOVE), 0)
    near = _NEAR * frame.tile_width / factor
    first, second = (np.maximum(blur(part, near, wraps=True), 0) for part in (over, over * over))
    return times, np.log((second + np.float32(_FAINT)) / (first + np.float32(_FAINT)))


def decide_glints(as_shot: Raster | None, *, frame: Frame, **_: Any) -> Measure:
    if as_shot is None:
        return Measure(False, 0.0, 1.0)
    times, bright = _standing_out(as_shot, frame)
    there = float(np.percentile(times, _BRIGHTEST)) >= _GLINTS
    return Measure(there, float(bright.mean()), max(float(bright.std()), 1e-6))


def glints(as_shot: Raster | None, *, frame: Frame, decided: Measure, **_: Any) -> Raster:
    """(H, W) with mean 0 and standard deviation 1 over the tile, higher where glints are brighter; 0 everywhere where
    there are none, or the capture is no bracket. as_shot: linear RGB (H, W, 3) that wraps, before light is evened."""
    if as_shot is None or not decided.there:
        return Raster(np.zeros((frame.height, frame.width), np.float32), evidence={"glints": 0.0})
    bright = enlarge(_standing_out(as_shot, frame)[1], frame.height, frame.width, wraps=True)
    return Raster((bright - np.float32(decided.middle)) / np.float32(decided.spread), evidence={"glints": 1.0})


OPERATION = Operation(
    id="response.glints",
    label="Glints",
    help="How bright the glints of an exposure bracket are.",
    settings=Settings,
    reads=("tiled.as_shot",),
    writes="glints",
    apply=glints,
    decide=decide_glints,
    also=("gather.merge",),
    uses=lambda options: ("tiled.as_shot",) if from_exposures(options["merge"]) else (),
)
