"""The colour has enough levels."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.levels import share_used
from amber_thicket.core.check.rule import Finding, Rule, Subject

LEAST = 0.6


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("base_color")
    if codes is None:
        return
    # Finer steps than those of 8 bits do no harm where they are missing.
    used = share_used(codes[..., 1] >> (8 if codes.dtype.itemsize > 1 else 0))
    bad = used < LEAST
    said = f"{100 * used:.0f} % of the levels between"
    yield Finding(
        "attention" if bad else "pass", said, f"over {100 * LEAST:g} %", map="base_color", ratio=LEAST / max(used, 1e-6)
    )


RULE = Rule(
    id="base_color.steps",
    title="The colour has enough levels",
    fault="The colour has too few levels",
    why="Gaps between levels show as steps in smooth tones once a light brightens them.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
