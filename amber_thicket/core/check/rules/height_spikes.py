"""No single pixels stick out of the height."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of
from amber_thicket.core.numeric.filters import pad
from amber_thicket.core.numeric.libraries import cv2

STEP, LIMIT = 0.3, 0.02


def look(subject: Subject) -> Iterable[Finding]:
    height = subject.maps["height"].pixels
    middle = cv2.medianBlur(pad(height, 2, wraps=True), 3)[2:-2, 2:-2]
    mask = np.abs(height - middle) > STEP
    share = float(mask.mean()) * 100
    bad = share > LIMIT
    fix = Fix("Take the finest back", {"relief.bands.finest": 0.2}) if bad else None
    box = box_of(mask) if bad else None
    yield Finding(
        "attention" if bad else "pass", f"{share:.3f} %", f"under {LIMIT:g} %", "height", box, fix, share / LIMIT
    )


RULE = Rule(
    id="height.spikes",
    title="No pixel sticks out of the height",
    fault="Single pixels stick out of the height",
    why="Displaced, a single high pixel is a needle.",
    source="against the median of 3 × 3 px; common practice, no source",
    look=look,
)
