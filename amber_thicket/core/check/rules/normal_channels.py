"""Red and green are where they belong."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.shading.normal_reading import normal_reading


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    read = normal_reading((codes[..., :3] / np.iinfo(codes.dtype).max).astype(np.float32))
    brought = subject.recipe.settings("gather.maps").normal != ""
    fix = Fix("Swap them back", {"gather.maps.normal_swapped": True}) if read.swapped and brought else None
    unknown = not read.swapped and (read.y == "unknown" or not read.told)
    said = "swapped" if read.swapped else "cannot tell" if unknown else f"as they should be, {read.sure:.2f}"
    level = "blocked" if read.swapped else "unknown" if unknown else "pass"
    yield Finding(level, said, "red across, green up and down", map="normal", fix=fix)  # type: ignore[arg-type]


RULE = Rule(
    id="normal.channels",
    title="Red and green are not swapped",
    fault="Red and green are swapped",
    why="Swapped, light from the left seems to come from above.",
    source="integrability, Frankot & Chellappa, IEEE TPAMI 10(4), 1988; the statistic is ours",
    look=look,
    basis="reading",
    doubt="a surface with slopes along one axis alone cannot say",
)
