"""Nothing in the tile catches the eye at every repeat."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Fix, Rule, Subject
from amber_thicket.core.settings import as_plain
from amber_thicket.core.tile.repair import with_filled
from amber_thicket.core.tile.repeat_artifacts import ALARM, PERHAPS, RepeatArtifact, Repeats, find_repeats, unfit
from amber_thicket.core.tile.retouch import fill_strokes
from amber_thicket.errors import BadSetting

# Of the drift that is taken out, %.
_STEP = 50.0
LIMIT = f"under {ALARM:g}: not seen in the repeat"


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    tile = subject.maps["base_color"].pixels
    if min(tile.shape[:2]) < 64:
        yield Finding("unknown", "too few pixels to tell", LIMIT, map="base_color")
        return
    found = find_repeats(tile)
    strong = [place for place in found.places if place.strength >= ALARM]
    first = found.places[0] if found.places else None
    if found.figure < PERHAPS or first is None:
        yield Finding("pass", _said(found), LIMIT, map="base_color", ratio=found.figure / ALARM)
        return
    box = _box(first)
    # What is evened may be joined otherwise, so that is settled before places are filled.
    even = _even(subject) if found.blotches >= ALARM else None
    if found.figure < ALARM:
        yield Finding("unknown", f"perhaps: {_said(found)}", LIMIT, map="base_color", box=box)
    elif strong:
        places = "1 place" if len(strong) == 1 else f"{len(strong)} places"
        fix = even or _fix(subject, list(found.places), strong)
        yield Finding(
            "attention",
            f"{places}: {_said(found)}",
            LIMIT,
            map="base_color",
            box=box,
            fix=fix,
            ratio=found.figure / ALARM,
        )
    else:
        fix = _even(subject)
        yield Finding(
            "attention", f"slow blotches: {_said(found)}", LIMIT, map="base_color", fix=fix, ratio=found.figure / ALARM
        )


def _even(subject: Subject) -> Fix | None:
    """Evens slow blotches, half of what there is at a time: often that is enough, and more of the surface stays."""
    amount = subject.recipe.settings("even.drift").amount
    return Fix("Even the drift", {"even.drift.amount": min(amount + _STEP, 100.0)}) if amount < 100 else None


def _box(place: RepeatArtifact) -> tuple[float, float, float, float]:
    """Left, top, width and height of what stands out, in shares of the tile."""
    reach = 1.5 * place.radius
    # A line may go on over an edge; then all of its points on this side of it.
    x, y = zip(*(place.points or ((place.x, place.y),)), strict=True)
    left, top = max(min(x) - reach, 0.0), max(min(y) - reach, 0.0)
    return left, top, min(max(x) + reach, 1.0) - left, min(max(y) + reach, 1.0) - top


def _said(found: Repeats) -> str:
    return f"strongest place {found.strongest:.2f}, blotches {found.blotches:.2f}"


def _fix(subject: Subject, found: list[RepeatArtifact], strong: list[RepeatArtifact]) -> Fix | None:
    """Fills them, as far as that is not seen itself; None where so much stands out that nothing is left to fill it
    from, and for a tile of a set, which is filled where all of them are made."""
    if subject.recipe.settings("tile.tileset").count > 1:
        return None
    now, tile = subject.recipe.settings("tile.repair").spots, subject.maps["base_color"].pixels
    places = [(place.x, place.y, place.radius) for place in strong if not place.points]
    lines = [stroke for place in strong if place.points for stroke in fill_strokes(place.points, place.radius)]
    changes: dict[str, Any] = {}
    try:
        if places:
            changes["tile.repair.spots"] = as_plain(
                with_filled(now, tile, places, unfit(found), unfit(found, ALARM), unseen=True)
            )
    except BadSetting:
        return None
    if lines:
        strokes = subject.recipe.settings("tile.retouch").strokes
        changes["tile.retouch.strokes"] = as_plain((*strokes, *lines))
    return Fix(f"Fill {'it' if len(strong) == 1 else 'them'}", changes)


RULE = Rule(
    id="tiling.giveaways",
    title="Nothing gives the repeat away",
    fault="Places catch the eye wherever it repeats",
    why="A place that differs from all others is seen again at every repeat, however well the edges meet.",
    source="distance to the most alike place, and share of slow change; limits from pictures judged by eye",
    look=look,
    basis="reading",
    doubt="51 of 58 tiles judged by eye beforehand were told right",
)
