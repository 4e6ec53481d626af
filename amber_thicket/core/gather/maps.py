"""Existing maps of the surface: which file is which map, and how it is stored."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import create_model, field_validator

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.vectors import unit, vectors_of
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.roles import COMPARED, EVERY
from amber_thicket.core.settings import KEY_LENGTH, OperationSettings, setting

TAKEN: tuple[str, ...] = tuple(role.id for role in EVERY.values() if role.brought and role.id != "base_color")


def _file(role: str) -> Any:
    label = EVERY[role].label
    return setting("", label=label, help=f"The file that brings the {label.lower()}; empty where it brings none.")


_FILES: dict[str, Any] = {
    "base_color": (
        str,
        setting("", label="Base colour", help="The file that brings the colour; empty for the one imported first."),
    ),
    **{role: (str, _file(role)) for role in TAKEN},
}
_MapFiles: Any = create_model("_MapFiles", __base__=OperationSettings, **_FILES)


class Settings(_MapFiles):  # type: ignore[misc]
    colour: Literal["picture", "none"] = setting(
        "picture",
        label="Colour from",
        choices={"picture": "The picture", "none": "Nothing"},
        help="Nothing: the file imported first is a map that tells no colour, so no base colour is packed until a file "
        "brings one.",
    )
    workflow: Literal["metal", "specular"] = setting(
        "metal",
        label="The set says",
        choices={"metal": "Metal, roughness", "specular": "Specular, gloss"},
        help="Specular, gloss: the colour is diffuse, and base colour and metallic are worked out of the two.",
    )
    normal_y: Literal["plus", "minus"] = setting(
        "plus",
        label="Green points",
        choices={"plus": "Up, Y+", "minus": "Down, Y−"},
        help="Which way green points in the normal map that was brought: up (OpenGL) or down (DirectX).",
    )
    normal_is: Literal["whole", "detail"] = setting(
        "whole",
        label="It holds",
        choices={"whole": "The relief", "detail": "Detail alone"},
        help="Detail alone is laid on the relief made here; otherwise the map is the surface's normal itself.",
    )
    normal_stored: Literal["linear", "srgb", "decoded"] = setting(
        "linear",
        label="Stored as",
        choices={"linear": "Numbers", "srgb": "sRGB", "decoded": "Decoded"},
        help="How the numbers of the normal map were spoilt, if they were: coded as sRGB, or decoded from it once.",
    )
    normal_swapped: bool = setting(
        False, label="Red and green swapped", help="Swaps the two channels of the normal map back."
    )
    normal_inverted: bool = setting(
        False, label="Turned inside out", help="Bumps of the normal map that was brought are dents, and dents bumps."
    )
    normal_two: bool = setting(
        False, label="Blue is missing", help="Rebuilds the third channel of a normal map that has two."
    )
    occlusion_white: Literal["open", "closed"] = setting(
        "open",
        label="White is",
        choices={"open": "Open", "closed": "Closed"},
        help="What white means in the occlusion map that was brought.",
    )
    height_steps: Literal["kept", "smoothed"] = setting(
        "kept",
        label="Steps",
        choices={"kept": "Kept", "smoothed": "Smoothed"},
        help="Smooths the steps of an 8-bit height, by no more than half a step anywhere.",
    )
    height_white: Literal["high", "low"] = setting(
        "high",
        label="White is",
        choices={"high": "High", "low": "Low"},
        help="What white means in the height map that was brought.",
    )
    height_mm: float = setting(
        0.0,
        ge=0,
        le=100_000,
        step=1,
        unit="mm",
        label="Real depth",
        help="How far white lies above black in the height that was brought; 0 when unknown. With the real width it "
        "says how deep the relief is.",
    )
    roughness_white: Literal["rough", "smooth"] = setting(
        "rough",
        label="White is",
        choices={"rough": "Rough", "smooth": "Smooth"},
        help="Rough in a roughness map, smooth in a gloss or smoothness map.",
    )

    @field_validator("base_color", *TAKEN)
    @classmethod
    def _is_key(cls, value: str) -> str:
        key, dot, channel = value.partition(".")
        if value and (len(key) != KEY_LENGTH or any(c not in "0123456789abcdef" for c in key)):
            raise ValueError(f"a file is named by the first {KEY_LENGTH} characters of its SHA-256")
        if dot and channel not in ("r", "g", "b", "a"):
            raise ValueError("a channel of a file is written .r, .g, .b or .a behind its name")
        return value


def as_layer(role: str, values: Pixels, settings: Any) -> Raster:
    """An existing map in the inside form: white is high and rough, normals are unit vectors with +Y up.

    values: (H, W, 3) float32; linear light for colours, stored numbers in [0, 1] for data maps. Maps to compare with
    are stored as the inside form has them.
    """
    if role in COMPARED:
        return _compared(role, values)
    if role == "normal":
        return Raster(
            vectors_of(
                values,
                stored=settings.normal_stored,
                two=settings.normal_two,
                swapped=settings.normal_swapped,
                inverted=settings.normal_inverted,
                y=settings.normal_y,
            ),
            vectors=True,
        )
    if EVERY[role].channels == 3:
        return Raster(values)
    scalar = np.ascontiguousarray(values[..., 0]).clip(0, 1)
    if (role == "height" and settings.height_white == "low") or (
        role == "roughness" and settings.roughness_white == "smooth"
    ):
        scalar = 1 - scalar
    if role == "ambient_occlusion" and settings.occlusion_white == "closed":
        scalar = 1 - scalar
    if role == "height" and settings.height_steps == "smoothed":
        scalar = without_steps(scalar)
    return Raster(scalar)


def without_steps(scalar: Pixels, steps: int = 255) -> Pixels:
    """A height of few levels made smooth: no value moves by more than half a step, so that stored again in as many
    levels it is what it was. scalar: (H, W) in [0, 1]."""
    low, high = scalar - np.float32(0.499 / steps), scalar + np.float32(0.499 / steps)
    found = scalar
    # From wide to narrow: slopes spread over the steps first, then corners come back.
    for sigma in (6.0, 4.0, 3.0, 2.0, 1.5, 1.0, 1.0):
        for _ in range(3):
            found = np.clip(blur(found, sigma, wraps=True), low, high)
    return found.clip(0, 1)


def _compared(role: str, values: Pixels) -> Raster:
    if role == "truth_normal":
        return Raster(unit(values * np.float32(2) - np.float32(1)), vectors=True)
    return Raster(values if EVERY[role].channels == 3 else np.ascontiguousarray(values[..., 0]).clip(0, 1))


OPERATION = Operation(
    id="gather.maps",
    label="Existing maps",
    help="Maps of the same surface that were made elsewhere; they go through every step together.",
    settings=Settings,
)
