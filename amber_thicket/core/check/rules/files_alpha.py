"""No alpha is lost to a format that has none."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.pack.formats import FORMATS


def look(subject: Subject) -> Iterable[Finding]:
    with_alpha = [file for file in subject.plan.files if file.channels == 4]
    if not with_alpha:
        return
    lost = [file.name for file in with_alpha if not FORMATS[file.format].alpha]
    own = subject.recipe.settings("pack.files").profile == "own"
    fix = Fix("Write PNG", {"pack.files.format": "png"}) if lost and not own else None
    said = ", ".join(lost) or f"{len(with_alpha)} with alpha"
    yield Finding("blocked" if lost else "pass", said, "a format with alpha", fix=fix)


RULE = Rule(
    id="files.alpha",
    title="Alpha is kept",
    fault="Alpha is lost",
    why="JPEG has no fourth channel: what lies there is gone.",
    source="JPEG, ITU-T T.81 (JFIF has one or three components)",
    look=look,
    basis="stored",
)
