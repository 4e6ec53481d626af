"""Length of the stored vectors."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject, box_of
from amber_thicket.core.files.encode import decoded_normal

LIMIT = 0.02


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    length = np.linalg.norm(decoded_normal(codes), axis=-1)
    off = np.abs(length - 1)
    worst, typical = float(off.max()), float(off.mean())
    bad = worst > LIMIT
    yield Finding(
        "blocked" if bad else "pass",
        f"off by {typical:.4f}, at most {worst:.3f}",
        f"at most {LIMIT:g}",
        map="normal",
        box=box_of(off > LIMIT) if bad else None,
        ratio=worst / LIMIT,
    )


RULE = Rule(
    id="normal.unit_length",
    title="Normals have length 1",
    fault="Normals are not of length 1",
    why="Joins and 8-bit storage shorten vectors; renderers then light the place too dark.",
    source="glTF 2.0, 3.9.3",
    look=look,
    basis="stored",
)
