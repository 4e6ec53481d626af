"""The roughness file is stored linear."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject


def look(subject: Subject) -> Iterable[Finding]:
    file = subject.file_of("roughness")
    if file is None:
        return
    coded = file.encoding_of("roughness")
    yield Finding("pass" if coded == "linear" else "blocked", coded, "linear", map="roughness")


RULE = Rule(
    id="roughness.encoding",
    title="Roughness is stored linear",
    fault="The roughness is not stored linear",
    why="Read through a colour curve, every surface would come out too smooth or too rough.",
    source="glTF 2.0, 3.9.2",
    look=look,
    basis="stored",
)
