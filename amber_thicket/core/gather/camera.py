"""The camera's colours: a matrix found by a colour target brings them to what things look like."""

from __future__ import annotations

import numpy as np
from pydantic import field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    matrix: tuple[float, ...] = setting(
        (),
        most=9,
        label="Camera matrix",
        help="Nine numbers, row by row, for linear red, green and blue; none is plain.",
    )
    amount: float = setting(
        100.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Camera colours",
        help="How far the colours are brought to those the colour target says.",
    )

    @field_validator("matrix")
    @classmethod
    def _is_a_matrix(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if len(value) not in (0, 9) or not all(abs(entry) <= 20 for entry in value):
            raise ValueError("a camera matrix is nine numbers between −20 and 20, or none")
        return value


def correct(balanced: Raster, *, frame: Frame, matrix: tuple[float, ...], amount: float) -> Raster:
    """Linear RGB times the matrix. balanced: (H, W, 3); what falls below black becomes black."""
    whole = np.array(matrix, np.float32).reshape(3, 3)
    mixed = np.eye(3, dtype=np.float32) + np.float32(amount / 100) * (whole - np.eye(3, dtype=np.float32))
    return Raster(np.maximum(balanced.pixels @ mixed.T, 0), evidence=dict(balanced.evidence))


OPERATION = Operation(
    id="gather.camera",
    label="Camera colours",
    help="Brings the camera's colours to what things look like, as a colour target told.",
    settings=Settings,
    reads=("balanced",),
    writes="corrected",
    apply=correct,
    idle=lambda s: not s.matrix or s.amount == 0,
)
