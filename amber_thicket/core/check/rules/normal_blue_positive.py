"""Blue is above the middle everywhere."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject, box_of


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    mask = codes[..., 2] < np.iinfo(codes.dtype).max // 2 + 1
    count = int(mask.sum())
    yield Finding("blocked" if count else "pass", f"{count} px point inwards", "none", map="normal", box=box_of(mask))


RULE = Rule(
    id="normal.blue_positive",
    title="Normals point out of the surface",
    fault="Normals point into the surface",
    why="A vector that points into the surface turns light inside out.",
    source="glTF 2.0, 3.9.3",
    look=look,
    basis="stored",
)
