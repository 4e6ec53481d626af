"""Places of the tile that stand out, and what they are filled with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.settings import as_plain
from amber_thicket.core.tile.repair import with_filled
from amber_thicket.core.tile.repeat_artifacts import ALARM, PERHAPS, Repeats, find_repeats, unfit
from amber_thicket.core.tile.retouch import fill_strokes
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


def fill_places(
    evaluation: Evaluation,
    places: Sequence[tuple[float, float, float]],
    lines: Sequence[tuple[tuple[tuple[float, float], ...], float]] = (),
) -> dict[str, Any]:
    """Settings that also fill places (x, y, radius), and lines ((x, y) along them, half their width) by strokes. Raises
    BadSetting when nothing is left to take."""
    changes = _filled_lines(evaluation, lines) if lines else {}
    if not places:
        return changes
    joined = evaluation.before_set()
    tile = joined.layer("base_color", preview_size(joined)).pixels
    now = evaluation.recipe.settings("tile.repair").spots
    found = [(*on_joined(evaluation, x, y), radius) for x, y, radius in places]
    seen = _repeats(joined, "base_color").places
    spots = with_filled(now, tile, found, unfit(seen), unfit(seen, ALARM))
    return changes | {"tile.repair.spots": as_plain(spots)}


def _filled_lines(
    evaluation: Evaluation, lines: Sequence[tuple[tuple[tuple[float, float], ...], float]]
) -> dict[str, Any]:
    now = evaluation.recipe.settings("tile.retouch").strokes
    found = [([on_joined(evaluation, x, y) for x, y in points], radius) for points, radius in lines]
    return {"tile.retouch.strokes": as_plain((*now, *(one for line in found for one in fill_strokes(*line))))}
