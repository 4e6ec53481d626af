"""Seam figure of every map and axis."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.figures import PASS, coded, seams
from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Fix, Level, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    for role, raster in subject.maps.items():
        values = coded(raster.pixels, role)
        if float(values.max() - values.min()) < 1e-4:
            continue
        both = seams(values)
        worst = max(both, key=lambda s: (not s.passes, s.border))
        axis = both.index(worst)
        box = (0.0, 0.0, 0.02, 1.0) if axis == 0 else (0.0, 0.0, 1.0, 0.02)
        joined = subject.recipe.settings("tile.join").method != "none"
        fix = None if joined else Fix("Join by cut", {"tile.join.method": "cut"})
        measured = f"{both[0].border:.1f} across, {both[1].border:.1f} down"
        limit = f"under {PASS:g}"
        own = [f"{way} {one.inner:.1f}" for way, one in zip(("across", "down"), both, strict=True) if one.by_own_lines]
        if own and worst.passes:
            # Over the usual limit, and yet no more to see than what the surface has of its own.
            limit = f"no more than its own lines: {', '.join(own)}"
        bad = worst.level != "pass"
        level: Level = "blocked" if worst.level == "blocked" else ("attention" if bad else "pass")
        ratio = worst.border / (max(worst.inner, PASS) if worst.by_own_lines else PASS)
        where, mend = (box, fix) if bad else (None, None)
        yield Finding(level, measured, limit, map=role, box=where, fix=mend, ratio=ratio)


RULE = Rule(
    id="tiling.seam",
    title="Edges meet",
    fault="Edges do not meet",
    why="A step across the border shows as a line at every repeat.",
    source="second differences across the border against all other lines; limit 4 from measured photographs",
    look=look,
)
