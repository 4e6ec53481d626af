"""The file holds roughness or gloss, as the profile wants."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    file = subject.file_of("roughness")
    if file is None:
        return
    gloss = file.inverted("roughness")
    held, wanted = ("gloss", "roughness")[not gloss], ("gloss", "roughness")[not subject.plan.profile.gloss]
    packed = len(file.contents) > 1
    # Beside other maps a profile says by itself which of the two a channel holds.
    same = packed or held == wanted
    codes, inside = subject.codes("roughness"), subject.maps["roughness"].pixels
    agrees = codes is None or float(np.ptp(inside)) < 0.01 or np.corrcoef(codes.ravel(), inside.ravel())[0, 1] > 0.9
    level = "pass" if same and agrees else "blocked"
    yield Finding(level, held if agrees else f"{held}, the wrong way round", wanted, map="roughness")  # type: ignore[arg-type]


RULE = Rule(
    id="roughness.polarity",
    title="Roughness or gloss, as wanted",
    fault="Roughness and gloss are confused",
    why="Read the wrong way round, what shines turns dull and what is dull shines.",
    source="roughness = 1 − gloss; common practice, no source",
    look=look,
    basis="stored",
)
