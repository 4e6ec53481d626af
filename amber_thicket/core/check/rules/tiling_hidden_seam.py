"""The worst inner line is no worse than what the picture has of its own."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.figures import coded, seams
from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Rule, Subject

LIMIT = 1.5


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    tile = coded(subject.maps["base_color"].pixels, "base_color")
    sample = coded(subject.sample.pixels, "base_color")
    both = zip(("across", "down"), seams(tile, like=sample), seams(sample), strict=True)
    for axis, (name, inner, before) in enumerate(both):
        own = max(before.inner, 3.0)
        share = inner.inner / own
        box = (inner.at - 0.01, 0.0, 0.02, 1.0) if axis == 0 else (0.0, inner.at - 0.01, 1.0, 0.02)
        bad = share > LIMIT
        yield Finding(
            "attention" if bad else "pass",
            f"{name} {inner.inner:.1f}, picture {own:.1f}",
            f"at most {LIMIT} × the picture's own",
            map="base_color",
            box=box if bad else None,
            ratio=share / LIMIT,
        )


RULE = Rule(
    id="tiling.hidden_seam",
    title="No seam moved inside",
    fault="A seam was moved inside",
    why="A join can leave the border and show as a line inside the tile instead.",
    source="worst inner line against the worst line of the untiled picture; factor 1.5",
    look=look,
)
