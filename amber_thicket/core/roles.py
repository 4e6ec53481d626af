"""One table of map roles: what a map means, how it is stored, what can be done with it.

A role that is added here is brought by files, set, painted, changed by zones, shown and packed without another line,
as far as its descriptor says so; what the page shows of it comes from here too.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

Encoding = Literal["srgb", "linear"]


@dataclass(frozen=True)
class Uniform:
    """The setting that fills a whole map: a level 0..1, or a colour "#rrggbb". help: of the setting; about: of the
    operation."""

    default: float | str
    help: str
    about: str


@dataclass(frozen=True)
class ZoneEffect:
    """What a zone may change on a map. label: of the change. start: the settings it begins with, as in finish.py and
    shape.py."""

    label: str
    start: dict[str, Any]


@dataclass(frozen=True)
class Role:
    """What one kind of map means.

    channels: 1 or 3. encoding: how files store it. blank: the value that says nothing (a map that is blank everywhere
    may be left out). bits: usual bit depth of a file. white: what a high value stands for, in words. made: every
    surface has such a map; the others are there only when the capture brings them or a setting asks for them.
    short: its label where room is scarce. words: that name it in file names. brought: a file may bring it; shot:
    whether such a file is a photograph, which may lie elsewhere than the first one. uniform: the setting that fills
    it; None where it is made otherwise. finished: id of the operation that holds its strokes and what zones change;
    "" for none. zone: what a zone may change. covered: what a deposit makes of it: one of the deposit's own settings,
    or a value; None where it lets it be. lit: the lit view shows it.
    """

    id: str
    label: str
    channels: int
    encoding: Encoding
    blank: float
    bits: int
    white: str
    made: bool = True
    short: str = ""
    words: tuple[str, ...] = ()
    brought: bool = True
    shot: Literal["", "often", "sometimes"] = ""
    uniform: Uniform | None = None
    finished: str = ""
    zone: ZoneEffect | None = None
    covered: Literal["colour", "roughness", "metallic"] | float | None = None
    lit: bool = False

    @property
    def shape(self) -> Literal["height", "roughness", "colour", "scalar"]:
        """What a zone's change of it is made of."""
        if self.id in ("height", "roughness"):
            return self.id  # type: ignore[return-value]
        return "colour" if self.channels == 3 else "scalar"


ROLES: dict[str, Role] = {
    role.id: role
    for role in (
        Role(
            "base_color", "Base colour", 3, "srgb", 0.5, 8, "bright",
            words=(
                "basecolor", "basecolour", "albedo", "diffuse", "color", "colour", "diff", "dif", "col", "alb", "bc",
            ),
            finished="response.on_base_color", zone=ZoneEffect("Tint", {"amount": 50}), covered="colour", lit=True,
        ),
        Role(
            "height", "Height", 1, "linear", 0.5, 16, "high",
            words=("height", "heightmap", "displacement", "displace", "disp", "bump", "hgt"),
            finished="relief.shape", zone=ZoneEffect("Height", {"raised": 10}), lit=True,
        ),
        Role(
            "normal", "Normal", 3, "linear", 0.5, 8, "the axis' positive side",
            words=("normal", "normals", "normalmap", "nrm", "norm", "nor", "nml"), lit=True,
        ),
        Role(
            "roughness", "Roughness", 1, "linear", 0.5, 8, "rough", words=("roughness", "rough", "rgh"),
            finished="response.on_roughness", zone=ZoneEffect("Roughness", {"level": 0.4}), covered="roughness",
            lit=True,
        ),
        Role(
            "metallic", "Metallic", 1, "linear", 0.0, 8, "metal",
            words=("metallic", "metalness", "metal", "mtl", "met"),
            uniform=Uniform(
                0.0,
                "0 is off: the map is blank and left out. Bare metal is 1, or a little less so that it never goes "
                "black.",
                "Which places are bare metal.",
            ),
            finished="response.on_metallic", zone=ZoneEffect("Metallic", {"level": 0.95, "spread": 0}),
            covered="metallic", lit=True,
        ),
        Role("curvature", "Curvature", 1, "linear", 0.5, 8, "bends outward", words=("curvature", "curv")),
        Role(
            "ambient_occlusion", "Ambient occlusion", 1, "linear", 1.0, 8, "open to the sky", short="Occlusion",
            words=("ambientocclusion", "occlusion", "occ", "ao"),
            finished="relief.on_ambient_occlusion", zone=ZoneEffect("Occlusion", {"level": 0.7}), lit=True,
        ),
        Role(
            "specular", "Specular", 3, "srgb", 0.0, 8, "mirrors much", made=False, words=("specular", "spec", "spc"),
            uniform=Uniform(
                "#383838",
                "How strongly it mirrors straight on; #383838 is the usual 4 % of what is no metal.",
                "How strongly and in which colour each place mirrors.",
            ),
            finished="response.on_specular", zone=ZoneEffect("Specular", {"colour": "#505050", "keep": 0}),
            covered=0.04, lit=True,
        ),
        Role(
            "opacity", "Opacity", 1, "linear", 1.0, 8, "solid", made=False,
            words=("opacity", "alpha", "transparency", "opac"), shot="sometimes",
            uniform=Uniform(1.0, "1 is solid, 0 lets everything through.", "Which places are solid."),
            finished="response.on_opacity", zone=ZoneEffect("Opacity", {"level": 0, "spread": 0}), lit=True,
        ),
        Role(
            "translucency", "Translucency", 3, "srgb", 0.0, 8, "lets light through", made=False,
            words=("translucency", "transmission", "translucent"), shot="often",
            uniform=Uniform(
                "#000000",
                "Light that comes through from behind; black is none.",
                "Which places let light through, and in which colour.",
            ),
            finished="response.on_translucency", zone=ZoneEffect("Translucency", {"colour": "#40602a", "keep": 0}),
            covered=0.0, lit=True,
        ),
        Role(
            "back_color", "Back side", 3, "srgb", 0.0, 8, "bright", made=False, shot="often",
            uniform=Uniform("#000000", "The colour of the other side; black is none.", "The other side."),
            finished="response.on_back_color",
        ),
        Role("relief_broad", "Broad relief", 1, "linear", 0.5, 16, "high", made=False, brought=False),
        Role("relief_fine", "Fine relief", 1, "linear", 0.5, 16, "high", made=False, brought=False),
        Role("relief_veins", "Veins", 1, "linear", 0.0, 16, "crest of a vein", made=False, brought=False),
        Role(
            "emissive", "Emissive", 3, "srgb", 0.0, 8, "shines by itself", made=False,
            words=("emissive", "emission", "emit", "glow"), shot="sometimes",
            uniform=Uniform("#000000", "Light it gives off by itself; black is none.", "Which places shine."),
            finished="response.on_emissive", zone=ZoneEffect("Emissive", {"colour": "#ffb45a", "keep": 0}),
            covered=0.0, lit=True,
        ),
    )
}  # fmt: skip


def _to_compare(role: Role) -> Role:
    """What a map is compared with: the same role, but nothing is done with it."""
    return Role(
        f"truth_{role.id}", f"{role.label}, truth", role.channels, role.encoding, role.blank, role.bits, role.white,
        made=False, short=f"True {role.label.lower()}",
    )  # fmt: skip


# What a map is compared with: the truth of a simulated surface, or another program's result. Never used, never packed.
COMPARED: dict[str, Role] = {
    role.id: role for role in map(_to_compare, (ROLES[id] for id in ("base_color", "height", "normal", "roughness")))
}
# Photographs that help to make maps and are none themselves. Never packed.
BESIDE: dict[str, Role] = {
    "other_light": Role(
        "other_light", "In another light", 3, "srgb", 0.5, 8, "bright", made=False, short="Other light",
        words=("otherlight", "secondlight", "flash", "withflash"), shot="often",
    )
}  # fmt: skip
EVERY: dict[str, Role] = {**ROLES, **COMPARED, **BESIDE}

MADE: tuple[str, ...] = tuple(role.id for role in ROLES.values() if role.made)
OPTIONAL: tuple[str, ...] = tuple(role.id for role in ROLES.values() if not role.made)
