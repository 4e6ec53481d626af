"""Flat comes out as 128, 128."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject

LIMIT = 20.0


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    file = subject.file_of("normal")
    if codes is None or file is None:
        return
    top = np.iinfo(codes.dtype).max
    red, green = (float(v) * 255 / top for v in np.median(codes[..., :2].reshape(-1, 2), axis=0))
    off = max(abs(red - 127.5), abs(green - 127.5))
    bad = file.encoding != "linear" or off > LIMIT
    yield Finding(
        "blocked" if bad else "pass",
        f"middle {red:.0f}, {green:.0f}",
        f"128 ± {LIMIT:g}",
        map="normal",
        ratio=off / LIMIT,
    )


RULE = Rule(
    id="normal.encoding",
    title="The normal is stored linear",
    fault="The normal is not stored linear",
    why="An sRGB-encoded normal bends every vector; flat is then 188 instead of 128.",
    source="IEC 61966-2-1; glTF 2.0, 3.9.3",
    look=look,
    basis="stored",
)
