"""Height and occlusion agree on what is deep."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.shading.convention import UNSURE, recess_agreement


def look(subject: Subject) -> Iterable[Finding]:
    sure = recess_agreement(subject.maps["height"].pixels, subject.maps["ambient_occlusion"].pixels)
    if abs(sure) < UNSURE:
        yield Finding("unknown", f"cannot tell ({sure:.2f})", "recesses dark", map="height")
        return
    yield Finding(
        "pass" if sure > 0 else "blocked", f"agrees with occlusion {sure:.2f}", f"over {UNSURE:g}", map="height"
    )


RULE = Rule(
    id="height.polarity",
    title="White is high",
    fault="The height may be upside down",
    why="An inverted height turns bumps into dents when it displaces.",
    source="common practice, no source",
    look=look,
    basis="reading",
    doubt="under 0.05 either way it is not known",
)
