"""Pixels at the ends of the stored range."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject, box_of

LIMIT = 0.5


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("base_color")
    if codes is None:
        return
    mask = (codes == 0).all(axis=-1) | (codes == np.iinfo(codes.dtype).max).any(axis=-1)
    share = float(mask.mean()) * 100
    bad = share > LIMIT
    yield Finding(
        "attention" if bad else "pass",
        f"{share:.2f} %",
        f"under {LIMIT:g} %",
        map="base_color",
        box=box_of(mask) if bad else None,
        ratio=share / LIMIT,
    )


RULE = Rule(
    id="base_color.clipped",
    title="No clipped colours",
    fault="Colours are clipped",
    why="Where a colour channel is burnt out or crushed, the surface has lost its structure.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
