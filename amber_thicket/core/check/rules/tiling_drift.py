"""Large-scale drift of the base colour."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.figures import drift
from amber_thicket.core.check.rule import NOT_REPEATED, Finding, Fix, Rule, Subject
from amber_thicket.core.numeric.colour import linear_to_lab

LIMIT = 1.5


def look(subject: Subject) -> Iterable[Finding]:
    if subject.recipe.settings("tile.cutout").on:
        yield NOT_REPEATED
        return
    values = linear_to_lab(subject.maps["base_color"].pixels)
    spread = drift(values)
    bad = spread > LIMIT
    amount = subject.recipe.settings("even.drift").amount
    fix = Fix("Even the drift", {"even.drift.amount": 100.0}) if bad and amount < 100 else None
    yield Finding(
        "attention" if bad else "pass",
        f"ΔE {spread:.2f}",
        f"under {LIMIT:g}",
        map="base_color",
        fix=fix,
        ratio=spread / LIMIT,
    )


RULE = Rule(
    id="tiling.drift",
    title="No slow change of tone or colour",
    fault="Tone or colour changes slowly from side to side",
    why="Tone or colour that drifts across the tile makes a quilt when it repeats.",
    source="spread of local means (σ = 1/8 tile), limit ⅓ of the untreated where that was visible",
    look=look,
)
