"""Maps with nothing to say."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.roles import ROLES


def look(subject: Subject) -> Iterable[Finding]:
    for role in subject.plan.left_out:
        yield Finding("note", f"{ROLES[role].label} is blank", "left out", map=role)
    if not subject.plan.left_out:
        yield Finding("pass", "no blank map", "none written")


RULE = Rule(
    id="set.blank_maps",
    title="Blank maps are left out and named",
    fault="Maps are blank",
    why="A map that says nothing costs memory in every renderer that loads it.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
