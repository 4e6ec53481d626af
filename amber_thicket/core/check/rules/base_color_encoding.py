"""The base colour file holds sRGB codes, or linear light in floats."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.numeric.colour import srgb_to_linear
from amber_thicket.core.roles import Encoding

NAMES: dict[Encoding, str] = {"srgb": "sRGB", "linear": "linear light"}


def look(subject: Subject) -> Iterable[Finding]:
    file, codes = subject.file_of("base_color"), subject.codes("base_color")
    if file is None or codes is None:
        return
    wanted: Encoding = "linear" if file.floating else "srgb"
    if file.encoding != wanted:
        yield Finding("blocked", NAMES[file.encoding], NAMES[wanted], map="base_color")
        return
    floats = subject.floats("base_color")
    light = srgb_to_linear(codes[::7, ::7] / np.iinfo(codes.dtype).max) if floats is None else floats[::7, ::7]
    true = subject.maps["base_color"].pixels[::7, ::7]
    off = float(np.abs(light - (np.clip(true, 0, 1) if floats is None else true)).max())
    said, limit = f"{NAMES[wanted]}, off by {off:.4f}", f"{NAMES[wanted]}, off by under 0.01"
    yield Finding("pass" if off < 0.01 else "blocked", said, limit, map="base_color")


RULE = Rule(
    id="base_color.encoding",
    title="Base colour is stored as its format wants",
    fault="The base colour is not stored as its format wants",
    why="Renderers decode whole numbers from sRGB and take floats as light: the other way the colour comes out wrong.",
    source="IEC 61966-2-1; glTF 2.0, 3.9.2; OpenEXR: pixels are scene-linear",
    look=look,
    basis="stored",
)
