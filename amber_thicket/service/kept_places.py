"""What stays where it is on the surface when the picture is cropped, flattened, turned, joined or exchanged."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from amber_thicket.core.graph import Evaluation, output_size
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.core.square.moved_strokes import Seen, as_turned, move_strokes, through, upright
from amber_thicket.errors import BadSetting
from amber_thicket.service.mapset import start_size

_FLATTENED_BY = ("gather.orient", "square.lens", "square.flat")
# Which file is the picture, and what it is joined to.
_PICTURED_BY = ("gather.maps.base_color", "gather.registration.joined")
# What is drawn on the flattened picture.
_STROKES = tuple(f"tile.join.{name}" for name in ("excluded", "kept", "one_piece", "split_piece"))
_SIZE = ("square.size.width", "square.size.height")
_CROP = tuple(f"square.crop.{side}" for side in ("left", "top", "right", "bottom"))


def shapes_picture(changes: Iterable[str]) -> bool:
    """Whether settings change what part of which picture is looked at, and how."""
    return any(path.startswith(("square.", "gather.orient.")) or path in _PICTURED_BY for path in changes)


def keep_places(before: Evaluation, recipe: Recipe, changes: dict[str, Any]) -> Recipe:
    """The recipe with all that belongs to places of the surface still there: corners, crop, scale and what was drawn.

    before: as it was. changes: what is changed; what they set themselves is left as they say.
    """
    after = _after(before, recipe)
    between = picture_moved(before, after) if any(path in _PICTURED_BY for path in changes) else None
    if between is not None:
        recipe = _kept_frame(before, after, recipe, changes, between)
        after = _after(before, recipe)
    recipe = _kept_scale(before, after, recipe, changes, between)
    return _kept_strokes(before, after, recipe, changes, between)


def _after(before: Evaluation, recipe: Recipe) -> Evaluation:
    return Evaluation(recipe, before.first, before.memory, files=before.files)


def picture_moved(before: Evaluation, after: Evaluation) -> Pixels | None:
    """(3, 3) from places of the picture that was to places of the one that is, in 0..1; None where it is the same."""
    was, now = before.inputs, after.inputs
    if was.photograph == now.photograph and set(was.joined) == set(now.joined):
        return None
    matrix = np.linalg.inv(now.placed[was.photograph]) @ was.placed[was.photograph]
    return np.asarray(matrix / matrix[2, 2])


def _kept_frame(
    before: Evaluation, after: Evaluation, recipe: Recipe, changes: dict[str, Any], between: Pixels
) -> Recipe:
    """Output size, corners and crop on another picture."""
    more: dict[str, Any] = {}
    was, now = start_size(*before.picture_size()), start_size(*after.picture_size())
    size = before.recipe.settings("square.size")
    if {path: getattr(size, path.rsplit(".", 1)[1]) for path in _SIZE} == was and not changes.keys() & set(_SIZE):
        more |= now
    flat, way = before.recipe.settings("square.flat"), before.recipe.settings("gather.orient")
    if flat.corners != type(flat)().corners and not any(path.startswith("square.flat.") for path in changes):
        places = as_turned(through(upright(np.array(flat.corners) / 100, way), between), way)
        if np.linalg.det(between[:2, :2]) < 0:
            places = places[[1, 0, 3, 2]]
        for name, (x, y) in zip(CORNERS, places, strict=True):
            more |= {
                f"square.flat.{name}_x": round(float(x) * 100, 3),
                f"square.flat.{name}_y": round(float(y) * 100, 3),
            }
    recipe = _taken(recipe, more)
    crop = before.recipe.settings("square.crop")
    box = tuple(getattr(crop, path.rsplit(".", 1)[1]) for path in _CROP)
    if box != (0.0, 0.0, 100.0, 100.0) and not changes.keys() & set(_CROP):
        left, top, right, bottom = (value / 100 for value in box)
        corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
        moved = through(_seen(before).to_picture(corners), between)
        places = _seen(_after(before, recipe)).from_picture(moved).clip(0, 1) * 100
        sides = (*places.min(0), *places.max(0))
        recipe = _taken(recipe, {path: round(float(side), 3) for path, side in zip(_CROP, sides, strict=True)})
    return recipe


def _taken(recipe: Recipe, changes: dict[str, Any]) -> Recipe:
    """The recipe with settings that were worked out; as it is where they do not fit the other picture."""
    try:
        return recipe.with_changes(changes) if changes else recipe
    except BadSetting:
        return recipe


def _seen(evaluation: Evaluation) -> Seen:
    return Seen(evaluation.view(), evaluation.recipe.settings("gather.orient"))


def _kept_scale(
    before: Evaluation, after: Evaluation, recipe: Recipe, changes: dict[str, Any], between: Pixels | None
) -> Recipe:
    """The recipe with its real width following the sample: a millimetre of the surface stays a millimetre."""
    width_mm = before.recipe.settings("square.size").sample_mm
    cropped = between is not None or any(path.rsplit(".", 1)[0] == "square.crop" for path in changes)
    if not cropped or not width_mm or "square.size.sample_mm" in changes:
        return recipe
    boxes = [one.sample_box(one.sizes(output_size(one.recipe)).work) for one in (before, after)]
    grows = (boxes[1][2] - boxes[1][0]) / (boxes[0][2] - boxes[0][0])
    if between is not None:
        lengths = [
            _width_on(before, before, boxes[0], np.eye(3)),
            _width_on(after, before, boxes[1], np.linalg.inv(between)),
        ]
        grows = lengths[1] / lengths[0]
    if abs(grows - 1) < 1e-9:
        return recipe
    return recipe.with_changes({"square.size.sample_mm": round(width_mm * grows, 3)})


def _width_on(one: Evaluation, on: Evaluation, box: tuple[float, float, float, float], to: Pixels) -> float:
    """How wide a sample is, in px of a picture. to: (3, 3) from places of its own picture to places of that one."""
    size = np.array(one.view().size)
    middle = (box[1] + box[3]) / 2
    ends = np.array([[box[0], middle], [box[2], middle]]) / size
    places = through(_seen(one).to_picture(ends), to) * np.array([on.source.width, on.source.height])
    return float(np.hypot(*(places[1] - places[0])))


def _kept_strokes(
    before: Evaluation, after: Evaluation, recipe: Recipe, changes: dict[str, Any], between: Pixels | None
) -> Recipe:
    """The recipe with what was drawn on the sample staying where it was drawn."""
    if between is None and not any(path.rsplit(".", 1)[0] in _FLATTENED_BY for path in changes):
        return recipe
    join = recipe.settings("tile.join")
    drawn = {path: getattr(join, path.rsplit(".", 1)[1]) for path in _STROKES if path not in changes}
    was, now = _seen(before), _seen(after)
    return recipe.with_changes(
        {path: move_strokes(strokes, was, now, between) for path, strokes in drawn.items() if strokes}
    )
