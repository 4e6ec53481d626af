"""A cut-out: something that lies on an even ground and is no repeating surface. Its mask, and its colour carried on.

The ground is told by its colour, then brushed, cleaned of holes and specks, and moved in or out. Beyond the mask the
colour of the rim goes on, so that smaller copies show no fringe of the ground.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import linear_of_hex, linear_to_lab
from amber_thicket.core.numeric.ground import away, border
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import Colour, OperationSettings, setting
from amber_thicket.core.strokes import MOST, Stroke, drawn

_PICKS = 12
_FOUND_LEAST = 6.0


class MaskStroke(Stroke):
    """A stroke on the mask: what it covers is kept, or left away."""

    kind: Literal["keep", "leave"]


class Settings(OperationSettings):
    on: bool = setting(
        False, label="This is a cut-out", help="Something on an even ground that is cut out; it does not repeat."
    )
    source: Literal["photograph", "evened", "back_lit"] = setting(
        "photograph",
        label="Mask from",
        choices={"photograph": "Photograph", "evened": "Evened", "back_lit": "Back-lit"},
        help="The picture ground and thing are told apart in: the photograph as it came in, what Even made of it, or "
        "the back-lit photograph.",
    )
    ground: tuple[Colour, ...] = setting(
        (), most=_PICKS, label="Ground", help="Colours of the ground; where there are none, those of the border count."
    )
    tolerance: float = setting(
        0.0,
        ge=0,
        le=80,
        step=1,
        label="Tolerance",
        help="How far a colour may lie from the ground's and still be ground; 0 finds it by itself.",
    )
    soft: float = setting(
        40.0, ge=0, le=100, step=5, unit="%", label="Softness", help="How gradually the edge goes from ground to solid."
    )
    holes: float = setting(
        0.6,
        ge=0,
        le=20,
        step=0.5,
        unit="% of tile",
        label="Close holes",
        help="Holes that are smaller than this across are closed.",
    )
    specks: float = setting(
        3.0,
        ge=0,
        le=20,
        step=0.5,
        unit="% of tile",
        label="Drop specks",
        help="Pieces that are smaller than this across are dropped.",
    )
    edge: float = setting(
        0.0,
        ge=-2,
        le=2,
        step=0.05,
        unit="% of tile",
        label="Move the edge",
        help="Below 0 takes off a fringe of the ground's colour, above 0 adds to the mask.",
    )
    strokes: tuple[MaskStroke, ...] = setting(
        (), most=MOST, label="Mask brush", help="Strokes on the tile that keep what they cover, or leave it away."
    )


class Ground(NamedTuple):
    """lab: (K, 3) colours of the ground. limit: how far in Lab a colour may lie from them."""

    lab: Pixels
    limit: float


def decide_mask(
    evened: Raster | None,
    as_shot: Raster | None = None,
    back_lit: Raster | None = None,
    brought: Raster | None = None,
    /,
    *,
    frame: Frame,
    on: bool,
    ground: Sequence[str],
    tolerance: float,
    **_: Any,
) -> Ground:
    """The colours of the ground, and where ground ends: picked, or found from the border of the picture."""
    tile = _looked_at(evened, as_shot, back_lit)
    if tile is None:
        return Ground(np.zeros((1, 3)), 1.0)
    lab = linear_to_lab(tile.pixels)
    if ground:
        marks = linear_to_lab(np.array([linear_of_hex(colour) for colour in ground], np.float32)[:, None])[:, 0]
    else:
        marks = np.median(border(lab, 100), axis=0)[None]
    if tolerance > 0:
        return Ground(marks, tolerance)
    far = away(lab, marks)
    limit, _ = cv2.threshold(np.clip(far * 2, 0, 255).astype(np.uint8), 0, 255, cv2.THRESH_OTSU)
    # Otsu's parting lies between ground and thing; the edge is sought nearer to the ground.
    return Ground(marks, max(_FOUND_LEAST, 0.6 * float(limit) / 2))


def _looked_at(*layers: Raster | None) -> Raster | None:
    """The layer the mask is made from: the only one that was asked for, and is there."""
    return next((layer for layer in reversed(layers) if layer is not None), None)


def mask(
    evened: Raster | None, as_shot: Raster | None = None, back_lit: Raster | None = None, brought: Raster | None = None,
    /, *, frame: Frame, decided: Ground, on: bool, soft: float, holes: float, specks: float, edge: float,
    strokes: Sequence[MaskStroke], **_: Any,
) -> Raster:  # fmt: skip
    """(H, W) in [0, 1]: how solid each place is; 1 everywhere for what is no cut-out. evened, as_shot, back_lit:
    (H, W, 3) linear, the one the mask is made from. brought: an opacity map that came along, which then is the mask.
    """
    tile = _looked_at(evened, as_shot, back_lit)
    if tile is None:
        return Raster(np.ones((frame.height, frame.width), np.float32))
    if brought is not None:
        return Raster(brought.pixels, evidence={"share": round(float(brought.pixels.mean()), 4)})
    far = away(linear_to_lab(tile.pixels), decided.lab)
    width = max(decided.limit * soft / 100, 0.5)
    solid = np.clip((far - decided.limit) / width + 0.5, 0, 1).astype(np.float32)
    solid = _cleaned(solid, frame.length(holes), frame.length(specks))
    for stroke in strokes:
        cover = drawn([stroke], (frame.width, frame.height))
        solid = np.maximum(solid, cover) if stroke.kind == "keep" else np.minimum(solid, 1 - cover)
    if edge:
        solid = _moved(solid, frame.length(edge))
    return Raster(solid, evidence={"share": round(float(solid.mean()), 4), "ground": decided.limit})


def _cleaned(solid: Pixels, hole: float, speck: float) -> Pixels:
    """Small holes closed, small pieces dropped. hole, speck: px across."""
    for size, inside in ((hole, False), (speck, True)):
        if size <= 0:
            continue
        hard = ((solid > 0.5) if inside else (solid <= 0.5)).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(hard, connectivity=8 if inside else 4)
        small = stats[:, cv2.CC_STAT_AREA] < size * size * 0.785
        small[0] = False
        if not small.any():
            continue
        gone = small[labels].astype(np.uint8)
        near = cv2.dilate(gone, np.ones((3, 3), np.uint8)).astype(bool) & (hard.astype(bool) | (gone > 0))
        solid = np.where(near, np.float32(0 if inside else 1), solid)
    return solid


def _moved(solid: Pixels, by: float) -> Pixels:
    """The edge moved outward by so many px, as soft as before."""
    hard = (solid > 0.5).astype(np.uint8)
    inside = cv2.distanceTransform(hard, cv2.DIST_L2, 5)
    outside = cv2.distanceTransform(1 - hard, cv2.DIST_L2, 5)
    return np.asarray(np.clip(inside - outside + np.float32(by) + 0.5, 0, 1), np.float32)


_SOURCES = {
    "evened": ("varied",),
    "photograph": ("tiled.as_shot",),
    # Where no such photograph was brought, the one there is.
    "back_lit": ("tiled.as_shot", "?tiled.translucency"),
}

OPERATION = Operation(
    id="tile.cutout",
    label="Cut-out",
    help="Cuts something out of an even ground, and carries its colour on beyond the edge.",
    settings=Settings,
    reads=("varied", "tiled.as_shot", "?tiled.translucency", "?tiled.opacity"),
    writes="cut",
    apply=mask,
    decide=decide_mask,
    decides_by=("on", "source", "ground", "tolerance"),
    uses=lambda options: (*_SOURCES[options["source"]], "?tiled.opacity") if options["on"] else (),
    matters=lambda options: [value for name, value in options.items() if options["on"] or name == "on"],
)
