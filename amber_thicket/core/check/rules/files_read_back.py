"""Every file reads back as it was written."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    told = subject.notes.get("read_back")
    if told is None:
        yield Finding("note", "every file is read again when it is packed", "the very numbers")
        return
    off = [name for name, same in told.items() if not same]
    said = ", ".join(off) or f"{len(told)} files"
    yield Finding("blocked" if off else "pass", said, "the very numbers")


RULE = Rule(
    id="files.read_back",
    title="Files read back as written",
    fault="A file does not read back as it was written",
    why="What another program reads is what was proven here.",
    source="PNG, TIFF and OpenEXR are lossless by definition",
    look=look,
    basis="stored",
)
