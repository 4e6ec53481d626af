"""Glare: mirrored light, found by being much brighter and whiter than what surrounds it, and rebuilt from that.

Specks are filled smoothly from their rims; larger places are covered with parts of the picture that go on what lies
around them.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb, extremes, luminance
from amber_thicket.core.numeric.filters import blur, carried_in, shrink
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.tile.cut import features
from amber_thicket.core.tile.fill import covering, patched
from amber_thicket.core.tile.lookalike import in_step
from amber_thicket.core.tile.mosaic import Mosaic
from amber_thicket.core.tile.patchwork import Mask

# Coded brightness from which on light can be mirrored; px of 768 up to which a place is a speck.
_BRIGHT, _SURE, _SPECK = 0.62, 0.8, 14 / 768
_AROUND, _MOST, _PLACES = 0.03, 0.25, 24


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Glare",
        help="Finds mirrored light and rebuilds what lies under it; more finds fainter glare.",
    )
    margin: float = setting(
        0.8,
        ge=0,
        le=3,
        step=0.1,
        unit="% of tile",
        label="Glare margin",
        help="How far round each place is rebuilt too.",
    )


@dataclass(frozen=True)
class Found:
    """specks: (h, w) float32 at plan size, 1 where a speck is filled with `fill`; plan: patches over larger places, or
    None. share: of the picture that is glare."""

    specks: Pixels
    fill: Pixels
    plan: Mosaic | None
    share: float

    @property
    def nbytes(self) -> int:
        return int(self.specks.nbytes + self.fill.nbytes + (self.plan.nbytes if self.plan else 0))


def glare_mask(pixels: Pixels, tile: float, amount: float) -> Mask:
    """Where light is mirrored. pixels: linear RGB; tile: px of one tile width; amount: 0..100, how faint it may be."""
    light = np.maximum(luminance(pixels), 1e-4)
    tone = np.log(light)
    around = np.ascontiguousarray(np.minimum(tone, np.percentile(tone, 90)), np.float32)
    rise = tone - blur(around, _AROUND * tile, wraps=False)
    high, low = extremes(pixels)
    colour = np.ascontiguousarray((high - low) / np.maximum(high, 1e-4), np.float32)
    # Mirrored light is white: less coloured than what lies around, or as grey as that where nothing has a colour.
    pale = colour < 0.8 * blur(colour, _AROUND * tile, wraps=False) + 0.04
    limit = 1.5 - 1.2 * amount / 100
    coded = encode_srgb(light)
    faint = (rise > limit) & pale & (coded > _BRIGHT)
    # A place counts only when some of it is bright beyond doubt.
    sure = faint & (rise > 1.3 * limit) & (coded > _SURE)
    count, labels = cv2.connectedComponents(faint.astype(np.uint8))
    held = np.bincount(labels[sure], minlength=count) >= max(3.0, (0.003 * tile) ** 2)
    held[0] = False
    return np.asarray(held[labels])


def decide_glare(evened: Raster, *, frame: Frame, amount: float, margin: float) -> Found:
    """Where glare lies, and what takes its place."""
    pixels = evened.pixels
    mask = glare_mask(pixels, frame.tile_width, amount)
    size = 2 * max(1, round(frame.length(margin))) + 1
    wide = cv2.dilate(mask.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(wide)
    long = np.maximum(boxes[:, cv2.CC_STAT_WIDTH], boxes[:, cv2.CC_STAT_HEIGHT]) - size
    large = long > _SPECK * frame.tile_width
    large[0] = False
    # The largest places are rebuilt from other parts, as many as can be done in a moment; the rest is filled smoothly.
    order = np.argsort(-boxes[:, cv2.CC_STAT_AREA] * large)
    large[order[_PLACES:]] = False
    unfit: Mask = large[labels]
    specks = ((wide > 0) & ~unfit).astype(np.float32)
    plan = None
    if wide.mean() > _MOST:
        # That much is no glare, but a bright material.
        return Found(np.zeros_like(specks), pixels[:1, :1], None, round(float(mask.mean()), 5))
    if unfit.any():
        plan = covering(features(pixels), unfit, in_step(pixels), unfit=wide > 0)
    return Found(specks, _filled_in(pixels, wide > 0, size), plan, round(float(mask.mean()), 5))


def _filled_in(pixels: Pixels, mask: Mask, reach: int) -> Pixels:
    """The picture with masked places filled smoothly from around, at half size."""
    small, weight = shrink(pixels, 2), shrink(np.where(mask, 0, 1).astype(np.float32), 2)
    weight = np.where(weight < 0.99, 0, weight).astype(np.float32)
    return carried_in(small, weight, [max(step * reach, 0.6) for step in (4.0, 2.0, 1.0, 0.5, 0.25)])


def glare(evened: Raster, *, frame: Frame, decided: Found, amount: float, margin: float) -> Raster:
    """Linear RGB with glare rebuilt."""
    pixels = evened.pixels
    size = (frame.width, frame.height)
    if decided.specks.any():
        soft = blur(decided.specks, 0.8, wraps=False)
        share = cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR)[..., None]
        pixels = pixels + share * (cv2.resize(decided.fill, size, interpolation=cv2.INTER_LINEAR) - pixels)
    if decided.plan:
        pixels = np.maximum(patched(pixels, decided.plan), 0)
    return Raster(np.asarray(pixels, np.float32), evidence={"share": decided.share})


OPERATION = Operation(
    id="even.glare",
    label="Glare",
    help="Mirrored light, rebuilt from what lies around it.",
    settings=Settings,
    reads=("evened_highlight",),
    writes="evened_glare",
    apply=glare,
    decide=decide_glare,
    idle=lambda s: s.amount == 0,
)
