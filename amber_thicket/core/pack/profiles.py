"""Profiles: which files are written and what each channel holds.

Source of the glTF layout: Khronos glTF 2.0 specification, section 3.9 (occlusion in R, roughness in G,
metallic in B; normal +Y; base colour sRGB, the rest linear). The other layouts are common practice, no source.
"""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, BeforeValidator, Field, field_validator, model_validator

from amber_thicket.core.pack.formats import BITS, FORMATS
from amber_thicket.core.response.convert import DERIVED, DERIVED_LABELS, ONE_CHANNEL
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import Record
from amber_thicket.errors import BadSetting

YDirection = Literal["plus", "minus"]
CONSTANTS = {"white": 1.0, "black": 0.0}
# Everything a channel may hold; "1-" before it inverts.
CONTENTS: tuple[str, ...] = (*ROLES, *DERIVED, *CONSTANTS)
CONTENT_LABELS: dict[str, str] = {
    **{role.id: role.short or role.label for role in ROLES.values()},
    **DERIVED_LABELS,
    "white": "White",
    "black": "Black",
}
_MOST_FILES = 24
_SUFFIX = re.compile(r"[A-Za-z0-9_-]{1,40}")


def content_of(token: str) -> str:
    """The map a channel holds, inverted or not."""
    return token.removeprefix("1-")


def has_colour(content: str) -> bool:
    """Whether a map has three channels."""
    role = ROLES.get(content)
    return (content in DERIVED and content not in ONE_CHANNEL) or (role is not None and role.channels == 3)


class FileRule(Record):
    """One file of a profile. suffix: end of its name. channels: one content (a whole map), two (a whole map and alpha),
    or three or four (R, G, B and alpha); "1-roughness" is gloss. required: written even when all in it is blank.
    format, depth: "" takes what pack.files says."""

    suffix: str
    channels: tuple[str, ...]
    required: bool = True
    format: str = ""
    depth: str = ""

    @model_validator(mode="after")
    def _can_be_written(self) -> FileRule:
        suffix, format, depth = self.suffix, self.format, self.depth
        if not _SUFFIX.fullmatch(suffix):
            raise ValueError("a suffix is up to 40 letters, figures, _ and -")
        if not 1 <= len(self.channels) <= 4:
            raise ValueError(f"{suffix}: one to four channels")
        for number, token in enumerate(self.channels):
            self._check_channel(token, whole=number == 0 and len(self.channels) <= 2)
        if format and format not in FORMATS:
            raise ValueError(f"{suffix}: formats are {', '.join(FORMATS)}")
        if depth and depth not in BITS:
            raise ValueError(f"{suffix}: depths are 8, 16, half and float")
        if format and depth and depth not in FORMATS[format].depths:
            raise ValueError(f"{suffix}: {format} has {' or '.join(FORMATS[format].depths)}, not {depth}")
        return self

    def _check_channel(self, token: str, *, whole: bool) -> None:
        content = content_of(token)
        if content not in CONTENTS:
            raise ValueError(f"{self.suffix}: “{token[:30]}” is no map")
        if has_colour(content) and not whole:
            raise ValueError(f"{self.suffix}: {content} has three channels and fits into none of a packed file")
        if content == "normal" and token != "normal":
            raise ValueError(f"{self.suffix}: a normal is not inverted; choose Y− instead")


class Profile(Record):
    """A set of files for one kind of receiver. y: where green points. glb: the material is added as glTF besides.
    needs: maps that must be there. png_only: the receiver reads PNG alone. gloss: it takes gloss instead of
    roughness."""

    id: str
    label: str
    y: YDirection
    files: tuple[FileRule, ...] = Field(min_length=1, max_length=_MOST_FILES)
    glb: bool = False
    png_only: bool = False
    gloss: bool = False
    needs: tuple[str, ...] = ("base_color", "normal", "roughness")

    @field_validator("files")
    @classmethod
    def _have_names(cls, files: tuple[FileRule, ...]) -> tuple[FileRule, ...]:
        if len({file.suffix.lower() for file in files}) != len(files):
            raise ValueError("two files of the profile have one name")
        return files

    @field_validator("needs")
    @classmethod
    def _are_maps(cls, needs: tuple[str, ...]) -> tuple[str, ...]:
        if any(role not in CONTENTS for role in needs):
            raise ValueError("needs names a map there is not")
        return needs


def _without_what_is_fixed(value: object) -> object:
    """An exported profile says more than one of one's own may: its id, and that it is a scene."""
    if not isinstance(value, dict):
        return value
    return {"label": "Own", "needs": [], **value, "id": "own", "glb": False, "png_only": False}


def _named(profile: Profile) -> Profile:
    return profile.model_copy(update={"label": profile.label[:60] or "Own"})


OwnProfile = Annotated[Profile, BeforeValidator(_without_what_is_fixed), AfterValidator(_named)]


def _file(suffix: str, *channels: str, required: bool = True) -> FileRule:
    return FileRule(suffix=suffix, channels=channels, required=required)


_SOMETIMES = ("metallic", "curvature")
_SEPARATE = tuple(_file(role.id, role.id, required=role.made and role.id not in _SOMETIMES) for role in ROLES.values())
_COLOUR, _NORMAL, _HEIGHT = (_file(role, role) for role in ("base_color", "normal", "height"))
PROFILES: dict[str, Profile] = {
    profile.id: profile
    for profile in (
        Profile(id="separate_y_plus", label="Separate maps, Y+", y="plus", files=_SEPARATE),
        Profile(id="separate_y_minus", label="Separate maps, Y−", y="minus", files=_SEPARATE),
        Profile(
            id="gltf",
            label="glTF 2.0, packed",
            y="plus",
            files=(
                _COLOUR,
                _NORMAL,
                _file("occlusion_roughness_metallic", "ambient_occlusion", "roughness", "metallic"),
                _HEIGHT,
                _file("emissive", "emissive", required=False),
                _file("specular", "specular", required=False),
                _file("transmission", "transmission_color", "transmission", required=False),
            ),
            glb=True,
            png_only=True,
        ),
        Profile(
            id="mask_packed",
            label="Mask packed: metal, occlusion, detail, smoothness",
            y="plus",
            files=(
                _COLOUR,
                _NORMAL,
                _file("mask", "metallic", "ambient_occlusion", "white", "1-roughness"),
                _HEIGHT,
                _file("emissive", "emissive", required=False),
            ),
        ),
        Profile(
            id="albedo_smoothness",
            label="Albedo with smoothness in alpha",
            y="plus",
            files=(
                _file("albedo_smoothness", "base_color", "1-roughness"),
                _NORMAL,
                _file("metallic", "metallic", required=False),
                _file("ambient_occlusion", "ambient_occlusion"),
                _HEIGHT,
            ),
        ),
        Profile(
            id="specular_gloss",
            label="Specular and gloss",
            y="minus",
            files=(
                _file("diffuse", "diffuse"),
                _file("specular", "specular_color"),
                _file("gloss", "1-roughness"),
                _NORMAL,
                _file("ambient_occlusion", "ambient_occlusion"),
                _HEIGHT,
            ),
            gloss=True,
            needs=("diffuse", "specular_color", "normal", "roughness"),
        ),
        Profile(
            id="cut_out",
            label="Cut-out: colour with opacity in alpha",
            y="plus",
            files=(
                _file("base_color_opacity", "base_color", "opacity"),
                _NORMAL,
                _file("roughness", "roughness"),
                _file("translucency", "translucency", required=False),
                # Both sides have one outline.
                _file("back_color_opacity", "back_color", "opacity", required=False),
                _file("ambient_occlusion", "ambient_occlusion"),
                _HEIGHT,
                _file("relief_parts", "relief_broad", "relief_fine", "relief_veins", required=False),
            ),
            needs=("base_color", "opacity", "normal", "roughness"),
        ),
    )
}


def profile_named(id: str) -> Profile:
    """Raises BadSetting when there is no such profile."""
    if id == "own":
        return PROFILES["separate_y_plus"]
    if id not in PROFILES:
        raise BadSetting(f"There is no profile “{id[:60]}”.", remedy=f"Known: {', '.join(PROFILES)}.")
    return PROFILES[id]
