"""Darkest occlusion."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of

LIMIT = 0.05


def look(subject: Subject) -> Iterable[Finding]:
    pixels = subject.maps["ambient_occlusion"].pixels
    darkest = float(np.percentile(pixels, 0.1))
    bad = darkest < LIMIT
    contrast = subject.recipe.settings("relief.occlusion").contrast
    fix = Fix("Reset the contrast", {"relief.occlusion.contrast": None}) if bad and contrast > 1 else None
    yield Finding(
        "attention" if bad else "pass",
        f"{darkest:.2f}",
        f"over {LIMIT:g}",
        map="ambient_occlusion",
        box=box_of(pixels < LIMIT) if bad else None,
        fix=fix,
        ratio=LIMIT / max(darkest, 1e-6),
    )


RULE = Rule(
    id="ambient_occlusion.darkest",
    title="Occlusion does not go black",
    fault="Occlusion goes black",
    why="Black occlusion kills all light in the recess, whatever the renderer adds.",
    source="common practice, no source",
    look=look,
)
