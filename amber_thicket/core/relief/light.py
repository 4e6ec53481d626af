"""From which side the photograph is lit: found once, whatever is then made of it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings
from amber_thicket.core.shading.raking import raking
from amber_thicket.core.tile.extended import bled


class Settings(OperationSettings):
    pass


def light(squared: Raster | None, as_shot: Raster | None, cut: Raster | None, *, frame: Frame, **_: Any) -> Raster:
    """A layer of one pixel, whose evidence is what relief.raking.Raking holds.

    squared: the photograph. as_shot, cut: of a cut-out, the photograph and its mask: its colour is carried on beyond
    its edge, which would be taken for relief, as the ground would.
    """
    if as_shot is not None and cut is not None:
        pixels = bled(as_shot.pixels, cut.pixels)
    else:
        assert squared is not None
        pixels = squared.pixels
    return Raster(np.zeros((1, 1), np.float32), evidence=asdict(raking(pixels)))


def _looks_inside(options: dict[str, Any]) -> bool:
    return bool(options["cutout"].on and options["cues"].inside)


OPERATION = Operation(
    id="relief.light",
    label="Light",
    help="From which side the photograph is lit.",
    settings=Settings,
    reads=("squared", "tiled.as_shot", "cut"),
    writes="light",
    apply=light,
    also=("tile.cutout", "relief.cues"),
    uses=lambda options: ("tiled.as_shot", "cut") if _looks_inside(options) else ("squared",),
    matters=lambda options: _looks_inside(options),
)
