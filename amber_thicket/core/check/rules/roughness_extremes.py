"""Share of the roughness at 0 or 1."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of

# Single pixels do no harm.
_FEW = 0.05


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("roughness")
    if codes is None:
        return
    mask = (codes == 0) | (codes == np.iinfo(codes.dtype).max)
    share = float(mask.mean()) * 100
    bad = share > _FEW
    fix = Fix("Reset the limits", {"response.roughness.low": None, "response.roughness.high": None}) if bad else None
    yield Finding(
        "attention" if bad else "pass",
        f"{share:.2f} %",
        f"under {_FEW:g} % at 0 or 1",
        map="roughness",
        box=box_of(mask) if bad else None,
        fix=fix,
        ratio=share / _FEW,
    )


RULE = Rule(
    id="roughness.extremes",
    title="No perfect mirror, no perfect chalk",
    fault="Places are perfect mirrors or perfect chalk",
    why="Roughness of exactly 0 or 1 makes highlights vanish or sparkle.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
