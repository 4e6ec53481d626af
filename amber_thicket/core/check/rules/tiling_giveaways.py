"""Nothing in the tile catches the eye at every repeat."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Fix, Rule, Subject
from amber_thicket.core.settings import as_plain
from amber_thicket.core.tile.repair import with_filled
from amber_thicket.core.tile.repeat_artifacts import ALARM, RepeatArtifact, find_repeat_artifacts, unfit
from amber_thicket.errors import BadSetting


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    tile = subject.maps["base_color"].pixels
    found = find_repeat_artifacts(tile) if min(tile.shape[:2]) >= 64 else []
    strong = [place for place in found if place.strength >= ALARM]
    limit = f"under {ALARM} × what is usual here"
    if not strong:
        strongest = f"{found[0].strength:.1f} ×" if found else "nothing stands out"
        yield Finding("pass", strongest, limit, map="base_color")
        return
    first = strong[0]
    reach = 1.5 * first.radius
    places = "1 place" if len(strong) == 1 else f"{len(strong)} places"
    yield Finding(
        "attention",
        f"{places}, up to {first.strength:.1f} ×",
        limit,
        map="base_color",
        box=(max(first.x - reach, 0.0), max(first.y - reach, 0.0), 2 * reach, 2 * reach),
        fix=_fix(subject, found, strong),
    )


def _fix(subject: Subject, found: list[RepeatArtifact], strong: list[RepeatArtifact]) -> Fix | None:
    """Fills them; None where so much stands out that nothing is left to fill it from."""
    now, tile = subject.recipe.settings("tile.repair").spots, subject.maps["base_color"].pixels
    places = [(place.x, place.y, place.radius) for place in strong]
    try:
        spots = with_filled(now, tile, places, unfit(found))
    except BadSetting:
        return None
    return Fix(f"Fill {'it' if len(strong) == 1 else 'them'}", {"tile.repair.spots": as_plain(spots)})


RULE = Rule(
    id="tiling.giveaways",
    title="Nothing gives the repeat away",
    why="A place that differs from all others is seen again at every repeat, however well the edges meet.",
    source="deviation of local tone, contrast, edges and colour against the usual peaks; limit from planted stones",
    look=look,
)
