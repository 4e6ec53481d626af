"""Share of half-metal pixels."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject

LIMIT = 10.0


def look(subject: Subject) -> Iterable[Finding]:
    pixels = subject.maps["metallic"].pixels
    share = float(((pixels > 0.2) & (pixels < 0.8)).mean()) * 100
    if subject.file_of("metallic") is None or not pixels.any():
        return
    full = float(pixels.min()) >= 1
    bad = share > LIMIT
    level = subject.recipe.settings("response.metallic").level
    # What zones and strokes make is theirs to mend.
    fix = Fix("Take metallic off", {"response.metallic.level": 0.0}) if bad and 0 < level < 1 else None
    if full:
        hold = Fix("Hold it at 0.95", {"response.metallic.level": 0.95})
        yield Finding("attention", "full white everywhere", "a little under full", map="metallic", fix=hold)
        return
    yield Finding(
        "attention" if bad else "pass",
        f"{share:.1f} % between",
        f"under {LIMIT:g} %",
        map="metallic",
        fix=fix,
        ratio=share / LIMIT,
    )


RULE = Rule(
    id="metallic.extremes",
    title="Metallic is nearly black or white",
    fault="Metallic is neither on nor off",
    why="Values between are no material; they belong only to thin borders.",
    source="glTF 2.0, appendix B",
    look=look,
)
