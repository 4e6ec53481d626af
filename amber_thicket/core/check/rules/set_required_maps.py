"""The maps a profile promises are written."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.present import tells_colour


def look(subject: Subject) -> Iterable[Finding]:
    written = {role for file in subject.plan.files for role in file.roles}
    missing = [role for role in subject.plan.profile.needs if role not in written]
    if missing == ["base_color"] and not tells_colour(subject.recipe):
        yield Finding("attention", "no base colour: no file tells it", "all required maps")
    elif missing:
        yield Finding("blocked", "missing: " + ", ".join(missing), "all required maps")
    else:
        yield Finding("pass", f"{len(written)} maps", "at least " + ", ".join(subject.plan.profile.needs))


RULE = Rule(
    id="set.required_maps",
    title="Required maps are present",
    fault="Maps that are required are missing",
    why="The profile promises these maps to whoever reads the set.",
    source="the profile",
    look=look,
    basis="stored",
)
