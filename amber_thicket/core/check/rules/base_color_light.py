"""No light from one side is left in the colour."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.shading.raking import ONE_SIDE, raking

# Degrees between two axes from which on they are not one light's.
_ACROSS = 45.0


def _across(one: float, other: float) -> bool:
    """Whether two bearings, degrees, lie on different axes."""
    return abs((one - other + 90.0) % 180.0 - 90.0) > _ACROSS


def look(subject: Subject) -> Iterable[Finding]:
    light = raking(subject.maps["base_color"].pixels)
    bad = light.weight > ONE_SIDE
    already = subject.recipe.settings("even.raking").amount > 0
    fix = Fix("Take relief shading out", {"even.raking.amount": 80.0}) if bad and not already else None
    measured = f"{light.weight:.2f}, along {light.bearing:.0f}°" if light.weight else "from no one side"
    taken = subject.notes.get("light_taken")
    if bad and taken is not None and _across(light.bearing, taken):
        # What runs across the light that was taken out may as well be the surface's own.
        yield Finding("unknown", f"{measured}; {taken:.0f}° was taken out", f"under {ONE_SIDE:g}", map="base_color")
        return
    yield Finding(
        "attention" if bad else "pass",
        measured,
        f"under {ONE_SIDE:g}",
        map="base_color",
        fix=fix,
        ratio=light.weight / ONE_SIDE,
    )


RULE = Rule(
    id="base_color.light",
    title="No light is left in the colour",
    fault="Light is left in the colour",
    why="Light that is painted in falls from the wrong side as soon as the lamp moves.",
    source="the light's axis read from the spectrum; limit from measured photographs",
    look=look,
    basis="reading",
    doubt="a surface with ridges along one axis can look lit",
)
