"""Share of the height at its ends."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of

LIMIT = 1.0


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("height")
    if codes is None:
        return
    top = np.iinfo(codes.dtype).max
    mask = (codes == 0) | (codes == top)
    share = float(mask.mean()) * 100
    bad = share > LIMIT
    fix = Fix("Open the levels", {"relief.height.low": None, "relief.height.high": None}) if bad else None
    yield Finding(
        "attention" if bad else "pass",
        f"{share:.2f} %",
        f"under {LIMIT:g} %",
        map="height",
        box=box_of(mask) if bad else None,
        fix=fix,
        ratio=share / LIMIT,
    )


RULE = Rule(
    id="height.clipping",
    title="Height is not cut off",
    fault="The height is cut off",
    why="Flat tops and floors where levels cut the relief show as plateaus.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
