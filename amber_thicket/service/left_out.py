"""Leaves a place of the tile out on the sample, so that the method plans round it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.settings import as_plain
from amber_thicket.core.strokes import Stroke
from amber_thicket.errors import BadSetting
from amber_thicket.service.broken import plan_places

_PLANNED = ("cut", "lattice", "joints", "regrow", "strew")
# How much larger than the place what is left out is, and how few px of a part of it do not count.
_AROUND, _FEW = 1.15, 0.04


def leave_out(evaluation: Evaluation, places: Sequence[tuple[float, float, float]]) -> dict[str, Any]:
    """Settings of tile.join that leave out what shows at places (x, y, radius in tile widths and heights) of the tile.
    Raises BadSetting where the method plans nothing."""
    method = evaluation.recipe.settings("tile.join").method
    if method not in _PLANNED:
        raise BadSetting(
            f"Nothing can be left out with the method {method}.",
            remedy=f"Choose one of {', '.join(_PLANNED)}.",
            setting="tile.join.method",
        )
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    found = plan_places(evaluation, size)
    assert found is not None
    sizes = evaluation.sizes(size)
    left, top, right, bottom = sizes.tile.part
    per_px = np.array([(right - left) / sizes.work.width, (bottom - top) / sizes.work.height])
    strokes = list(evaluation.recipe.settings("tile.join").excluded)
    for x, y, radius in places:
        for middle, reach in _parts(found, x, y, radius * size[0]):
            at = np.array([left, top]) + (middle + 0.5) * per_px
            spot = round(float(at[0]), 5), round(float(at[1]), 5)
            strokes.append(Stroke(radius=round(float(_AROUND * reach * per_px[0]), 5), points=(spot, spot)))
    return {"tile.join.excluded": as_plain(tuple(strokes))}


def _parts(found: NDArray[np.float64], x: float, y: float, radius: float) -> list[tuple[NDArray[np.float64], float]]:
    """Middle and radius, px of the sample, of what a disc of the tile shows: one, or several where a join runs through
    it. found: (H, W, 2) sample px; radius: px."""
    height, width = found.shape[:2]
    rows = np.arange(int(y * height - radius), int(y * height + radius) + 1)
    columns = np.arange(int(x * width - radius), int(x * width + radius) + 1)
    inside = np.hypot(rows[:, None] - y * height, columns[None] - x * width) <= radius
    shown = found[(rows % height)[:, None], (columns % width)[None]]
    # What a part is taken from further on, it all is: parts differ in that.
    further = shown - np.stack(np.broadcast_arrays(columns[None], rows[:, None]), -1)
    coarse = np.round(further[inside] / max(radius, 8)).astype(int)
    parts = []
    for kind in np.unique(coarse, axis=0):
        own = shown[inside][(coarse == kind).all(1)]
        if len(own) < _FEW * inside.sum():
            continue
        middle = (own.min(0) + own.max(0)) / 2
        parts.append((middle, float(np.hypot(*(own - middle).T).max())))
    return parts
