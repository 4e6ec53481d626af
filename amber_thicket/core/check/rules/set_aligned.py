"""Maps that were brought lie on each other."""

from __future__ import annotations

import math
from collections.abc import Iterable

from amber_thicket.core.check.aligned import ASIDE, OF_TONE, Beside, beyond_light, lying_beside, steep
from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject
from amber_thicket.core.gather.registration import moved_back
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.settings import as_plain
from amber_thicket.core.shading.raking import raking

LIMIT = 0.5
# Maps that change where the others do, the surest first.
_COMPARED = ("height", "ambient_occlusion", "normal", "base_color", "roughness")


def look(subject: Subject) -> Iterable[Finding]:
    placements = subject.notes.get("placements", {})
    for role, fit in placements.items():
        # What photographs show is told of the whole picture, not of the part that became the tile.
        yield Finding(fit.level, fit.told.rstrip("."), "what both photographs show meets", map=role)
    brought = [role for role in subject.notes.get("brought", ()) if role in _COMPARED and role in subject.maps]
    if not brought:
        if not placements:
            yield Finding("pass", "made of one picture", f"within {LIMIT:g} px")
        return
    roles = [role for role in _COMPARED if role in brought or role == "base_color"]
    fields = {role: steep(subject.maps[role].pixels, leans=role == "normal") for role in roles}
    found = lying_beside(fields, roles[0])
    width = fields[roles[0]].shape[1]
    scale = subject.size[0] / width
    light = raking(subject.maps["base_color"].pixels)
    for role in roles:
        if role not in found:
            measured = "cannot tell: it changes elsewhere than the others"
            yield Finding("unknown", measured, f"within {LIMIT:g} px", map=role)
            continue
        off = found[role]
        limit = max(LIMIT, ASIDE * scale)
        far = math.hypot(off.x, off.y) * scale
        measured = f"{off.x * scale:+.1f}, {off.y * scale:+.1f} px"
        if role in OF_TONE:
            # What is held against the limit is told.
            far = beyond_light(off, light, width) * scale
            measured += f", {far:.1f} px more than light explains"
        if far <= limit:
            yield Finding("pass", measured, f"within {limit:.1f} px", map=role)
        else:
            fix = _fix(subject.recipe, role, off, fields[role].shape)
            yield Finding("attention", measured, f"within {limit:.1f} px", map=role, fix=fix)


def _fix(recipe: Recipe, role: str, off: Beside, shape: tuple[int, ...]) -> Fix | None:
    """Moves the file back, where it is taken whole; None where it is cropped, turned or looked at aslant."""
    key = getattr(recipe.settings("gather.maps"), role).split(".")[0]
    plain = all(
        recipe.settings(name) == type(recipe.settings(name))()
        for name in ("gather.orient", "square.crop", "square.flat", "square.lens")
    )
    laid = recipe.settings("gather.registration")
    # Files that hang together with others are moved in Gather, where all of them are seen.
    others = laid.joined or any(row.on for row in laid.files) or recipe.settings("gather.maps").base_color
    if not key or not plain or others or recipe.settings("tile.join").method != "none":
        return None
    rows = moved_back(laid.files, key, off.x / shape[1], off.y / shape[0])
    return Fix("Move it back", {"gather.registration.files": as_plain(rows)})


RULE = Rule(
    id="set.aligned",
    title="Maps lie on each other",
    fault="Maps do not lie on each other",
    why="Where they do not, edges of colour, relief and gloss fall apart.",
    source="Kuglin & Hines 1975 (correlation at every shift)",
    look=look,
    basis="reading",
    doubt="maps that change in different places cannot say",
)
