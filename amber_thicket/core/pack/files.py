"""What is written: profile, bit depth of the height, names."""

from __future__ import annotations

from typing import Literal

from pydantic import field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    profile: Literal["separate_y_plus", "separate_y_minus", "gltf"] = setting(
        "separate_y_plus",
        label="Profile",
        choices={"separate_y_plus": "Separate, Y+", "separate_y_minus": "Separate, Y−", "gltf": "glTF 2.0"},
        help="Which files are written and what each channel holds.",
    )
    height_bits: Literal["16", "8"] = setting(
        "16",
        label="Height bits",
        choices={"16": "16 bit", "8": "8 bit"},
        help="8-bit height shows steps when it displaces; 16-bit does not.",
    )
    format: Literal["png", "tiff"] = setting(
        "png",
        label="File format",
        choices={"png": "PNG", "tiff": "TIFF"},
        help="Both are lossless; glTF always uses PNG.",
    )
    name: str = setting(
        "", label="File name", help="Names start with this; empty takes the material's name. The map's role follows."
    )

    @field_validator("name")
    @classmethod
    def _portable(cls, value: str) -> str:
        if len(value) > 80 or any(c in '<>:"/\\|?*' or ord(c) < 32 for c in value):
            raise ValueError('up to 80 characters, none of < > : " / \\ | ? *')
        return value


OPERATION = Operation(
    id="pack.files", label="Files", help="Which files leave, and how they are stored.", settings=Settings
)
