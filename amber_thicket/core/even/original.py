"""How much of the picture as it was stays in."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Original",
        help="Blends the untouched picture back in.",
    )
    exposure: float = setting(
        0.0, ge=-3, le=3, step=0.1, label="Exposure", help="Brighter or darker, in steps of doubled light."
    )


def original(evened: Raster, squared: Raster, *, frame: Frame, amount: float, exposure: float) -> Raster:
    """evened and squared (linear RGB, same shape) mixed in linear light, then exposed."""
    share = np.float32(amount / 100)
    mixed = evened.pixels * (1 - share) + squared.pixels * share
    return Raster(mixed * np.float32(2.0**exposure))


OPERATION = Operation(
    id="even.original",
    label="Finish",
    help="Blend the original back and set the exposure.",
    settings=Settings,
    reads=("previous", "squared"),
    apply=original,
    idle=lambda s: s.amount == 0 and s.exposure == 0,
)
