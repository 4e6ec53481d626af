"""A cut-out has something to cut out, and its colour goes on beyond the edge."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Level, Rule, Subject
from amber_thicket.core.numeric.filters import blur

_NEAR, LIMIT = 0.006, 0.12


def look(subject: Subject) -> Iterable[Finding]:
    file = subject.file_of("opacity")
    if file is None:
        return
    opacity = subject.maps["opacity"].pixels
    if float(opacity.min()) > 0.99:
        yield Finding("attention", "solid everywhere", "a place that is not", map="opacity")
        return
    # Just beyond the edge the colour should be that just within it.
    width = opacity.shape[1]
    outside = (opacity < 0.02) & (blur(opacity, _NEAR * width, wraps=True) > 0.1)
    inside = (opacity > 0.98) & (blur(1 - opacity, _NEAR * width, wraps=True) > 0.1)
    if not outside.any() or not inside.any():
        return
    colour = subject.maps["base_color"].pixels
    off = float(np.abs(colour[outside].mean(axis=0) - colour[inside].mean(axis=0)).max())
    level: Level = "attention" if off > LIMIT else "pass"
    yield Finding(
        level, f"colour changes by {off:.2f} across the edge", f"under {LIMIT:g}", map="opacity", ratio=off / LIMIT
    )


RULE = Rule(
    id="opacity.edge",
    title="Opacity cuts something out, and colour goes on beyond it",
    fault="Opacity cuts nothing out, or colour ends at its edge",
    why="Smaller copies mix the colour from beyond the edge in: a fringe of it shows.",
    source="common practice, no source",
    look=look,
)
