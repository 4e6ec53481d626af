"""Spread of the roughness."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject

LIMIT = 0.005


def look(subject: Subject) -> Iterable[Finding]:
    spread = float(subject.maps["roughness"].pixels.std())
    bad = spread < LIMIT
    fix = Fix("Reset the spread", {"response.roughness.spread": None}) if bad else None
    yield Finding(
        "attention" if bad else "pass",
        f"spread {spread:.3f}",
        f"over {LIMIT:g}",
        map="roughness",
        fix=fix,
        ratio=LIMIT / max(spread, 1e-6),
    )


RULE = Rule(
    id="roughness.constant",
    title="Roughness varies",
    fault="The roughness is the same everywhere",
    why="One value everywhere makes a surface look like plastic.",
    source="common practice, no source",
    look=look,
)
