"""The joins do not cut through bricks, threads or stones."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Rule, Subject

LIMIT = 2.1


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    found = subject.notes.get("joins", {})
    if "broken" not in found:
        yield Finding("note", "no joins to look at", f"under {LIMIT:g} %", map="base_color")
        return
    share = 100 * found["broken"]
    bad = share > LIMIT
    yield Finding(
        "attention" if bad else "pass",
        f"{share:.1f} % of the joins",
        f"under {LIMIT:g} %",
        map="base_color",
        box=tuple(found["broken_box"]) if bad and found["broken_box"] else None,
    )


RULE = Rule(
    id="tiling.joins",
    title="No join cuts through a piece",
    why="A brick or a thread that ends in the middle shows at once: square the picture, use whole repeats, or regrow.",
    source="sides that differ by more than random places do; limit from measured photographs",
    look=look,
)
