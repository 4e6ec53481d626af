"""The normal has enough levels, and no blocks of a JPEG."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.blocks import BLOCKY
from amber_thicket.core.check.levels import share_used
from amber_thicket.core.check.rule import Finding, Rule, Subject

LEAST = 0.6


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    whole = codes[..., :2] >> (8 if codes.dtype.itemsize > 1 else 0)
    used = min(share_used(whole[..., axis]) for axis in (0, 1))
    said, wanted = f"{100 * used:.0f} % of the levels between", f"over {100 * LEAST:g} %"
    yield Finding("attention" if used < LEAST else "pass", said, wanted, map="normal")
    blocks = subject.notes.get("normal_blocks")
    if blocks is not None:
        level = "attention" if blocks > BLOCKY else "pass"
        said = f"lines at every eighth pixel {100 * (blocks - 1):.0f} % stronger"
        yield Finding(level, said, f"under {100 * (BLOCKY - 1):.0f} %", map="normal")  # type: ignore[arg-type]


RULE = Rule(
    id="normal.steps",
    title="The normal has enough levels and no blocks",
    fault="The normal has too few levels, or blocks",
    why="Steps and blocks turn into facets once light falls on them.",
    source="ITU-T T.81 (JPEG blocks); common practice",
    look=look,
    basis="stored",
)
