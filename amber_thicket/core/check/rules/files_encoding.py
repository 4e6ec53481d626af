"""The files say how their colours are coded."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.files.file_plan import encoding_for

_TOLD = {"png": "chunks", "exr": "linear by definition", "tiff": "description"}


def look(subject: Subject) -> Iterable[Finding]:
    files = subject.plan.files
    wrong = [file.name for file in files if file.encoding != encoding_for(file.contents, floating=file.floating)]
    if wrong:
        yield Finding("blocked", f"coded the wrong way: {', '.join(wrong)}", "colours as sRGB, data and floats linear")
        return
    silent = sorted({file.format.upper() for file in files if file.format not in _TOLD})
    said = f"{', '.join(silent)}: readers have to be told" if silent else "every file says so"
    yield Finding("note" if silent else "pass", said, "tags that say sRGB or not")


RULE = Rule(
    id="files.encoding",
    title="Encodings are told by the files",
    fault="Files do not tell their encoding",
    why="A data map that is read as a colour, or the other way round, is wrong everywhere.",
    source="PNG third edition, 11.3.2; OpenEXR: pixels are scene-linear",
    look=look,
    basis="stored",
)
