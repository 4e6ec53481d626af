"""What a zone is said to be made of is as bright as such things are."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.response.kinds import KINDS

# Wet ground is about half as bright.
_WET = 0.5


def look(subject: Subject) -> Iterable[Finding]:
    lying = subject.recipe.settings("response.covers")
    for name, kind_id, bright, id in subject.notes["made_of"]:
        kind = KINDS.get(kind_id)
        if kind is None:
            continue
        low, high = kind.albedo
        if lying.wet_zones.get(id, lying.wet) or lying.puddles:
            low *= _WET
        ratio = max(low / max(bright, 1e-4), bright / high)
        yield Finding(
            "attention" if ratio > 1 else "pass",
            f"{name} ({kind.label.lower()}) reflects {100 * bright:.0f} % on the average",
            f"{100 * low:.0f}–{100 * high:.0f} %",
            "base_color",
            ratio=ratio,
        )


RULE = Rule(
    id="base_color.kind",
    title="Zones are as bright as what they are made of",
    fault="A zone is not as bright as what it is made of",
    why="A photograph's exposure is anything; moss as bright as snow, or snow as dark as soil, was exposed wrongly.",
    source="Oke, Boundary Layer Climates, 1987, for grounds; the rest common practice, no source",
    look=look,
)
