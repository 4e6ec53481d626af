"""Highlight: bright patches that the light made, not the material."""

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
        label="Highlight",
        help="Takes down patches that lie brighter than what surrounds them.",
    )
    size: float = setting(
        4.0, ge=0.5, le=20, step=0.5, unit="% of tile", label="Highlight size", help="How wide such a patch may be."
    )


def decide_highlight(shaded: Raster, *, frame: Frame, amount: float, size: float) -> _local.Neighbourhood:
    """The neighbourhood each place is compared with."""
    return _local.survey(shaded, frame, size)


def highlight(shaded: Raster, *, frame: Frame, decided: _local.Neighbourhood, amount: float, size: float) -> Raster:
    """Linear RGB with local highlights taken down by amount per cent."""
    rise = np.maximum(_local.departure(shaded, frame, decided), 0)
    return _local.scaled(shaded, rise * np.float32(-amount / 100))


OPERATION = Operation(
    id="even.highlight",
    label="Highlight",
    help="Bright patches that the light made.",
    settings=Settings,
    tags=("takes_light_out",),
    reads=("previous",),
    apply=highlight,
    idle=lambda s: s.amount == 0,
    decide=decide_highlight,
    decides_by=("size",),
)
