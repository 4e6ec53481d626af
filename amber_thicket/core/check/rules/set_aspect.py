"""Files of one shape, and a tile that is as wide and high on the surface as in pixels."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject

LIMIT = 0.01


def look(subject: Subject) -> Iterable[Finding]:
    shapes: dict[str, tuple[int, int]] = subject.notes.get("shapes", {})
    width, height = subject.size
    tile_mm: float | None = subject.notes.get("tile_mm")
    real = f"{width / tile_mm:.2f} px/mm across and down" if tile_mm else f"{width} × {height} px, no physical size"
    own = shapes.get("base_color", subject.size)
    other = {role: shape for role, shape in shapes.items() if _apart(shape, own) > LIMIT}
    for role, shape in other.items():
        fix = Fix("Leave it out", {f"gather.maps.{role}": None})
        measured = f"{shape[0]} × {shape[1]} px, stretched to fit"
        yield Finding("attention", measured, f"the shape of {own[0]} × {own[1]} px", map=role, fix=fix)
    if not other:
        yield Finding("pass", real, "one shape")


def _apart(one: tuple[int, int], other: tuple[int, int]) -> float:
    return abs(one[0] * other[1] / (one[1] * other[0]) - 1)


RULE = Rule(
    id="set.aspect",
    title="Shape fits the physical size",
    fault="The shape does not fit the physical size",
    why="A map that is stretched in one direction alone lies beside the others nearly everywhere.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
