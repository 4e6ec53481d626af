"""The files a recipe's pack will hold: their names, what each channel holds, and how it is stored."""

from __future__ import annotations

import math
import re
import unicodedata
from dataclasses import dataclass, replace
from typing import Any, Literal

from amber_thicket.core.pack.formats import BITS, FLOATING, FORMATS
from amber_thicket.core.pack.profiles import FileRule, Profile, YDirection, content_of, has_colour, profile_named
from amber_thicket.core.present import says_something, tells_colour
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.convert import DERIVED, needed
from amber_thicket.core.roles import OPTIONAL, ROLES, Encoding
from amber_thicket.errors import BadSetting

MOST_ATLAS = 16384


@dataclass(frozen=True)
class PlannedFile:
    """A picture file that will be written. contents: what its channels hold, as FileRule.channels. bits: per channel;
    floating: they are floats. y: green direction when it holds a normal. suffix: what the profile calls it."""

    name: str
    format: str
    contents: tuple[str, ...]
    bits: int
    encoding: Encoding
    y: YDirection | None
    floating: bool = False
    suffix: str = ""

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
        return 3 if has_colour(self.roles[0]) else 1

    @property
    def channels(self) -> int:
        """How many channels the picture has."""
        if len(self.contents) > 2:
            return len(self.contents)
        first = 3 if has_colour(self.roles[0]) else 1
        # A grey map with alpha is written in colour: few readers take grey and alpha.
        return first if len(self.contents) == 1 else 4

    def where(self, role: str) -> slice:
        """The channels of the picture that hold a map."""
        at = self.roles.index(role)
        if len(self.contents) <= 2:
            return slice(0, self.channels if len(self.contents) == 1 else 3) if at == 0 else slice(3, 4)
        return slice(at, at + 1)

    def encoding_of(self, role: str) -> Encoding:
        """How the numbers of a map are coded: where a file holds sRGB colours, its alpha is linear all the same."""
        return self.encoding if self.roles.index(role) == 0 else "linear"

    def inverted(self, role: str) -> bool:
        return self.contents[self.roles.index(role)].startswith("1-")


@dataclass(frozen=True)
class Plan:
    """All files of a pack, or of one tile of a set. left_out: roles with nothing to say, named instead of written.
    without_place: roles with something to say, beyond the usual ones, that no file of the profile holds.
    stem: what their names begin with. scenes: the material as glTF, MaterialX or USD besides, by file name. tiles: of
    the set, each with files of its own; atlas: (columns, rows) of the tiles in one picture, if there is one."""

    profile: Profile
    files: tuple[PlannedFile, ...]
    left_out: tuple[str, ...]
    stem: str
    scenes: tuple[tuple[str, str], ...] = ()
    tiles: int = 1
    atlas: tuple[int, int] | None = None
    without_place: tuple[str, ...] = ()


def profile_of(recipe: Recipe) -> Profile:
    """The profile a recipe packs for."""
    settings = recipe.settings("pack.files")
    return settings.own if settings.profile == "own" and settings.own else profile_named(settings.profile)


def portable(name: str) -> str:
    """A file name stem every system accepts: ASCII letters, figures, - and _; never empty."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^A-Za-z0-9_-]+", "_", plain).strip("_-")[:80] or "material"


def blank_roles(recipe: Recipe) -> set[str]:
    """Maps in which nothing is, or that are not asked for: metallic that is off, optional ones, curvature, and the base
    colour where nothing tells it."""
    blank: set[str] = set() if tells_colour(recipe) else {"base_color"}
    blank |= {role for role in (*OPTIONAL, "metallic") if not says_something(recipe, role)}
    if not recipe.settings("relief.curvature").in_pack:
        blank.add("curvature")
    return blank


def atlas_of(count: int) -> tuple[int, int]:
    """(columns, rows) that so many tiles take in one picture."""
    columns = math.ceil(math.sqrt(count))
    return columns, math.ceil(count / columns)


def file_title(pattern: str, stem: str, map: str, size: tuple[int, int]) -> str:
    """A file's name without its ending, / between folders. map: what the profile calls the file; size: px."""
    shown = str(size[0]) if size[0] == size[1] else f"{size[0]}x{size[1]}"
    return pattern.replace("{name}", stem).replace("{map}", map).replace("{size}", shown)


def planned(
    recipe: Recipe, name: str, tile: int | Literal["atlas"] | None = None, at: tuple[int, int] | None = None
) -> Plan:
    """The files a recipe's pack will hold. name: the material's, used when the recipe names none. tile: which of a set,
    or the picture of all of them; where it is not told, the one that is shown, or the atlas if that is all. at: px they
    are written at, the finished ones where that is not told."""
    settings, profile = recipe.settings("pack.files"), profile_of(recipe)
    y_setting = recipe.settings("relief.normal").y_in_files
    y: YDirection = profile.y if y_setting == "profile" else y_setting
    stem = stem_of(recipe, name)
    tiles = recipe.settings("tile.tileset")
    atlas = atlas_of(tiles.count) if tiles.count > 1 and settings.tiles != "sets" else None
    if tiles.count > 1:
        tile = tile or ("atlas" if settings.tiles == "atlas" else min(tiles.shown, tiles.count))
        stem = f"{stem}_{tile}"
    size = recipe.settings("square.size")
    at = at or (size.width, size.height)
    blank = blank_roles(recipe)
    files: list[PlannedFile] = []
    left_out: list[str] = []
    for rule in profile.files:
        if profile.glb:
            rule = _for_scene(rule, blank)
        roles = [role for token in rule.channels for role in _made_of(content_of(token))]
        told_by_none = roles == ["base_color"] and not profile.glb
        if (not rule.required or told_by_none) and set(roles) <= blank:
            left_out += [role for role in roles if ROLES[role].made and role != "curvature"]
            continue
        files.append(_planned_file(rule, settings, profile, file_title(settings.pattern, stem, rule.suffix, at), y))
    down = next((file for file in files if file.y == "minus"), None)
    if (settings.usd or settings.usdz) and down:
        # A preview surface reads Y+ alone.
        up = f"{down.suffix}_y_plus"
        title = f"{file_title(settings.pattern, stem, up, at)}.{FORMATS[down.format].suffix}"
        files.append(replace(down, name=title, suffix=up, y="plus"))
    held = {role for file in files for role in file.roles}
    without = tuple(role for role in (*OPTIONAL, "curvature") if role not in blank and role not in held)
    scenes = {"gltf": f"{stem}.glb"} if profile.glb else {}
    scenes |= {"materialx": f"{stem}.mtlx"} if settings.materialx else {}
    scenes |= {"usd": f"{stem}.usda"} if settings.usd else {}
    scenes |= {"usdz": f"{stem}.usdz"} if settings.usdz else {}
    scenes |= {"still": f"{stem}_still.png"} if settings.still else {}
    if tile == "atlas" and tiles.count > 1:
        # A scene is of one tile.
        scenes = {}
    return Plan(profile, tuple(files), tuple(left_out), stem, tuple(scenes.items()), tiles.count, atlas, without)


def stem_of(recipe: Recipe, name: str) -> str:
    """What the names of all files of a pack begin with."""
    return portable(recipe.settings("pack.files").name or name)


def check_extent(recipe: Recipe) -> None:
    """Raises BadSetting where files would have more pixels on a side than their formats, or an atlas, can have."""
    tiles, size = recipe.settings("tile.tileset").count, recipe.settings("square.size")
    wide, high = size.width, size.height
    if tiles > 1 and recipe.settings("pack.files").tiles != "sets":
        columns, rows = atlas_of(tiles)
        wide, high = columns * wide, rows * high
        if max(wide, high) > MOST_ATLAS:
            raise BadSetting(
                f"An atlas of these tiles would have {wide} × {high} px; {MOST_ATLAS} is the most.",
                remedy="Choose numbered tiles, or a smaller size.",
                setting="pack.files.tiles",
            )
    formats = {file.format: FORMATS[file.format] for file in planned(recipe, "").files}
    for format in formats.values():
        if max(wide, high) > format.most_px:
            raise BadSetting(
                f"{format.label} holds at most {format.most_px} px a side, and the files would have {wide} × {high}.",
                remedy="Choose another format, or a smaller size.",
                setting="pack.files.format",
            )


def _made_of(content: str) -> tuple[str, ...]:
    return needed(content) if content in DERIVED else (content,)


def _for_scene(rule: FileRule, blank: set[str]) -> FileRule:
    """The file as a glTF material takes it: opacity lies in the alpha of the base colour."""
    clear = rule.channels == ("base_color",) and "opacity" not in blank
    return rule.model_copy(update={"channels": ("base_color", "opacity")}) if clear else rule


def encoding_for(contents: tuple[str, ...], *, floating: bool) -> Encoding:
    """How a file with these contents is coded: colours as sRGB, data and floats linear."""
    first = content_of(contents[0])
    colour = len(contents) <= 2 and (first in DERIVED or (first in ROLES and ROLES[first].encoding == "srgb"))
    return "srgb" if colour and not floating else "linear"


def _planned_file(rule: FileRule, settings: Any, profile: Profile, title: str, y: YDirection) -> PlannedFile:
    format = FORMATS["png" if profile.png_only else rule.format or settings.format]
    # Parts of the relief are heights, and stored as deep.
    high = any(content_of(name) in ROLES and ROLES[content_of(name)].bits == 16 for name in rule.channels)
    depth = format.nearest(rule.depth or (settings.height_bits if high else "8"))
    first = content_of(rule.channels[0])
    floating = depth in FLOATING
    return PlannedFile(
        f"{title}.{format.suffix}",
        format.id,
        rule.channels,
        BITS[depth],
        encoding_for(rule.channels, floating=floating),
        y if first == "normal" else None,
        floating,
        rule.suffix,
    )
