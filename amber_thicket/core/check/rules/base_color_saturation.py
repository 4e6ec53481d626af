"""Colours a real surface can have."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of
from amber_thicket.core.numeric.oklab import to_oklab

CHROMA, LIMIT = 0.26, 1.0


def look(subject: Subject) -> Iterable[Finding]:
    lab = to_oklab(subject.maps["base_color"].pixels)
    mask = np.hypot(lab[..., 1], lab[..., 2]) > CHROMA
    share = float(mask.mean()) * 100
    bad = share > LIMIT
    fix = Fix("Take colour back", {"even.tone.saturation": -30.0}) if bad else None
    box = box_of(mask) if bad else None
    yield Finding(
        "attention" if bad else "pass", f"{share:.1f} %", f"under {LIMIT:g} %", "base_color", box, fix, share / LIMIT
    )


RULE = Rule(
    id="base_color.saturation",
    title="Colours are not too strong",
    fault="Colours are too strong",
    why="Colours at the rim of sRGB glow under coloured light; no paint or stone is like that.",
    source="CSS Color 4: sRGB primaries have an Oklab chroma of .26 to .32; limit is common practice, no source",
    look=look,
)
