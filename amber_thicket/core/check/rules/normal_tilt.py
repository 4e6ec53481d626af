"""Lean of the mean normal."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.files.encode import decoded_normal

LIMIT = 2.0


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    mean = decoded_normal(codes).reshape(-1, 3).mean(axis=0)
    lean = float(np.degrees(np.arctan2(np.hypot(mean[0], mean[1]), mean[2])))
    yield Finding(
        "attention" if lean > LIMIT else "pass", f"{lean:.2f}°", f"under {LIMIT:g}°", map="normal", ratio=lean / LIMIT
    )


RULE = Rule(
    id="normal.tilt",
    title="The surface as a whole is not tilted",
    fault="The surface as a whole is tilted",
    why="A mean normal that leans makes the whole surface look turned toward one side.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
