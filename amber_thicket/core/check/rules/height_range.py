"""Share of the range in use."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject

LIMIT = 50.0


def look(subject: Subject) -> Iterable[Finding]:
    pixels = subject.maps["height"].pixels
    low, high = (float(v) for v in np.percentile(pixels, (0.1, 99.9)))
    used = (high - low) * 100
    yield Finding(
        "attention" if used < LIMIT else "pass",
        f"{used:.0f} %",
        f"over {LIMIT:g} %",
        map="height",
        ratio=LIMIT / max(used, 1e-6),
    )


RULE = Rule(
    id="height.range",
    title="Height uses its range",
    fault="The height uses little of its range",
    why="A map that uses a small part of its range wastes precision.",
    source="common practice, no source",
    look=look,
)
