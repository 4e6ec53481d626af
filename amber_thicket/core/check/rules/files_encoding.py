"""The files say how their colours are coded."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject

_TOLD = {"png": "chunks", "exr": "linear by definition", "tiff": "description"}


def look(subject: Subject) -> Iterable[Finding]:
    silent = sorted({file.format.upper() for file in subject.plan.files if file.format not in _TOLD})
    if silent:
        yield Finding("note", f"{', '.join(silent)}: readers have to be told", "tags that say sRGB or not")
        return
    wrong = [f.name for f in subject.plan.files if f.floating and f.encoding != "linear"]
    said = ", ".join(wrong) or "every file says so"
    yield Finding("blocked" if wrong else "pass", said, "tags that say sRGB or not")


RULE = Rule(
    id="files.encoding",
    title="Encodings are told by the files",
    why="A data map that is read as a colour, or the other way round, is wrong everywhere.",
    source="PNG third edition, 11.3.2; OpenEXR: pixels are scene-linear",
    look=look,
)
