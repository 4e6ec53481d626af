"""Profiles: which files are written and what each channel holds.

Source of the glTF layout: Khronos glTF 2.0 specification, section 3.9 (occlusion in R, roughness in G,
metallic in B; normal +Y; base colour sRGB, the rest linear).
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from typing import Literal

from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.present import says_something
from amber_thicket.core.roles import OPTIONAL, ROLES, Encoding
from amber_thicket.errors import BadSetting

YDirection = Literal["plus", "minus"]


@dataclass(frozen=True)
class FileRule:
    """One file of a profile. suffix: end of its name. roles: one role, or one a channel (R, G, B).
    required: written even when a map in it is blank."""

    suffix: str
    roles: tuple[str, ...]
    required: bool = True


@dataclass(frozen=True)
class Profile:
    """A set of files for one kind of receiver. y: where green points. glb: a .glb scene is added.
    gloss: it takes gloss instead of
    roughness. needs: maps that must be there. png_only: the receiver reads PNG alone."""

    id: str
    label: str
    y: YDirection
    files: tuple[FileRule, ...]
    glb: bool = False
    png_only: bool = False
    gloss: bool = False
    needs: tuple[str, ...] = ("base_color", "normal", "roughness")


_SEPARATE = tuple(
    FileRule(role.id, (role.id,), required=role.made and role.id not in ("metallic", "curvature"))
    for role in ROLES.values()
)
PROFILES: dict[str, Profile] = {
    profile.id: profile
    for profile in (
        Profile("separate_y_plus", "Separate maps, Y+", "plus", _SEPARATE),
        Profile("separate_y_minus", "Separate maps, Y−", "minus", _SEPARATE),
        Profile(
            "gltf",
            "glTF 2.0, packed",
            "plus",
            (
                FileRule("base_color", ("base_color",)),
                FileRule("normal", ("normal",)),
                FileRule("occlusion_roughness_metallic", ("ambient_occlusion", "roughness", "metallic")),
                FileRule("height", ("height",)),
            ),
            glb=True,
            png_only=True,
        ),
    )
}


@dataclass(frozen=True)
class PlannedFile:
    """A picture file that will be written. bits: per channel. y: green direction when it holds a normal."""

    name: str
    format: Literal["png", "tiff"]
    roles: tuple[str, ...]
    bits: int
    encoding: Encoding
    y: YDirection | None

    @property
    def channels(self) -> int:
        return len(self.roles) if len(self.roles) > 1 else ROLES[self.roles[0]].channels


@dataclass(frozen=True)
class Plan:
    """All files of a pack. left_out: roles with nothing to say, named instead of written."""

    profile: Profile
    files: tuple[PlannedFile, ...]
    left_out: tuple[str, ...]
    stem: str


def profile_named(id: str) -> Profile:
    """Raises BadSetting when there is no such profile."""
    if id not in PROFILES:
        raise BadSetting(f"There is no profile “{id[:60]}”.", remedy=f"Known: {', '.join(PROFILES)}.")
    return PROFILES[id]


def portable(name: str) -> str:
    """A file name stem every system accepts: ASCII letters, figures, - and _; never empty."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^A-Za-z0-9_-]+", "_", plain).strip("_-")[:80] or "material"


def blank_roles(recipe: Recipe) -> set[str]:
    """Maps in which nothing is, or that are not asked for: metallic that is off, optional ones, curvature."""
    blank = {role for role in (*OPTIONAL, "metallic") if not says_something(recipe, role)}
    if not recipe.settings("relief.curvature").in_pack:
        blank.add("curvature")
    return blank


def planned(recipe: Recipe, name: str) -> Plan:
    """The files a recipe's pack will hold. name: the material's, used when the recipe names none."""
    settings = recipe.settings("pack.files")
    profile = PROFILES[settings.profile]
    y_setting = recipe.settings("relief.normal").y_in_files
    y: YDirection = profile.y if y_setting == "profile" else y_setting
    stem = portable(settings.name or name)
    blank = blank_roles(recipe)
    files: list[PlannedFile] = []
    left_out: list[str] = []
    for rule in profile.files:
        if not rule.required and set(rule.roles) <= blank:
            left_out += [role for role in rule.roles if ROLES[role].made and role != "curvature"]
            continue
        files.append(
            PlannedFile(
                f"{stem}_{rule.suffix}.{'png' if profile.png_only or settings.format == 'png' else 'tif'}",
                "png" if profile.png_only else settings.format,
                rule.roles,
                int(settings.height_bits) if rule.roles == ("height",) else 8,
                ROLES[rule.roles[0]].encoding,
                y if rule.roles == ("normal",) else None,
            )
        )
    return Plan(profile, tuple(files), tuple(left_out), stem)
