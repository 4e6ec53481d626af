"""A cut-out: something that lies on an even ground and is no repeating surface. Its mask, and its colour carried on.

The ground is told by its colour, then brushed, cleaned of holes and specks, and moved in or out. Beyond the mask the
colour of the rim goes on, so that smaller copies show no fringe of the ground.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import cv2
import numpy as np
from pydantic import field_validator

from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.ground import away, border
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.zones import linear_of
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.strokes import MOST, Stroke, drawn, is_number, listed, stroke_of

_PICKS = 12
_FOUND_LEAST = 6.0


class Settings(OperationSettings):
    on: bool = setting(
        False, label="This is a cut-out", help="Something on an even ground that is cut out; it does not repeat."
    )
    ground: str = setting(
        "", label="Ground", help="A JSON list of the ground's colours as #rrggbb; empty takes them from the border."
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
    strokes: str = setting(
        "",
        label="Mask brush",
        help='On the tile: a JSON list of ["keep" or "leave", radius, x, y, …], radius 0 for an area.',
    )

    @field_validator("ground")
    @classmethod
    def _are_colours(cls, value: str) -> str:
        colours(value)
        return value

    @field_validator("strokes")
    @classmethod
    def _are_strokes(cls, value: str) -> str:
        brushed(value)
        return value


def colours(text: str) -> tuple[Pixels, ...]:
    """Linear RGB of picked colours. Raises ValueError in words."""
    return tuple(linear_of(row if isinstance(row, str) else "") for row in listed(text, _PICKS, "colours"))


def brushed(text: str) -> tuple[tuple[bool, Stroke], ...]:
    """(kept, stroke) in order. Raises ValueError in words."""
    found = []
    for row in listed(text, MOST, "strokes"):
        if not isinstance(row, list) or len(row) < 4 or row[0] not in ("keep", "leave") or not is_number(row[1]):
            raise ValueError('each stroke is ["keep" or "leave", radius, x, y, …]')
        found.append((row[0] == "keep", stroke_of(row[1:])))
    return tuple(found)


class Ground(NamedTuple):
    """lab: (K, 3) colours of the ground. limit: how far in Lab a colour may lie from them."""

    lab: Pixels
    limit: float


def decide_mask(
    tile: Raster | None,
    brought: Raster | None = None,
    /,
    *,
    frame: Frame,
    on: bool,
    ground: str,
    tolerance: float,
    **_: Any,
) -> Ground:
    """The colours of the ground, and where ground ends: picked, or found from the border of the picture."""
    if tile is None:
        return Ground(np.zeros((1, 3)), 1.0)
    lab = linear_to_lab(tile.pixels)
    picked = colours(ground)
    if picked:
        marks = linear_to_lab(np.array(picked, np.float32)[:, None])[:, 0]
    else:
        marks = np.median(border(lab, 100), axis=0)[None]
    if tolerance > 0:
        return Ground(marks, tolerance)
    far = away(lab, marks)
    limit, _ = cv2.threshold(np.clip(far * 2, 0, 255).astype(np.uint8), 0, 255, cv2.THRESH_OTSU)
    # Otsu's parting lies between ground and thing; the edge is sought nearer to the ground.
    return Ground(marks, max(_FOUND_LEAST, 0.6 * float(limit) / 2))


def mask(
    tile: Raster | None, brought: Raster | None = None, /, *, frame: Frame, decided: Ground, on: bool, soft: float,
    holes: float, specks: float, edge: float, strokes: str, **_: Any,
) -> Raster:  # fmt: skip
    """(H, W) in [0, 1]: how solid each place is; 1 everywhere for what is no cut-out. tile: (H, W, 3) linear.
    brought: an opacity map that came along, which then is the mask.
    """
    if tile is None:
        return Raster(np.ones((frame.height, frame.width), np.float32))
    if brought is not None:
        return Raster(brought.pixels, evidence={"share": round(float(brought.pixels.mean()), 4)})
    far = away(linear_to_lab(tile.pixels), decided.lab)
    width = max(decided.limit * soft / 100, 0.5)
    solid = np.clip((far - decided.limit) / width + 0.5, 0, 1).astype(np.float32)
    solid = _cleaned(solid, frame.length(holes), frame.length(specks))
    for keep, stroke in brushed(strokes):
        cover = drawn([stroke], (frame.width, frame.height))
        solid = np.maximum(solid, cover) if keep else np.minimum(solid, 1 - cover)
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


OPERATION = Operation(
    id="tile.cutout",
    label="Cut-out",
    help="Cuts something out of an even ground, and carries its colour on beyond the edge.",
    settings=Settings,
    reads=("touched", "?tiled.opacity"),
    writes="cut",
    apply=mask,
    decide=decide_mask,
    decides_by=("on", "ground", "tolerance"),
    uses=lambda options: ("touched", "?tiled.opacity") if options["on"] else (),
    matters=lambda options: [value for name, value in options.items() if options["on"] or name == "on"],
)
