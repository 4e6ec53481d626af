"""From which side the photograph is lit: found once, whatever is then made of it."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings
from amber_thicket.core.shading.raking import raking


class Settings(OperationSettings):
    pass


def light(squared: Raster, *, frame: Frame) -> Raster:
    """A layer of one pixel, whose evidence is what relief.raking.Raking holds."""
    return Raster(np.zeros((1, 1), np.float32), evidence=asdict(raking(squared.pixels)))


OPERATION = Operation(
    id="relief.light",
    label="Light",
    help="From which side the photograph is lit.",
    settings=Settings,
    reads=("squared",),
    writes="light",
    apply=light,
)
