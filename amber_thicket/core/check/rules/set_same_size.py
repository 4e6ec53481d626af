"""Every map has the finished size."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    shapes = {role: raster.pixels.shape[:2] for role, raster in subject.maps.items()}
    first = shapes["base_color"]
    for role, shape in shapes.items():
        if shape != first:
            yield Finding("blocked", f"{shape[1]} × {shape[0]}", f"{first[1]} × {first[0]}", map=role)
            return
    yield Finding("pass", f"{subject.size[0]} × {subject.size[1]} px", "one size")


RULE = Rule(
    id="set.same_size",
    title="All maps have one size",
    fault="Maps are of different sizes",
    why="Renderers read all maps with the same coordinates; a map of another size shifts against the rest.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
