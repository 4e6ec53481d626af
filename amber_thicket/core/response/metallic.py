"""Metallic: off, or one level for the whole surface."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.operation import Given, Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    level: float = setting(
        0.0,
        ge=0,
        le=1,
        step=0.05,
        label="Metallic",
        help="0 is off: the map is blank and left out. Bare metal is 1, or a little less so that it never goes black.",
    )


def metallic(base_color: Raster, *, frame: Frame, level: float) -> Raster:
    """The same level everywhere, (H, W) in [0, 1]."""
    return Raster(np.full(base_color.pixels.shape[:2], level, np.float32))


def given_metallic(given: Raster, *, frame: Frame, level: float) -> Raster:
    """The metallic map that was brought."""
    return given


OPERATION = Operation(
    id="response.metallic",
    label="Metallic",
    help="Which places are bare metal.",
    settings=Settings,
    reads=("base_color",),
    writes="metallic",
    apply=metallic,
    given=(Given("metallic", given_metallic),),
)
