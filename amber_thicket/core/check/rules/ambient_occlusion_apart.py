"""Occlusion is not painted into the colour."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.numeric.colour import log_luminance
from amber_thicket.core.numeric.filters import blur

LIMIT = 0.75


def look(subject: Subject) -> Iterable[Finding]:
    occlusion = subject.maps["ambient_occlusion"].pixels
    tone = log_luminance(subject.maps["base_color"].pixels, 1e-3)
    if float(occlusion.std()) < 0.01:
        return
    if not subject.notes.get("relief_brought"):
        # Relief that was read from the colour is dark where the colour is: that says nothing.
        yield Finding("note", "read from the colour itself", "cannot tell", map="ambient_occlusion")
        return
    width = occlusion.shape[1]
    ours, theirs = (f - blur(f, 0.05 * width, wraps=True) for f in (np.log(np.maximum(occlusion, 0.02)), tone))
    found = float(np.corrcoef(ours.ravel(), theirs.ravel())[0, 1])
    bad = found > LIMIT
    # Shading and occlusion of a height that came along can be divided out; without one they are not known apart.
    there = "height" in subject.notes["relief_brought"] and subject.recipe.settings("even.known_shading").amount < 100
    fix = Fix("Take the relief's light out", {"even.known_shading.amount": 100.0}) if bad and there else None
    yield Finding(
        "attention" if bad else "pass",
        f"alike by {found:.2f}",
        f"under {LIMIT:g}",
        map="ambient_occlusion",
        fix=fix,
        ratio=found / LIMIT,
    )


RULE = Rule(
    id="ambient_occlusion.apart",
    title="Occlusion is not in the colour",
    fault="Occlusion is in the colour as well",
    why="In the colour too, recesses are darkened twice, and stay dark in full light.",
    source="common practice, no source",
    look=look,
    basis="reading",
    doubt="a colour that is dark in recesses of its own looks the same",
)
