"""The layer on which colours are compared with picked ones."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings

# Structure finer than this share of the tile width does not split a zone by colour.
_GRAIN = 0.0015


class Settings(OperationSettings):
    pass


def compared(tiled: Raster, *, frame: Frame) -> Raster:
    """The tile's colour without its finest grain, in Oklab × 100, (H, W, 3)."""
    return Raster(to_oklab(blur(tiled.pixels, _GRAIN * frame.tile_width, wraps=True)) * np.float32(100))


OPERATION = Operation(
    id="response.compared",
    label="Colour compared",
    help="The colour that zones are told apart by.",
    settings=Settings,
    reads=("tiled",),
    writes="compared",
    apply=compared,
)
