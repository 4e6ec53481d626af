"""Edges still meet when a renderer shrinks the maps."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.figures import OWN_LINES, PASS, SCALES, coded, seams, worst_line
from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Level, Rule, Subject
from amber_thicket.core.numeric.filters import shrink

LEVELS = (1, 2, 3, 4)
# A joint at the border may stand out by so much more than the others do.
_LIKE = 1.25


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    values, sample = (coded(r.pixels, "base_color") for r in (subject.maps["base_color"], subject.sample))
    worst, at = -1e9, 0
    for level in LEVELS:
        small, like = (shrink(each, 1 << level) for each in (values, sample))
        if min(small.shape[:2]) < 32:
            break
        for axis, (found, before) in enumerate(zip(seams(small, like=like), seams(like), strict=True)):
            over = found.border - max(before.inner - PASS, 0)
            if over > PASS:
                scales = [scale << level for scale in SCALES]
                own = max(worst_line(each, axis, scales, sample) for each in (values, sample))
                over = found.border - max((_LIKE * own if own > OWN_LINES else own) - PASS, 0)
            worst, at = max((worst, at), (over, level))
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
