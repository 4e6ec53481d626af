"""Existing maps of the surface: which file is which map, and how it is stored."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.roles import COMPARED, EVERY
from amber_thicket.core.settings import OperationSettings, setting

KEY_LENGTH = 16
TAKEN: tuple[str, ...] = tuple(role for role in EVERY if role != "base_color")


def _file(role: str) -> str:
    label = EVERY[role].label
    value: str = setting("", label=label, help=f"The file that brings the {label.lower()}; empty where it brings none.")
    return value


class Settings(OperationSettings):
    base_color: str = setting(
        "", label="Base colour", help="The file that brings the colour; empty for the one imported first."
    )
    height: str = _file("height")
    normal: str = _file("normal")
    roughness: str = _file("roughness")
    metallic: str = _file("metallic")
    ambient_occlusion: str = _file("ambient_occlusion")
    curvature: str = _file("curvature")
    specular: str = _file("specular")
    opacity: str = _file("opacity")
    translucency: str = _file("translucency")
    emissive: str = _file("emissive")
    truth_base_color: str = _file("truth_base_color")
    truth_height: str = _file("truth_height")
    truth_normal: str = _file("truth_normal")
    truth_roughness: str = _file("truth_roughness")
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
    height_white: Literal["high", "low"] = setting(
        "high",
        label="White is",
        choices={"high": "High", "low": "Low"},
        help="What white means in the height map that was brought.",
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
        if value and (len(value) != KEY_LENGTH or any(c not in "0123456789abcdef" for c in value)):
            raise ValueError(f"a file is named by the first {KEY_LENGTH} characters of its SHA-256")
        return value


def as_layer(role: str, values: Pixels, settings: Any) -> Raster:
    """An existing map in the inside form: white is high and rough, normals are unit vectors with +Y up.

    values: (H, W, 3) float32; linear light for colours, stored numbers in [0, 1] for data maps. Maps to compare with
    are stored as the inside form has them.
    """
    if role in COMPARED:
        return _compared(role, values)
    if role == "normal":
        vectors = values * np.float32(2) - np.float32(1)
        if settings.normal_y == "minus":
            vectors[..., 1] *= -1
        return Raster(unit(vectors), vectors=True)
    if EVERY[role].channels == 3:
        return Raster(values)
    scalar = np.ascontiguousarray(values[..., 0]).clip(0, 1)
    if (role == "height" and settings.height_white == "low") or (
        role == "roughness" and settings.roughness_white == "smooth"
    ):
        scalar = 1 - scalar
    return Raster(scalar)


def _compared(role: str, values: Pixels) -> Raster:
    if role == "truth_normal":
        return Raster(unit(values * np.float32(2) - np.float32(1)), vectors=True)
    return Raster(values if EVERY[role].channels == 3 else np.ascontiguousarray(values[..., 0]).clip(0, 1))


def unit(vectors: Pixels) -> Pixels:
    """Vectors (H, W, 3) of length 1; where there is none, straight out."""
    length = np.sqrt(np.einsum("ijk,ijk->ij", vectors, vectors))[..., None]
    out = np.divide(vectors, length, where=length > 1e-6, out=np.zeros_like(vectors))
    out[..., 2] += (length[..., 0] <= 1e-6).astype(np.float32)
    return out


OPERATION = Operation(
    id="gather.maps",
    label="Existing maps",
    help="Maps of the same surface that were made elsewhere; they go through every step together.",
    settings=Settings,
)
