"""Edges still meet when a renderer shrinks the maps."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.figures import PASS, coded, seams
from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Level, Rule, Subject
from amber_thicket.core.numeric.filters import shrink

LEVELS = (1, 2, 3, 4)


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    values, sample = (coded(r.pixels, "base_color") for r in (subject.maps["base_color"], subject.sample))
    worst, at = -1e9, 0
    for level in LEVELS:
        small = shrink(values, 1 << level)
        if min(small.shape[:2]) < 32:
            break
        for found, before in zip(seams(small), seams(shrink(sample, 1 << level)), strict=True):
            worst, at = max((worst, at), (found.border - max(before.inner - PASS, 0), level))
    if at:
        level_of: Level = "attention" if worst > PASS else "pass"
        yield Finding(
            level_of, f"{worst:.1f} at mip level {at}", f"under {PASS:g}", map="base_color", ratio=worst / PASS
        )


RULE = Rule(
    id="tiling.mips",
    title="Edges meet at smaller sizes too",
    fault="Edges do not meet at smaller sizes",
    why="From afar a renderer shows smaller copies; a broad step that is faint up close shows there.",
    source="the seam figure on averaged copies; mip levels as in OpenGL 4.6, 8.14",
    look=look,
)
