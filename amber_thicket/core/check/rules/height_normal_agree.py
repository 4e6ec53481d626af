"""Slopes of the height against the stored normal."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Level, Rule, Subject
from amber_thicket.core.files.encode import decoded_normal
from amber_thicket.core.shading.convention import slope_agreement

LIMIT = 0.9


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    vectors = decoded_normal(codes)
    file = subject.file_of("normal")
    if file is not None and file.y == "minus":
        vectors = vectors * np.array([1, -1, 1], np.float32)
    sure = slope_agreement(subject.maps["height"].pixels, vectors)
    if subject.recipe.settings("relief.normal").strength == 0:
        yield Finding(
            "note",
            "normal strength is 0",
            "over 0.9",
            map="normal",
            fix=Fix("Reset the strength", {"relief.normal.strength": None}),
        )
        return
    level: Level = "pass" if sure > LIMIT else ("attention" if sure > 0 else "blocked")
    yield Finding(level, f"{sure:.2f}", f"over {LIMIT:g}", map="normal", ratio=(1 - sure) / (1 - LIMIT))


RULE = Rule(
    id="height.normal_agree",
    title="Normal and height are one surface",
    fault="Normal and height are not one surface",
    why="When they disagree, shading and silhouette tell two stories.",
    source="correlation of the slopes",
    look=look,
    basis="reading",
    doubt="where both are flat, their slopes say little",
)
