"""Packed channels hold what they should."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.roles import ROLES


def look(subject: Subject) -> Iterable[Finding]:
    for file in subject.plan.files:
        if len(file.roles) == 1:
            continue
        right = all(
            np.abs(np.asarray(subject.codes(role)).astype(np.float32) / 255 - subject.maps[role].pixels).max()
            <= 1 / 255
            for role in file.roles
        )
        yield Finding(
            "pass" if right else "blocked",
            "R, G, B = " + ", ".join(ROLES[r].label.lower() for r in file.roles),
            "profile's order",
        )


RULE = Rule(
    id="files.channels",
    title="Channels are packed as the profile says",
    why="A renderer reads occlusion, roughness and metallic from fixed channels.",
    source="glTF 2.0, 3.9.2",
    look=look,
)
