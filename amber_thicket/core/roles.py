"""One table of map roles: what a map means, how it is stored, and what "nothing here" looks like."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Encoding = Literal["srgb", "linear"]


@dataclass(frozen=True)
class Role:
    """What one kind of map means.

    channels: 1 or 3. encoding: how files store it. blank: the value that says nothing
    (a map that is blank everywhere may be left out). bits: usual bit depth of a file.
    white: what a high value stands for, in words. made: every surface has such a map; the others are there only
    when the capture brings them or a setting asks for them.
    """

    id: str
    label: str
    channels: int
    encoding: Encoding
    blank: float
    bits: int
    white: str
    made: bool = True


ROLES: dict[str, Role] = {
    role.id: role
    for role in (
        Role("base_color", "Base colour", 3, "srgb", 0.5, 8, "bright"),
        Role("height", "Height", 1, "linear", 0.5, 16, "high"),
        Role("normal", "Normal", 3, "linear", 0.5, 8, "the axis' positive side"),
        Role("roughness", "Roughness", 1, "linear", 0.5, 8, "rough"),
        Role("metallic", "Metallic", 1, "linear", 0.0, 8, "metal"),
        Role("curvature", "Curvature", 1, "linear", 0.5, 8, "bends outward"),
        Role("ambient_occlusion", "Ambient occlusion", 1, "linear", 1.0, 8, "open to the sky"),
        Role("specular", "Specular", 3, "srgb", 0.0, 8, "mirrors much", made=False),
        Role("opacity", "Opacity", 1, "linear", 1.0, 8, "solid", made=False),
        Role("translucency", "Translucency", 3, "srgb", 0.0, 8, "lets light through", made=False),
        Role("back_color", "Back side", 3, "srgb", 0.0, 8, "bright", made=False),
        Role("relief_broad", "Broad relief", 1, "linear", 0.5, 8, "high", made=False),
        Role("relief_fine", "Fine relief", 1, "linear", 0.5, 8, "high", made=False),
        Role("relief_veins", "Veins", 1, "linear", 0.0, 8, "crest of a vein", made=False),
        Role("emissive", "Emissive", 3, "srgb", 0.0, 8, "shines by itself", made=False),
    )
}

# What a map is compared with: the truth of a simulated surface, or another program's result. Never used, never packed.
COMPARED: dict[str, Role] = {
    f"truth_{id}": replace(ROLES[id], id=f"truth_{id}", label=f"{ROLES[id].label}, truth", made=False)
    for id in ("base_color", "height", "normal", "roughness")
}
EVERY: dict[str, Role] = {**ROLES, **COMPARED}

MADE: tuple[str, ...] = tuple(role.id for role in ROLES.values() if role.made)
OPTIONAL: tuple[str, ...] = tuple(role.id for role in ROLES.values() if not role.made)
