"""Profiles: which files are written and what each channel holds.

Source of the glTF layout: Khronos glTF 2.0 specification, section 3.9 (occlusion in R, roughness in G,
metallic in B; normal +Y; base colour sRGB, the rest linear). The other layouts are common practice, no source.
"""

from __future__ import annotations

import json
import re
import unicodedata
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal, get_args

from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.convert import DERIVED, ONE_CHANNEL, needed
from amber_thicket.core.response.present import says_something
from amber_thicket.core.roles import OPTIONAL, ROLES, Encoding
from amber_thicket.errors import BadSetting

YDirection = Literal["plus", "minus"]
Format = Literal["png", "tiff", "exr", "jpeg", "webp", "tga"]
Depth = Literal["8", "16", "half", "float"]
SUFFIXES: dict[str, str] = {"png": "png", "tiff": "tif", "exr": "exr", "jpeg": "jpg", "webp": "webp", "tga": "tga"}
DEPTHS: dict[str, tuple[str, ...]] = {
    "png": ("8", "16"),
    "tiff": ("8", "16", "float"),
    "exr": ("half", "float"),
    "jpeg": ("8",),
    "webp": ("8",),
    "tga": ("8",),
}
LOSSY, NO_ALPHA = ("jpeg",), ("jpeg",)
CONSTANTS = {"white": 1.0, "black": 0.0}
# Everything a channel may hold; "1-" before it inverts.
CONTENTS: tuple[str, ...] = (*ROLES, *DERIVED, *CONSTANTS)
_MOST_FILES = 24


def content_of(token: str) -> str:
    """The map a channel holds, inverted or not."""
    return token.removeprefix("1-")


def _colour(token: str) -> bool:
    role = ROLES.get(token)
    return (token in DERIVED and token not in ONE_CHANNEL) or (role is not None and role.channels == 3)


@dataclass(frozen=True)
class FileRule:
    """One file of a profile. suffix: end of its name. channels: one content (a whole map), two (a whole map and alpha),
    or three or four (R, G, B and alpha); "1-roughness" is gloss. required: written even when all in it is blank.
    format, depth: "" takes what pack.files says."""

    suffix: str
    channels: tuple[str, ...]
    required: bool = True
    format: str = ""
    depth: str = ""


@dataclass(frozen=True)
class Profile:
    """A set of files for one kind of receiver. y: where green points. glb, materialx, usd: the material is added as
    such a file. needs: maps that must be there. png_only: the receiver reads PNG alone. gloss: it takes gloss instead
    of roughness."""

    id: str
    label: str
    y: YDirection
    files: tuple[FileRule, ...]
    glb: bool = False
    png_only: bool = False
    gloss: bool = False
    needs: tuple[str, ...] = ("base_color", "normal", "roughness")


_SOMETIMES = ("metallic", "curvature")
_SEPARATE = tuple(
    FileRule(role.id, (role.id,), required=role.made and role.id not in _SOMETIMES) for role in ROLES.values()
)
_COLOUR, _NORMAL, _HEIGHT = (FileRule(role, (role,)) for role in ("base_color", "normal", "height"))
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
                _COLOUR,
                _NORMAL,
                FileRule("occlusion_roughness_metallic", ("ambient_occlusion", "roughness", "metallic")),
                _HEIGHT,
                FileRule("emissive", ("emissive",), required=False),
                FileRule("specular", ("specular",), required=False),
                FileRule("transmission", ("transmission_color", "transmission"), required=False),
            ),
            glb=True,
            png_only=True,
        ),
        Profile(
            "mask_packed",
            "Mask packed: metal, occlusion, detail, smoothness",
            "plus",
            (
                _COLOUR,
                _NORMAL,
                FileRule("mask", ("metallic", "ambient_occlusion", "white", "1-roughness")),
                _HEIGHT,
                FileRule("emissive", ("emissive",), required=False),
            ),
        ),
        Profile(
            "albedo_smoothness",
            "Albedo with smoothness in alpha",
            "plus",
            (
                FileRule("albedo_smoothness", ("base_color", "1-roughness")),
                _NORMAL,
                FileRule("metallic", ("metallic",), required=False),
                FileRule("ambient_occlusion", ("ambient_occlusion",)),
                _HEIGHT,
            ),
        ),
        Profile(
            "specular_gloss",
            "Specular and gloss",
            "minus",
            (
                FileRule("diffuse", ("diffuse",)),
                FileRule("specular", ("specular_color",)),
                FileRule("gloss", ("1-roughness",)),
                _NORMAL,
                FileRule("ambient_occlusion", ("ambient_occlusion",)),
                _HEIGHT,
            ),
            gloss=True,
            needs=("diffuse", "specular_color", "normal", "roughness"),
        ),
        Profile(
            "cut_out",
            "Cut-out: colour with opacity in alpha",
            "plus",
            (
                FileRule("base_color_opacity", ("base_color", "opacity")),
                _NORMAL,
                FileRule("roughness", ("roughness",)),
                FileRule("translucency", ("translucency",), required=False),
                FileRule("back_color", ("back_color",), required=False),
                FileRule("ambient_occlusion", ("ambient_occlusion",)),
                _HEIGHT,
                FileRule("relief_parts", ("relief_broad", "relief_fine", "relief_veins"), required=False),
            ),
            needs=("base_color", "opacity", "normal", "roughness"),
        ),
    )
}


def profile_json(profile: Profile) -> dict[str, Any]:
    """A profile as plain data: what is exported, and what a profile of one's own is written as."""
    data = asdict(profile)
    data["files"] = [{**row, "channels": list(row["channels"])} for row in data["files"]]
    return {**data, "needs": list(profile.needs)}


def profile_from(text: str) -> Profile:
    """A profile of one's own from JSON. Raises ValueError in words."""
    try:
        data = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise ValueError(f"it is no JSON ({type(error).__name__})") from None
    if not isinstance(data, dict):
        raise ValueError("a profile is an object with label, y and files")
    unknown = set(data) - {"id", "label", "y", "files", "glb", "png_only", "gloss", "needs"}
    if unknown:
        raise ValueError(f"a profile has no “{sorted(unknown)[0]}”")
    rows = data.get("files")
    if data.get("y") not in get_args(YDirection) or not isinstance(rows, list) or not 1 <= len(rows) <= _MOST_FILES:
        raise ValueError(f"a profile says y as plus or minus, and 1 to {_MOST_FILES} files")
    files = tuple(_file_from(row) for row in rows)
    if len({file.suffix.lower() for file in files}) != len(files):
        raise ValueError("two files of the profile have one name")
    needs = tuple(str(role) for role in data.get("needs", ()))
    if any(role not in CONTENTS for role in needs):
        raise ValueError("needs names a map there is not")
    gloss = bool(data.get("gloss", False))
    return Profile("own", str(data.get("label", "Own"))[:60] or "Own", data["y"], files, False, False, gloss, needs)


def _file_from(row: Any) -> FileRule:
    if not isinstance(row, dict) or set(row) - {"suffix", "channels", "required", "format", "depth"}:
        raise ValueError("a file of a profile has suffix, channels, required, format and depth")
    suffix, channels = row.get("suffix"), row.get("channels")
    if not isinstance(suffix, str) or not re.fullmatch(r"[A-Za-z0-9_-]{1,40}", suffix):
        raise ValueError("a suffix is up to 40 letters, figures, _ and -")
    if not isinstance(channels, list) or not 1 <= len(channels) <= 4:
        raise ValueError(f"{suffix}: one to four channels")
    for number, token in enumerate(channels):
        if not isinstance(token, str) or content_of(token) not in CONTENTS:
            raise ValueError(f"{suffix}: “{str(token)[:30]}” is no map")
        whole = number == 0 and len(channels) <= 2
        if _colour(content_of(token)) and not whole:
            raise ValueError(f"{suffix}: {content_of(token)} has three channels and fits into none of a packed file")
        if content_of(token) == "normal" and token != "normal":
            raise ValueError(f"{suffix}: a normal is not inverted; choose Y− instead")
    format, depth = str(row.get("format", "")), str(row.get("depth", ""))
    if format and format not in SUFFIXES:
        raise ValueError(f"{suffix}: formats are {', '.join(SUFFIXES)}")
    if depth and depth not in ("8", "16", "half", "float"):
        raise ValueError(f"{suffix}: depths are 8, 16, half and float")
    if format and depth and depth not in DEPTHS[format]:
        raise ValueError(f"{suffix}: {format} has {' or '.join(DEPTHS[format])}, not {depth}")
    return FileRule(suffix, tuple(channels), bool(row.get("required", True)), format, depth)


@dataclass(frozen=True)
class PlannedFile:
    """A picture file that will be written. contents: what its channels hold, as FileRule.channels. bits: per channel;
    floating: they are floats. y: green direction when it holds a normal."""

    name: str
    format: Format
    contents: tuple[str, ...]
    bits: int
    encoding: Encoding
    y: YDirection | None
    floating: bool = False

    @property
    def roles(self) -> tuple[str, ...]:
        """The maps it holds, channel by channel."""
        return tuple(content_of(token) for token in self.contents)

    @property
    def values_a_pixel(self) -> int:
        """1 for a grey map, 3 for colour and normals, 4 with alpha; see encode.stored()."""
        if len(self.contents) > 2:
            return len(self.contents)
        if len(self.contents) == 2:
            return 4
        return 3 if _colour(self.roles[0]) else 1

    @property
    def channels(self) -> int:
        """How many channels the picture has."""
        if len(self.contents) > 2:
            return len(self.contents)
        first = 3 if _colour(self.roles[0]) else 1
        # A grey map with alpha is written in colour: few readers take grey and alpha.
        return first if len(self.contents) == 1 else 4

    def where(self, role: str) -> slice:
        """The channels of the picture that hold a map."""
        at = self.roles.index(role)
        if len(self.contents) <= 2:
            return slice(0, self.channels if len(self.contents) == 1 else 3) if at == 0 else slice(3, 4)
        return slice(at, at + 1)

    def inverted(self, role: str) -> bool:
        return self.contents[self.roles.index(role)].startswith("1-")


@dataclass(frozen=True)
class Plan:
    """All files of a pack. left_out: roles with nothing to say, named instead of written. scenes: the material as glTF,
    MaterialX or USD besides, by file name."""

    profile: Profile
    files: tuple[PlannedFile, ...]
    left_out: tuple[str, ...]
    stem: str
    scenes: tuple[tuple[str, str], ...] = ()


def profile_of(recipe: Recipe) -> Profile:
    """The profile a recipe packs for."""
    settings = recipe.settings("pack.files")
    return profile_from(settings.own) if settings.profile == "own" and settings.own else profile_named(settings.profile)


def profile_named(id: str) -> Profile:
    """Raises BadSetting when there is no such profile."""
    if id == "own":
        return PROFILES["separate_y_plus"]
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
    settings, profile = recipe.settings("pack.files"), profile_of(recipe)
    y_setting = recipe.settings("relief.normal").y_in_files
    y: YDirection = profile.y if y_setting == "profile" else y_setting
    stem = portable(settings.name or name)
    blank = blank_roles(recipe)
    files: list[PlannedFile] = []
    left_out: list[str] = []
    for rule in profile.files:
        if profile.glb:
            rule = _for_scene(rule, blank)
        roles = [role for token in rule.channels for role in _made_of(content_of(token))]
        if not rule.required and set(roles) <= blank:
            left_out += [role for role in roles if ROLES[role].made and role != "curvature"]
            continue
        files.append(_planned_file(rule, settings, profile, stem, y))
    down = next((file for file in files if file.y == "minus"), None)
    if settings.usd and down:
        # A preview surface reads Y+ alone.
        files.append(replace(down, name=down.name.replace("_normal.", "_normal_y_plus."), y="plus"))
    scenes = {"gltf": f"{stem}.glb"} if profile.glb else {}
    scenes |= {"materialx": f"{stem}.mtlx"} if settings.materialx else {}
    scenes |= {"usd": f"{stem}.usda"} if settings.usd else {}
    return Plan(profile, tuple(files), tuple(left_out), stem, tuple(scenes.items()))


def _made_of(content: str) -> tuple[str, ...]:
    return needed(content) if content in DERIVED else (content,)


def _for_scene(rule: FileRule, blank: set[str]) -> FileRule:
    """The file as a glTF material takes it: opacity lies in the alpha of the base colour."""
    clear = rule.channels == ("base_color",) and "opacity" not in blank
    return replace(rule, channels=("base_color", "opacity")) if clear else rule


def _planned_file(rule: FileRule, settings: Any, profile: Profile, stem: str, y: YDirection) -> PlannedFile:
    format: Any = "png" if profile.png_only else rule.format or settings.format
    depth = rule.depth or (settings.height_bits if "height" in rule.channels else "8")
    allowed = DEPTHS[format]
    if depth not in allowed:
        # The nearest the format has: 16 bits become half floats, 8 bits stay the fewest there are.
        depth = {"16": "half" if "half" in allowed else allowed[-1], "8": allowed[0]}.get(depth, allowed[-1])
    first = content_of(rule.channels[0])
    colour = len(rule.channels) <= 2 and (first in DERIVED or (first in ROLES and ROLES[first].encoding == "srgb"))
    floating = depth in ("half", "float")
    encoding: Encoding = "srgb" if colour and not floating else "linear"
    return PlannedFile(
        f"{stem}_{rule.suffix}.{SUFFIXES[format]}",
        format,
        rule.channels,
        {"8": 8, "16": 16, "half": 16, "float": 32}[depth],
        encoding,
        y if first == "normal" else None,
        floating,
    )
