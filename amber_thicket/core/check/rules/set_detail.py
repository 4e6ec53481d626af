"""How much of the finished maps' resolution the capture has."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject

# Nobody sees less enlarging than the first; more than the second is soft at a glance. Less than the third is kept.
HARDLY, SOFT, SPENT = 1.03, 2.0, 0.5


def look(subject: Subject) -> Iterable[Finding]:
    scale: float | None = subject.notes.get("scale")
    if scale is None:
        return
    limit = f"enlarged under {SOFT:g} ×, shrunk to over {SPENT:g}"
    if scale > HARDLY:
        level = "attention" if scale > SOFT else "note"
        said = f"enlarged {scale:.1f} ×: the finest {scale:.1f} px are made up"
    elif scale < SPENT:
        level, said = "note", f"shrunk to {100 * scale:.0f} %: the capture has {1 / scale:.1f} × the pixels a side"
    else:
        level, said = "pass", f"{1 / scale:.1f} px of the capture to one of the maps"
    yield Finding(level, said, limit, map="base_color", ratio=max(scale / SOFT, SPENT / scale))  # type: ignore[arg-type]


RULE = Rule(
    id="set.detail",
    title="The maps show what was captured",
    fault="The maps show more than was captured",
    why="Enlarged maps are soft or made up; a sample that is shrunk far wastes what was photographed.",
    source="sampling: a picture holds nothing finer than two of its pixels (Shannon 1949)",
    look=look,
)
