"""Bit depth and number of levels really used."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.levels import levels
from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    file, codes = subject.file_of("height"), subject.codes("height")
    if file is None or codes is None:
        return
    used = levels(codes)
    fix = Fix("Store 16 bit", {"pack.files.height_bits": "16"}) if file.bits < 16 else None
    bad = file.bits < 16 or used < min(1024, codes.size // 8)
    yield Finding(
        "attention" if bad else "pass",
        f"{file.bits} bit, {used} levels",
        "16 bit, over 1024 levels",
        map="height",
        fix=fix,
    )


RULE = Rule(
    id="height.bit_depth",
    title="Height has enough steps",
    fault="The height has too few steps",
    why="Displacement from 8 bits shows terraces.",
    source="common practice, no source",
    look=look,
    basis="stored",
)
