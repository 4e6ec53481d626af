"""Bare metal is bright enough."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject, box_of
from amber_thicket.core.numeric.colour import coded_luminance

LEAST, LIMIT = 105, 20.0


def look(subject: Subject) -> Iterable[Finding]:
    metal = subject.maps["metallic"].pixels > 0.9
    if subject.file_of("metallic") is None or not metal.any():
        return
    codes = coded_luminance(subject.maps["base_color"].pixels) * 255
    dark = metal & (codes < LEAST)
    share = 100 * float(dark.sum()) / float(metal.sum())
    bad = share > LIMIT
    box = box_of(dark) if bad else None
    said = f"{share:.0f} % of the metal is darker, half of it is under {np.median(codes[metal]):.0f}"
    yield Finding(
        "attention" if bad else "pass",
        said,
        f"under {LIMIT:g} % darker than {LEAST}",
        "metallic",
        box,
        ratio=share / LIMIT,
    )


RULE = Rule(
    id="metallic.color",
    title="Bare metal is bright enough",
    fault="Bare metal is too dark",
    why="Metals throw back much of the light; a dark one turns black wherever nothing bright is mirrored.",
    source="metals reflect over half of the light but for a few alloys (CRC Handbook, optical properties of metals)",
    look=look,
)
