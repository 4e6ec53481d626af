"""Normal from height."""

from __future__ import annotations

from typing import Literal

import numpy as np

from amber_thicket.core.gather.maps import unit
from amber_thicket.core.operation import Given, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.slope import slopes
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    strength: float = setting(
        1.0,
        ge=0,
        le=4,
        step=0.05,
        unit="×",
        label="Strength",
        help="1 is the surface's own slope; more exaggerates the normal map alone.",
    )
    y_in_files: Literal["profile", "plus", "minus"] = setting(
        "profile",
        label="Y in files",
        choices={"profile": "As profile", "plus": "Y+", "minus": "Y−"},
        help="Which way green points in written files: Y+ (OpenGL) up, Y− (DirectX) down; inside it is always Y+.",
    )


def from_height(height: Pixels, *, depth: float, wraps: bool = True) -> Pixels:
    """Unit normals (H, W, 3) of a height field.

    height: (H, W) float32, rows downwards. depth: pixels from height 0 to height 1. +X right, +Y up, +Z out.
    """
    right, up = slopes(height, wraps=wraps)
    x, y = right * np.float32(-depth), up * np.float32(-depth)
    z = 1 / np.sqrt(1 + x * x + y * y)
    return np.stack([x * z, y * z, z], -1)


def normal(height: Raster, *, frame: Frame, strength: float, y_in_files: str) -> Raster:
    """Unit normals of the height layer at its own span times strength."""
    return Raster(from_height(height.pixels, depth=height.span * frame.tile_width * strength))


def given_normal(given: Raster, *, frame: Frame, strength: float, y_in_files: str) -> Raster:
    """The normal map that was brought; strength multiplies its slopes."""
    if strength == 1:
        return given
    return Raster(unit(given.pixels * np.array([strength, strength, 1], np.float32)), vectors=True)


OPERATION = Operation(
    id="relief.normal",
    label="Normal",
    help="How the surface leans, from its height.",
    settings=Settings,
    reads=("height",),
    writes="normal",
    apply=normal,
    given=(Given("normal", given_normal),),
)
