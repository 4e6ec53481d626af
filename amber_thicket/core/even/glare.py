"""Glare: mirrored light, found by being much brighter and whiter than what surrounds it, and rebuilt from that.

Specks are filled smoothly from their rims; larger places are covered with parts of the picture that go on what lies
around them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from amber_thicket.core.even._round import with_margin, without_margin
from amber_thicket.core.numeric.colour import (
    logarithm,
    luminance_of,
    srgb_to_linear,
)
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, fill_by_normalized_convolution, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.mix import mix
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.numeric.quantiles import quantiles
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.mirrored import mirrored_on_dark
from amber_thicket.core.synthesis.cut import features
from amber_thicket.core.synthesis.fill import covering, patched
from amber_thicket.core.synthesis.mosaic import Mosaic
from amber_thicket.core.synthesis.patch_search import find_steps
from amber_thicket.core.synthesis.patchwork import Mask

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
    tone, colour = np.empty(pixels.shape[:2], np.float32), np.empty(pixels.shape[:2], np.float32)
    over_rows(partial(_told, np.ascontiguousarray(pixels, np.float32), tone, colour), len(tone))
    around = np.minimum(tone, np.float32(quantiles(tone, (0.9,))[0]))
    soft, usual = (blur(field, _AROUND * tile, wraps=False) for field in (around, colour))
    limit = 1.5 - 1.2 * amount / 100
    limits = np.array([limit, 1.3 * limit, *np.log(srgb_to_linear(np.array([_BRIGHT, _SURE])))], np.float32)
    faint, sure = np.empty(tone.shape, np.uint8), np.empty(tone.shape, np.bool_)
    over_rows(partial(_stand_out, tone, soft, colour, usual, limits, faint, sure), len(tone))
    count, labels = cv2.connectedComponents(faint)
    held = np.bincount(labels[sure], minlength=count) >= max(3.0, (0.003 * tile) ** 2)
    held[0] = False
    beyond_doubt = held[labels] if held.any() else np.zeros(labels.shape, bool)
    return np.asarray(beyond_doubt | mirrored_on_dark(pixels, tile, limit))


@compiled(loose=True)
def _told(pixels, tone, colour, first, last):  # type: ignore[no-untyped-def]
    """Logarithm of the luminance, and how coloured each place is, 0..1."""
    dark = np.float32(1e-4)
    for y in range(first, last):
        here, bright, pure = pixels[y].reshape(3 * tone.shape[1]), tone[y], colour[y]
        for x in range(len(bright)):
            red, green, blue = here[3 * x], here[3 * x + 1], here[3 * x + 2]
            high, low = max(max(red, green), blue), min(min(red, green), blue)
            bright[x] = logarithm(max(luminance_of(red, green, blue), dark))
            pure[x] = (high - low) / max(high, dark)


@compiled(loose=True)
def _stand_out(tone, soft, colour, usual, limits, faint, sure, first, last):  # type: ignore[no-untyped-def]
    """Places brighter and paler than what lies around, and those of them that are bright beyond doubt: a glare counts
    only where some of it is. limits: how far above, faint and sure, and how bright at least, both as logarithms."""
    for y in range(first, last):
        here, around, pure, other, to, beyond = tone[y], soft[y], colour[y], usual[y], faint[y], sure[y]
        for x in range(len(here)):
            rise = here[x] - around[x]
            # Mirrored light is white: less coloured than what lies around, or as grey where nothing has a colour.
            pale = pure[x] < np.float32(0.8) * other[x] + np.float32(0.04)
            told = (rise > limits[0]) & pale & (here[x] > limits[2])
            to[x] = told
            beyond[x] = told & (rise > limits[1]) & (here[x] > limits[3])


def decide_glare(evened: Raster, *, frame: Frame, amount: float, margin: float) -> Found:
    """Where glare lies, and what takes its place; of a tile, with a margin of what lies round its edges."""
    if frame.wraps:
        evened, frame = with_margin(evened, frame)
    pixels = evened.pixels
    mask = glare_mask(pixels, frame.tile_width, amount)
    if not mask.any():
        return Found(np.zeros((1, 1), np.float32), pixels[:1, :1], None, 0.0)
    size = 2 * max(1, round(frame.length(margin))) + 1
    wide = cv2.dilate(mask.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(wide)
    long = np.maximum(boxes[:, cv2.CC_STAT_WIDTH], boxes[:, cv2.CC_STAT_HEIGHT]) - size
    large = long > _SPECK * frame.tile_width
    large[0] = False
    # The largest places are rebuilt from other parts, as many as can be done in a moment; the rest is filled smoothly.
    order = np.argsort(-boxes[:, cv2.CC_STAT_AREA] * large)
    large[order[_PLACES:]] = False
    unfit: Mask = large[labels] if large.any() else np.zeros(labels.shape, bool)
    specks = ((wide > 0) & ~unfit).astype(np.float32)
    plan = None
    if wide.mean() > _MOST:
        # That much is no glare, but a bright material.
        return Found(np.zeros_like(specks), pixels[:1, :1], None, round(float(mask.mean()), 5))
    if unfit.any():
        plan = covering(features(pixels), unfit, find_steps(pixels), unfit=wide > 0)
    return Found(specks, _filled_in(pixels, wide > 0, size), plan, round(float(mask.mean()), 5))


def _filled_in(pixels: Pixels, mask: Mask, reach: int) -> Pixels:
    """The picture with masked places filled smoothly from around, at half size."""
    small, weight = shrink(pixels, 2), shrink(1 - mask.astype(np.float32), 2)
    weight[weight < 0.99] = 0
    return fill_by_normalized_convolution(
        small, weight, [max(step * reach, 0.6) for step in (4.0, 2.0, 1.0, 0.5, 0.25)]
    )


def glare(evened: Raster, *, frame: Frame, decided: Found, amount: float, margin: float) -> Raster:
    """Linear RGB with glare rebuilt."""
    if frame.wraps:
        wide, around = with_margin(evened, frame)
        return without_margin(glare(wide, frame=around, decided=decided, amount=amount, margin=margin), frame)
    pixels = evened.pixels
    size = (frame.width, frame.height)
    if decided.specks.any():
        soft = blur(decided.specks, 0.8, wraps=False)
        share = cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR)
        pixels = mix(pixels, cv2.resize(decided.fill, size, interpolation=cv2.INTER_LINEAR), share)
    if decided.plan:
        pixels = np.maximum(patched(pixels, decided.plan), 0)
    return Raster(np.asarray(pixels, np.float32), evidence={"share": decided.share})


OPERATION = Operation(
    id="even.glare",
    label="Glare",
    help="Mirrored light, rebuilt from what lies around it.",
    settings=Settings,
    tags=("takes_light_out",),
    reads=("previous",),
    apply=glare,
    decide=decide_glare,
    idle=lambda s: s.amount == 0,
    version=2,
)
