"""Sides are powers of two."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    odd = [side for side in subject.size if side & (side - 1)]
    measured = f"{subject.size[0]} × {subject.size[1]} px"
    yield Finding("attention" if odd else "pass", measured, "powers of two")


RULE = Rule(
    id="set.power_of_two",
    title="Sizes are powers of two",
    fault="Sizes are no powers of two",
    why="Mip levels and texture compression of many renderers need sides that halve evenly.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
