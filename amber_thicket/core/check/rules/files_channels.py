"""Packed channels hold what they should."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.pack.profiles import PlannedFile
from amber_thicket.core.roles import ROLES


def look(subject: Subject) -> Iterable[Finding]:
    wanted = {rule.suffix: rule.roles for rule in subject.plan.profile.files}
    for file in subject.plan.files:
        layout = next(
            (roles for suffix, roles in wanted.items() if file.name.endswith(f"_{suffix}.{_ending(file)}")), None
        )
        if len(file.roles) == 1 and layout == file.roles:
            continue
        yield Finding(
            "pass" if layout == file.roles else "blocked",
            "R, G, B = " + ", ".join(ROLES[r].label.lower() for r in file.roles),
            "as the profile: " + ", ".join(ROLES[r].label.lower() for r in layout or ()),
        )


def _ending(file: PlannedFile) -> str:
    return file.name.rsplit(".", 1)[-1]


RULE = Rule(
    id="files.channels",
    title="Channels are packed as the profile says",
    why="A renderer reads occlusion, roughness and metallic from fixed channels.",
    source="glTF 2.0, 3.9.2",
    look=look,
)
