"""Fills and repairs of the tile follow what they mend when the tile is planned anew.

Each mends something of the sample. Where that shows in the new tile, the mending goes along; where it shows nowhere,
the mending is laid aside, by where in the picture it belongs, and comes back as soon as that shows again.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.settings import as_plain
from amber_thicket.core.tile.repair import DetachedSpot, Spot
from amber_thicket.core.tile.retouch import RepairStroke
from amber_thicket.service.broken import plan_places

# What it mends still shows where its middle is found within this share of its radius, or so much of the picture.
_WITHIN, _LEAST = 0.4, 0.003


class _Shown(NamedTuple):
    """places: (H, W, 2) where in the flattened picture (0..1) each pixel of the tile comes from; None where that cannot
    be told. across: how much of the picture's width a tile's width shows."""

    places: NDArray[np.float64] | None
    across: float


def _shown(evaluation: Evaluation) -> _Shown:
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    sizes = evaluation.sizes(size)
    left, top, right, bottom = sizes.tile.part
    unit = np.array([(right - left) / sizes.work.width, (bottom - top) / sizes.work.height])
    across = float(unit[0] * size[0])
    if evaluation.recipe.settings("tile.join").method == "none":
        found: NDArray[np.float64] | None = np.stack(np.meshgrid(*(np.arange(float(n)) for n in size)), -1)
    else:
        found = plan_places(evaluation, size)
    return _Shown(None if found is None else np.array([left, top]) + (found + 0.5) * unit, across)


def follow_plan(before: Evaluation, after: Evaluation) -> dict[str, Any]:
    """Settings that let fills and repair strokes follow what they mend from one plan to another. Empty where there are
    none, or where the plan is the same."""
    spots, strokes = before.recipe.settings("tile.repair"), before.recipe.settings("tile.retouch").strokes
    now = after.recipe.settings("tile.repair")
    if not (spots.spots or spots.aside or strokes) or before.plan_key() == after.plan_key():
        return {}
    if now != spots or after.recipe.settings("tile.retouch").strokes != strokes:
        # The same change sets them.
        return {}
    old, new = _shown(before.before_set()), _shown(after.before_set())
    kept: list[Spot] = []
    aside: list[DetachedSpot] = []
    for spot in spots.spots:
        at, source = (_place(old, x, y) for x, y in ((spot.x, spot.y), (spot.from_x, spot.from_y)))
        radius = spot.radius * old.across
        if at is None or source is None:
            kept.append(spot)
            continue
        found = DetachedSpot(x=at[0], y=at[1], radius=radius, from_x=source[0], from_y=source[1])
        _take(found, new, kept, aside, (spot.x, spot.y))
    for detached in spots.aside:
        _take(detached, new, kept, aside, None)
    moved = tuple(_followed(stroke, old, new) for stroke in strokes)
    changes: dict[str, Any] = {}
    if tuple(kept) != spots.spots or tuple(aside) != spots.aside:
        changes |= {"tile.repair.spots": as_plain(tuple(kept)), "tile.repair.aside": as_plain(tuple(aside))}
    if moved != strokes:
        changes["tile.retouch.strokes"] = as_plain(moved)
    return changes


def _take(
    spot: DetachedSpot, new: _Shown, kept: list[Spot], aside: list[DetachedSpot], was: tuple[float, float] | None
) -> None:
    """Where a fill lies in the new tile, or that it is laid aside."""
    at = _found(new, (spot.x, spot.y), spot.radius, was)
    if at is None:
        aside.append(spot)
        return
    radius = spot.radius / new.across
    source = _found(new, (spot.from_x, spot.from_y), spot.radius, None)
    if source is None:
        # What it was filled from is gone: from beside it, far enough not to show it again.
        source = (at[0] + 3 * radius) % 1.0, at[1]
    kept.append(Spot(x=at[0], y=at[1], radius=float(np.clip(radius, 0.004, 0.2)), from_x=source[0], from_y=source[1]))


def _followed(stroke: RepairStroke, old: _Shown, new: _Shown) -> RepairStroke:
    """A stroke where what it mends shows now; where it was, if that shows nowhere."""
    middle = np.mean(stroke.points, axis=0)
    reach = max(float(np.ptp(np.array(stroke.points), axis=0).max()) / 2, stroke.radius)
    at = _place(old, float(middle[0]), float(middle[1]))
    found = None if at is None else _found(new, at, reach * old.across, (float(middle[0]), float(middle[1])))
    if found is None:
        return stroke
    by = np.array(found) - middle % 1.0
    by -= np.round(by)
    points = tuple((round(float(x + by[0]), 5), round(float(y + by[1]), 5)) for x, y in stroke.points)
    return stroke.model_copy(update={"points": points})


def _place(shown: _Shown, x: float, y: float) -> tuple[float, float] | None:
    """Where in the picture a place of the tile comes from."""
    if shown.places is None:
        return None
    height, width = shown.places.shape[:2]
    found = shown.places[int(y % 1 * height) % height, int(x % 1 * width) % width]
    return round(float(found[0]), 5), round(float(found[1]), 5)


def _found(
    shown: _Shown, at: tuple[float, float], radius: float, was: tuple[float, float] | None
) -> tuple[float, float] | None:
    """Where in the tile a place of the picture shows; the nearest to where it was, if it shows more than once."""
    if shown.places is None:
        return None
    height, width = shown.places.shape[:2]
    away = np.hypot(shown.places[..., 0] - at[0], shown.places[..., 1] - at[1])
    limit = max(_WITHIN * radius, _LEAST)
    best = float(away.min())
    if best > limit:
        return None
    rows, columns = np.nonzero(away <= best + 0.1 * limit)
    places = np.stack([(columns + 0.5) / width, (rows + 0.5) / height], -1)
    pick = 0
    if was is not None:
        off = np.abs(places - np.array(was) % 1.0)
        pick = int(np.hypot(*np.minimum(off, 1 - off).T).argmin())
    return round(float(places[pick][0]), 5), round(float(places[pick][1]), 5)
