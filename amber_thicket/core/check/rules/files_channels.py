"""Packed channels hold what they should."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.core.pack.profiles import content_of
from amber_thicket.core.roles import ROLES


def look(subject: Subject) -> Iterable[Finding]:
    wanted = {rule.suffix: rule.channels for rule in subject.plan.profile.files}
    scene = subject.plan.profile.glb
    for file in subject.plan.files:
        layout = next(
            (held for suffix, held in wanted.items() if file.name.endswith(f"_{suffix}.{_ending(file)}")), None
        )
        if len(file.contents) == 1:
            continue
        # In a glTF material opacity is the alpha of the base colour (glTF 2.0, 3.9.4).
        fits = file.contents in (layout, (*layout, "opacity") if layout == ("base_color",) and scene else layout)
        yield Finding(
            "pass" if fits else "blocked",
            f"{file.name}: " + ", ".join(map(_said, file.contents)),
            "as the profile: " + ", ".join(map(_said, layout or ())),
        )


def _said(token: str) -> str:
    """What a channel holds, in words."""
    role = content_of(token)
    label = ROLES[role].label.lower() if role in ROLES else role.replace("_", " ")
    return f"one minus {label}" if token != role else label


def _ending(file: PlannedFile) -> str:
    return file.name.rsplit(".", 1)[-1]


RULE = Rule(
    id="files.channels",
    title="Channels are packed as the profile says",
    fault="Channels are not packed as the profile says",
    why="A renderer reads occlusion, roughness and metallic from fixed channels.",
    source="glTF 2.0, 3.9.2 and 3.9.4",
    look=look,
    basis="stored",
)
