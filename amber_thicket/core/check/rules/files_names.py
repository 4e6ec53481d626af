"""File names are unique, portable and end in the map role."""

from __future__ import annotations

import re
from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Rule, Subject

PORTABLE = re.compile(r"[A-Za-z0-9._-]{1,120}")


def look(subject: Subject) -> Iterable[Finding]:
    names = [file.name for file in subject.plan.files]
    odd = [name for name in names if not all(PORTABLE.fullmatch(part) for part in name.split("/"))]
    twice = len({name.lower() for name in names}) != len(names)
    yield Finding(
        "blocked" if odd or twice else "pass", ", ".join(odd) or f"{len(names)} names", "letters, figures, . _ -"
    )


RULE = Rule(
    id="files.names",
    title="Names are unique and portable",
    fault="Names clash, or do not work everywhere",
    why="Some systems fold case or refuse certain characters; a lost file breaks the set.",
    source="POSIX.1-2017, 3.282 portable file name characters",
    look=look,
    basis="stored",
)
