"""Which map a file is: guessed from its name and from its pixels, with the reason.

The name families are common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from amber_thicket.core.gather.maps import TAKEN
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.raster import Pixels
from amber_thicket.core.roles import BESIDE, COMPARED, EVERY, ROLES
from amber_thicket.core.shading.convention import y_direction
from amber_thicket.core.shading.normal_reading import normal_reading

# Words at the end of a name, without spaces and in small letters.
# Words of file names that mean no role of their own.
_OTHER_WORDS: dict[str, tuple[str, ...]] = {
    "gloss": ("glossiness", "gloss", "smoothness", "smooth", "gls"),
    "all_lights": ("alllights", "alllamps", "alllit", "ambient", "ambientlight", "evenlight"),
    "back_lit": ("backlit", "backlight", "transmitted", "trans"),
    "back": ("back", "backside", "reverse", "underside"),
    "front": ("front", "frontside", "face", "topside"),
    "packed": ("occlusionroughnessmetallic", "orm", "arm", "rma", "mra", "mro", "rmo", "maskmap", "mads"),
}
WORDS: dict[str, tuple[str, ...]] = {
    role.id: role.words for role in (*ROLES.values(), *BESIDE.values()) if role.words
} | _OTHER_WORDS
# What the letters of a packed texture stand for; common practice, no source.
_LETTERS = {"o": "ambient_occlusion", "a": "ambient_occlusion", "r": "roughness", "m": "metallic"}
_WHOLE = {
    "occlusionroughnessmetallic": {"r": "ambient_occlusion", "g": "roughness", "b": "metallic"},
    "maskmap": {"r": "metallic", "g": "ambient_occlusion", "a": "gloss"},
    "mads": {"r": "metallic", "g": "ambient_occlusion", "a": "gloss"},
}
_BY_WORD = {word: role for role, words in WORDS.items() for word in words}
_UP, _DOWN = ("gl", "opengl", "ogl"), ("dx", "directx")
_LIGHT = re.compile(r"^(?:light|lamp|led)(\d{1,2})$")
_PASSING = re.compile(r"^(\d{1,2}k|\d{3,5}|\d{3,5}x\d{3,5}|v\d+|map|tex|texture|srgb|raw|lin|linear|8bit|16bit)$")
_COUNTER = re.compile(r"^\d{1,2}$")
_GREY, _COLOURED = 0.012, 0.06
_UNIT_SHARE = 0.8
# Roles of photographs beside the first one.
PHOTOGRAPHS = ("light", "all_lights", "back_lit", "back", "front")
_OF_PHOTOGRAPHS = {
    "all_lights": "gather.lights.all_lights",
    "back_lit": "gather.maps.translucency",
    "back": "gather.maps.back_color",
}
# A finished map has no light left in it to take out.
LEAVE_COLOUR = {"even.light.amount": 0.0}


@dataclass(frozen=True)
class Named:
    """What a name says. role: a role of EVERY, "gloss", or "" when it says nothing. family: the rest of the name,
    the same for all maps of one surface. y: which way green points, when the name says so. number: a counter after the
    word, "" where there is none."""

    role: str
    family: str
    word: str = ""
    y: Literal["plus", "minus", ""] = ""
    number: str = ""


@dataclass(frozen=True)
class Guess:
    """role: a role of EVERY, one of PHOTOGRAPHS, "gloss", "photo", "packed", or "" (nothing fits, or nothing is in it).
    why: in words.
    channels: of a packed texture, which channel holds which role. spoilt: settings of gather.maps that put a map right
    which was stored wrongly."""

    role: str
    why: str
    y: Literal["plus", "minus", ""] = ""
    channels: tuple[tuple[str, str], ...] = ()
    spoilt: tuple[tuple[str, str | bool], ...] = ()


def packed_channels(word: str) -> dict[str, str]:
    """Which channel (r, g, b, a) of a packed texture holds which map, by the word its name ends in."""
    small = word.lower().replace(" ", "").replace("_", "")
    if small in _WHOLE:
        return _WHOLE[small]
    return {channel: _LETTERS[letter] for channel, letter in zip("rgb", small, strict=False) if letter in _LETTERS}


def named(file_name: str) -> Named:
    """What a file name says about its role."""
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", file_name.replace("\\", "/").rsplit("/", 1)[-1])
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])|(?<=[0-9])(?=[A-Z][a-z])", " ", stem)
    tokens = [t for t in re.split(r"[^A-Za-z0-9]+", spaced) if t]
    small = [t.lower() for t in tokens]
    y: Literal["plus", "minus", ""] = ""
    at, number = len(small), ""
    while at > 0:
        triple = "".join(small[max(0, at - 3) : at])
        if triple in _BY_WORD and at >= 3:
            return Named(_BY_WORD[triple], "_".join(small[: at - 3]), triple, y, number)
        last, pair = small[at - 1], "".join(small[max(0, at - 2) : at])
        lamp = _LIGHT.match(pair if at >= 2 and last.isdigit() else last)
        if lamp:
            before = at - 2 if last.isdigit() else at - 1
            return Named("light", "_".join(small[:before]), lamp[1], y)
        if pair in _BY_WORD and at >= 2:
            return _truth(
                Named(_BY_WORD[pair], "_".join(small[: at - 2]), f"{tokens[at - 2]} {tokens[at - 1]}", y, number)
            )
        if last in _BY_WORD:
            return _truth(Named(_BY_WORD[last], "_".join(small[: at - 1]), tokens[at - 1], y, number))
        if last in _UP or last in _DOWN:
            y = "plus" if last in _UP else "minus"
        elif _COUNTER.match(last) and not number:
            number = last
        elif not _PASSING.match(last):
            break
        at -= 1
    return Named("", "_".join(small))


def _truth(found: Named) -> Named:
    """slate_truth_height.png is there to compare heights with."""
    compared = f"truth_{found.role}"
    if found.family.rsplit("_", 1)[-1] != "truth" or compared not in COMPARED:
        return found
    family = found.family.removesuffix("truth").removesuffix("_")
    return Named(compared, family, f"truth {found.word}", found.y, found.number)


def families(file_names: Sequence[str]) -> list[list[str]]:
    """File names grouped into surfaces: names that differ only in the word for their map belong together.

    A name without such a word joins the family it equals, as its photograph. A counter after the word tells surfaces
    apart, except among photographs of one. Order is kept; the file that brings the colour comes first in its group.
    """
    groups: dict[str, list[tuple[int, str]]] = {}
    with_role = {found.family for found in map(named, file_names) if found.role}
    shot = {found.family for found in map(named, file_names) if found.role in PHOTOGRAPHS}
    for number, name in enumerate(file_names):
        found = named(name)
        alone = not found.role and found.family not in with_role
        counted = f"{found.family}/{found.number}" if found.number and found.family not in shot else found.family
        groups.setdefault(f"{number}/" if alone else counted, []).append(
            (_order(found.role) * 10_000 + (int(found.word) * 100 if found.role == "light" else 0) + number, name)
        )
    return [[name for _, name in sorted(group)] for group in groups.values()]


def _order(role: str) -> int:
    return [
        "base_color",
        "front",
        "",
        "light",
        *[r for r in WORDS if r not in ("base_color", "front")],
        *COMPARED,
    ].index(role)


def _spread(values: Pixels) -> float:
    """How far the three channels lie apart, typically."""
    red, green, blue = np.ascontiguousarray(np.moveaxis(values, -1, 0))
    most, least = np.maximum(np.maximum(red, green), blue), np.minimum(np.minimum(red, green), blue)
    return float(np.percentile(most - least, 90))


def looks_normal(values: Pixels) -> bool:
    """Whether stored numbers look like unit vectors that mostly point outward. values: (H, W, 3) in [0, 1]."""
    x, y, z = np.ascontiguousarray(np.moveaxis(values, -1, 0)) * 2 - 1
    near = float(np.mean(np.abs(np.sqrt(x * x + y * y + z * z) - 1) < 0.12))
    sideways = max(abs(float(x.mean())), abs(float(y.mean())))
    return near > 0.8 and float(z.mean()) > 0.6 and sideways < 0.25


def _spoilt_normal(values: Pixels, said: str) -> Guess:
    """A file that is called a normal map but is not stored as one: how it was spoilt, when that can be told."""
    read = normal_reading(values)
    if read.unit < _UNIT_SHARE or read.y == "unknown":
        return Guess("", f"{said}, but its pixels are no unit vectors")
    faults = {
        "normal_stored": (read.stored, "linear", "was coded as sRGB" if read.stored == "srgb" else "was decoded once"),
        "normal_two": (read.two, False, "has no third channel"),
        "normal_swapped": (read.swapped, False, "has red and green swapped"),
    }
    found = {name: (value, words) for name, (value, usual, words) in faults.items() if value != usual}
    why = " and ".join(words for _, words in found.values())
    spoilt = tuple((name, value) for name, (value, _) in found.items())
    return Guess("normal", f"{said}; it {why}, which is put right", read.y, spoilt=spoilt)


def guessed(file_name: str, values: Pixels) -> Guess:
    """The role of a file. values: (H, W, 3) stored numbers in [0, 1], of any size."""
    small = values[:: max(1, values.shape[0] // 512), :: max(1, values.shape[1] // 512)]
    by_name = named(file_name)
    said = f"its name ends in “{by_name.word}”"
    spread = _spread(small)
    is_normal = looks_normal(small)
    if is_normal and by_name.role in ("", "normal", "truth_normal"):
        y, why = by_name.y, "its pixels are unit vectors that point outward"
        if not y:
            found, _ = y_direction(unit(np.ascontiguousarray(small * 2 - 1, np.float32)))
            y = "" if found == "unknown" else found
        swapped = normal_reading(np.ascontiguousarray(small, np.float32)).swapped
        if swapped and not by_name.y:
            return _spoilt_normal(np.ascontiguousarray(small, np.float32), said if by_name.role else "by its pixels")
        return Guess(by_name.role or "normal", f"{said}, and {why}" if by_name.role else why, y)
    if by_name.role == "front":
        return Guess("photo", f"{said}: it shows the front")
    if by_name.role in PHOTOGRAPHS:
        return Guess(by_name.role, said if by_name.role != "light" else f"its name ends in lamp number {by_name.word}")
    if by_name.role == "packed":
        return Guess("packed", said, channels=tuple(packed_channels(by_name.word).items()))
    scalar = by_name.role == "gloss" or (by_name.role in EVERY and EVERY[by_name.role].channels == 1)
    if scalar and spread > _COLOURED:
        return Guess("photo", f"{said}, but it is in colour")
    if by_name.role == "normal":
        return _spoilt_normal(np.ascontiguousarray(small, np.float32), said)
    if by_name.role:
        flat = float(small.max() - small.min()) < 1 / 255
        if flat and by_name.role != "base_color":
            return Guess("", f"{said}, but it is {small.flat[0]:.2f} everywhere: nothing in it")
        return Guess(by_name.role, said)
    if spread < _GREY:
        return Guess("photo", "it is grey and its name says nothing: choose what it is")
    return Guess("photo", "it is in colour and its name says nothing else")


def assignment(key: str, guess: Guess) -> dict[str, Any]:
    """The settings that make a file one of the maps; empty when it is none. Roughness is kept exact."""
    if guess.role == "packed":
        every: dict[str, Any] = {}
        for channel, inside in guess.channels:
            every |= assignment(f"{key}.{channel}", Guess(inside, guess.why))
        return every
    if guess.role in _OF_PHOTOGRAPHS:
        return {_OF_PHOTOGRAPHS[guess.role]: key}
    role = "roughness" if guess.role == "gloss" else guess.role
    if role not in (*TAKEN, "base_color"):
        return {}
    changes: dict[str, Any] = {f"gather.maps.{role}": key}
    if role == "base_color":
        changes |= LEAVE_COLOUR
    if role == "normal":
        changes["gather.maps.normal_y"] = "minus" if guess.y == "minus" else "plus"
        changes |= {f"gather.maps.{name}": value for name, value in guess.spoilt}
    if role == "roughness":
        changes["gather.maps.roughness_white"] = "smooth" if guess.role == "gloss" else "rough"
        changes |= {"response.roughness.low": 0.0, "response.roughness.high": 1.0}
    return changes
