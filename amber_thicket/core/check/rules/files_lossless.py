"""No lossy format for data."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.pack.formats import FORMATS


def look(subject: Subject) -> Iterable[Finding]:
    files = subject.plan.files
    lossy = [file.name for file in files if FORMATS[file.format].lossy and file.encoding == "linear"]
    formats = sorted({file.format.upper() for file in files})
    own = subject.recipe.settings("pack.files").profile == "own"
    fix = Fix("Write PNG", {"pack.files.format": "png"}) if lossy and not own else None
    yield Finding("blocked" if lossy else "pass", ", ".join(lossy or formats), "a lossless format", fix=fix)


RULE = Rule(
    id="files.lossless",
    title="Data maps are stored without loss",
    fault="Data maps lose detail in their files",
    why="Lossy blocks in a normal or height become facets under light.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
