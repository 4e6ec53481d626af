"""What is written: profile, bit depth of the height, names."""

from __future__ import annotations

import re
from typing import Any, Literal

from pydantic import field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.pack.formats import FORMATS
from amber_thicket.core.pack.profiles import OwnProfile
from amber_thicket.core.settings import OperationSettings, setting

FormatId: Any = Literal[tuple(FORMATS)]


# What stands in a pattern of file names for something else; the usual one.
PATTERN_TOKENS = ("{name}", "{map}", "{size}")
USUAL_PATTERN = "{name}_{map}"
_PATTERN_PART = re.compile(r"[A-Za-z0-9._-]+")


class Settings(OperationSettings):
    profile: Literal[
        "separate_y_plus",
        "separate_y_minus",
        "gltf",
        "mask_packed",
        "albedo_smoothness",
        "specular_gloss",
        "cut_out",
        "own",
    ] = setting(
        "separate_y_plus",
        label="Profile",
        choices={
            "separate_y_plus": "Separate, Y+",
            "separate_y_minus": "Separate, Y−",
            "gltf": "glTF 2.0",
            "mask_packed": "Mask packed",
            "albedo_smoothness": "Albedo + smoothness",
            "specular_gloss": "Specular, gloss",
            "cut_out": "Cut-out",
            "own": "Your own",
        },
        help="Which files are written and what each channel holds.",
    )
    height_bits: Literal["16", "8"] = setting(
        "16",
        label="Height bits",
        choices={"16": "16 bit", "8": "8 bit"},
        help="8-bit height shows steps when it displaces; 16-bit does not.",
    )
    format: FormatId = setting(
        "png",
        label="File format",
        choices={format.id: format.label for format in FORMATS.values()},
        help="All but JPEG are lossless; OpenEXR holds floats; glTF always uses PNG. A profile of your own may differ "
        "file by file.",
    )
    sizes: Literal["one", "half", "quarter"] = setting(
        "one",
        label="Sizes",
        choices={"one": "Full", "half": "Full, half", "quarter": "Full, half, quarter"},
        help="Writes the set at smaller sizes too, each in a folder of its own.",
    )
    tiles: Literal["sets", "atlas", "both"] = setting(
        "sets",
        label="Tiles of a set",
        choices={"sets": "Numbered", "atlas": "One atlas", "both": "Both"},
        help="How a set of tiles is written: each with its number, or all side by side in one picture a map.",
    )
    materialx: bool = setting(
        False,
        label="MaterialX",
        help="Adds the material as MaterialX: standard surface, OpenPBR and glTF with all maps connected.",
    )
    usd: bool = setting(
        False, label="USD", help="Adds the material on one tile as USD: preview surface with all maps connected."
    )
    usdz: bool = setting(False, label="USDZ", help="Adds the same as one file with its pictures, as devices show it.")
    still: bool = setting(
        False, label="Still", help="Adds a picture of the set on a slab under an overcast sky. It takes half a minute."
    )
    own: OwnProfile | None = setting(
        None, label="Your own profile", help="What it is called, where green points, and its files."
    )
    name: str = setting(
        "", label="File name", help="Names start with this; empty takes the material's name. The map's role follows."
    )

    pattern: str = setting(
        USUAL_PATTERN,
        label="Pattern of names",
        help="{name}, {map} and {size} stand for the material, the map and its px; / begins a folder. {map} has to be "
        "in it.",
    )

    @field_validator("pattern")
    @classmethod
    def _names_every_map(cls, value: str) -> str:
        plain = value
        for token in PATTERN_TOKENS:
            plain = plain.replace(token, "x")
        if len(value) > 120 or "{map}" not in value:
            raise ValueError("up to 120 characters with {map} in them, or all files would have one name")
        if any(not _PATTERN_PART.fullmatch(part) or set(part) <= {"."} for part in plain.split("/")):
            raise ValueError("letters, figures, . _ - and {name}, {map}, {size}; / between folders")
        return value

    @field_validator("name")
    @classmethod
    def _portable(cls, value: str) -> str:
        if len(value) > 80 or any(c in '<>:"/\\|?*' or ord(c) < 32 for c in value):
            raise ValueError('up to 80 characters, none of < > : " / \\ | ? *')
        return value


OPERATION = Operation(
    id="pack.files", label="Files", help="Which files leave, and how they are stored.", settings=Settings
)
