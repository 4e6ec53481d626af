"""Local shadow: dark patches that the light made, not the material."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.even import _local
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
        label="Shadow",
        help="Lifts patches that lie darker than what surrounds them.",
    )
    size: float = setting(
        4.0, ge=0.5, le=20, step=0.5, unit="% of tile", label="Shadow size", help="How wide such a patch may be."
    )


def decide_shadow(lit: Raster, *, frame: Frame, amount: float, size: float) -> _local.Neighbourhood:
    """The neighbourhood each place is compared with."""
    return _local.survey(lit, frame, size)


def shadow(lit: Raster, *, frame: Frame, decided: _local.Neighbourhood, amount: float, size: float) -> Raster:
    """Linear RGB with local shadow lifted by amount per cent."""
    dip = np.minimum(_local.departure(lit, frame, decided), 0)
    return _local.scaled(lit, dip * np.float32(-amount / 100))


OPERATION = Operation(
    id="even.shadow",
    label="Shadow",
    help="Dark patches that the light made.",
    settings=Settings,
    tags=("takes_light_out",),
    reads=("previous",),
    apply=shadow,
    idle=lambda s: s.amount == 0,
    decide=decide_shadow,
    decides_by=("size",),
)
