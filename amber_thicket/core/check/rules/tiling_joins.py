"""The joins break no bricks, boards or stones."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Level, Rule, Subject

# Over this share of the joins the tile is spoilt, where pieces stand out from their joints as clearly as this.
MOST, EVIDENT = 5.0, 4.5


def judged(found: dict[str, object]) -> Level:
    """The level of what service.broken tells of the joins."""
    pieces, count = found["pieces"], found.get("count", 0)
    if pieces == "no" or not count:
        return "pass"
    if pieces == "unknown":
        return "unknown"
    share, contrast = float(str(found["share"])), float(str(found["contrast"]))
    # Where whole repeats meet, uneven pieces are told broken though they are not: that is for the eye to say.
    spoilt = 100 * share > MOST and contrast >= EVIDENT and not found.get("whole_repeats")
    return "blocked" if spoilt else "attention"


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    found = subject.notes.get("broken", {})
    limit = "none broken"
    if not found:
        yield Finding("note", "no joins to look at", limit, map="base_color")
        return
    level = judged(found)
    if found["pieces"] == "no":
        yield Finding("pass", "the surface has no pieces", limit, map="base_color")
        return
    boxes = found["boxes"]
    said = f"{found['count']} of about {found['shown']} pieces, {100 * found['share']:.0f} % of the joins"
    if level == "unknown":
        said = f"cannot tell whether these are pieces: {said}"
    yield Finding(level, said, limit, map="base_color", box=boxes[0] if boxes else None)


RULE = Rule(
    id="tiling.joins",
    title="No join breaks a piece",
    fault="Joins break pieces",
    why="A brick or a stone that ends in the middle shows at once: square the picture, use whole repeats, or regrow.",
    source="joins that run inside of pieces on both sides (watershed cells); limits from tiles judged by eye",
    look=look,
    basis="reading",
    doubt="on 12 surfaces straight cuts were told from joins by the true period; pale joints leave it open",
)
