"""How many pixels and millimetres the tile has."""

from __future__ import annotations

from typing import Literal, get_args

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, setting

Pixels = Literal[256, 512, 1024, 2048, 4096, 8192, 16384]
SIZES = get_args(Pixels)


class Settings(OperationSettings):
    width: Pixels = setting(1024, unit="px", label="Width", help="Width of every finished map.")
    height: Pixels = setting(1024, unit="px", label="Height", help="Height of every finished map.")
    sample_mm: float = setting(
        0.0,
        ge=0,
        le=100_000,
        step=10,
        unit="mm",
        label="Real width",
        help="How wide the cropped sample is in reality; 0 when unknown. Sizes then show in mm as well.",
    )


OPERATION = Operation(
    id="square.size",
    label="Size",
    help="Pixels and millimetres of the finished tile.",
    settings=Settings,
)
