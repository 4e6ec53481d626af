"""The base colour file holds sRGB codes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.numeric.colour import srgb_to_linear


def look(subject: Subject) -> Iterable[Finding]:
    file, codes = subject.file_of("base_color"), subject.codes("base_color")
    if file is None or codes is None:
        return
    if file.encoding != "srgb":
        yield Finding("blocked", file.encoding, "sRGB", map="base_color")
        return
    light = srgb_to_linear(codes[::7, ::7].astype(np.float64) / ((1 << file.bits) - 1))
    off = float(np.abs(light - np.clip(subject.maps["base_color"].pixels[::7, ::7], 0, 1)).max())
    yield Finding(
        "pass" if off < 0.01 else "blocked", f"sRGB, off by {off:.4f}", "sRGB, off by under 0.01", map="base_color"
    )


RULE = Rule(
    id="base_color.encoding",
    title="Base colour is stored as sRGB",
    why="Renderers decode base colour from sRGB; linear values would come out far too dark.",
    source="IEC 61966-2-1; glTF 2.0, 3.9.2",
    look=look,
)
