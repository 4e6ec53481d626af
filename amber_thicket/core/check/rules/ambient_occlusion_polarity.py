"""Mean of the occlusion and its agreement with the height."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.shading.convention import UNSURE, recess_agreement


def look(subject: Subject) -> Iterable[Finding]:
    pixels = subject.maps["ambient_occlusion"].pixels
    mean = float(pixels.mean())
    sure = recess_agreement(subject.maps["height"].pixels, pixels)
    if mean > 0.995:
        yield Finding("note", f"mean {mean:.3f}: nearly blank", "0.5–0.99", map="ambient_occlusion")
    else:
        bad = mean < 0.5 or sure < -UNSURE
        said = f"mean {mean:.2f}, agrees {sure:.2f} with the height"
        yield Finding("blocked" if bad else "pass", said, "0.5–0.99", map="ambient_occlusion")


RULE = Rule(
    id="ambient_occlusion.polarity",
    title="Open places are white",
    fault="Open places are black in the occlusion",
    why="Inverted occlusion darkens the tops and lights the recesses.",
    source="glTF 2.0, 3.9.3; common practice",
    look=look,
    basis="reading",
    doubt="a surface whose floors are open agrees weakly",
)
