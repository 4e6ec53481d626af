"""Places of the tile that stand out, and what they are filled with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.settings import as_plain
from amber_thicket.core.tile.repair import with_filled
from amber_thicket.core.tile.repeat_artifacts import ALARM, PERHAPS, Repeats, find_repeats, unfit
from amber_thicket.service.broken import on_joined
from amber_thicket.service.preview import preview_size


def _repeats(evaluation: Evaluation, layer: str) -> Repeats:
    size = preview_size(evaluation)
    tile = evaluation.layer(layer, size).pixels
    return evaluation.memory.get(f"giveaways/{evaluation.key(layer, size)}", lambda: find_repeats(tile))


def describe_repeat_artifacts(evaluation: Evaluation) -> dict[str, Any]:
    """What gives the repeat away, strongest first, from which strength on it is seen, and what is filled already."""
    filled = evaluation.recipe.settings("tile.repair").spots
    found = _repeats(evaluation, "base_color")
    return {
        "alarm": ALARM,
        "perhaps": PERHAPS,
        "places": [asdict(place) for place in found.places],
        "blotches": found.blotches,
        "filled": as_plain(filled),
        "aside": len(evaluation.recipe.settings("tile.repair").aside),
        "before": _before(evaluation),
    }


def _before(evaluation: Evaluation) -> float | None:
    """How far the strongest place stood out before any repair; None where there was none."""
    recipe = evaluation.recipe
    if not recipe.settings("tile.repair").spots and not recipe.settings("tile.retouch").strokes:
        return None
    return _repeats(evaluation, "joined").strongest


def fill_places(evaluation: Evaluation, places: Sequence[tuple[float, float, float]]) -> dict[str, Any]:
    """Settings of tile.repair that also fill places (x, y, radius). Raises BadSetting when nothing is left to take."""
    joined = evaluation.before_set()
    tile = joined.layer("base_color", preview_size(joined)).pixels
    now = evaluation.recipe.settings("tile.repair").spots
    found = [(*on_joined(evaluation, x, y), radius) for x, y, radius in places]
    spots = with_filled(now, tile, found, unfit(_repeats(joined, "base_color").places))
    return {"tile.repair.spots": as_plain(spots)}
