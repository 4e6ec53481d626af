"""No lossy format for data."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject

LOSSLESS = ("png", "tiff")


def look(subject: Subject) -> Iterable[Finding]:
    lossy = [file.name for file in subject.plan.files if file.format not in LOSSLESS]
    formats = sorted({file.format.upper() for file in subject.plan.files})
    yield Finding("blocked" if lossy else "pass", ", ".join(lossy or formats), "PNG or TIFF")


RULE = Rule(
    id="files.lossless",
    title="Data maps are stored without loss",
    why="Lossy blocks in a normal or height become facets under light.",
    source="common practice, no source",
    look=look,
)
