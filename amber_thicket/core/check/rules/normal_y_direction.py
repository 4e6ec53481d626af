"""Y direction of the stored normal, found from the pixels."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.files.encode import decoded_normal
from amber_thicket.core.shading.convention import y_direction

NAMES = {"plus": "Y+", "minus": "Y−", "unknown": "cannot tell"}


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("normal")
    if codes is None:
        return
    found, sure = y_direction(decoded_normal(codes))
    wanted = subject.plan.profile.y
    measured = f"{NAMES[found]}, sure {abs(sure):.2f}"
    if found == "unknown":
        yield Finding("unknown", f"cannot tell ({sure:.2f})", NAMES[wanted], map="normal")
    elif found == wanted:
        yield Finding("pass", measured, NAMES[wanted], map="normal")
    else:
        fix = Fix(f"Write {NAMES[wanted]}", {"relief.normal.y_in_files": "profile"})
        yield Finding("blocked", measured, NAMES[wanted], map="normal", fix=fix)


RULE = Rule(
    id="normal.y_direction",
    title="Green points the way the profile says",
    fault="Green points the other way than the profile says",
    why="The wrong way turns bumps into dents along one axis.",
    source="glTF 2.0, 3.9.3 (+Y); Y− is common practice, no source",
    look=look,
    basis="reading",
    doubt="a surface with slopes along one axis alone cannot say",
)
