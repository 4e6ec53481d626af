"""The depth is known in millimetres."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    width = subject.recipe.settings("square.size").sample_mm
    span = subject.maps["height"].span
    if not width:
        yield Finding("note", f"{100 * span:.1f} % of the tile; its width is not known", "a width in mm", map="height")
        return
    depth = subject.maps["height"].evidence.get("depth_mm")
    yield Finding("pass", f"{depth:.2f} mm" if depth else f"{100 * span:.1f} % of the tile", "known", map="height")


RULE = Rule(
    id="height.depth",
    title="The depth is known",
    fault="The depth is not known",
    why="A renderer displaces by metres: without them it has to be guessed.",
    source="UsdPreviewSurface 2.6: displacement is in scene units",
    look=look,
)
