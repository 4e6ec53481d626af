"""Perspective and level: which four points of the picture are the corners of a flat rectangle, and its turn."""

from __future__ import annotations

from pydantic import model_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, setting

CORNERS = ("upper_left", "upper_right", "lower_right", "lower_left")
WHOLE = ((0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0))


def _corner(default: float, label: str) -> float:
    value: float = setting(
        default,
        ge=-100,
        le=200,
        step=0.1,
        unit="% of picture",
        folded=True,
        label=label,
        help="A corner of the flat rectangle; drag it on the photograph.",
    )
    return value


class Settings(OperationSettings):
    turn: float = setting(
        0.0,
        ge=-45,
        le=45,
        step=0.1,
        unit="°",
        label="Level",
        help="Turns the flattened picture counter-clockwise; empty corners are cut off.",
    )
    stretch: float = setting(
        1.0,
        ge=0.25,
        le=4,
        step=0.01,
        unit="×",
        folded=True,
        label="Width over height",
        help="Corrects the shape that was worked out from the corners.",
    )
    upper_left_x: float = _corner(0.0, "Upper left, across")
    upper_left_y: float = _corner(0.0, "Upper left, down")
    upper_right_x: float = _corner(100.0, "Upper right, across")
    upper_right_y: float = _corner(0.0, "Upper right, down")
    lower_right_x: float = _corner(100.0, "Lower right, across")
    lower_right_y: float = _corner(100.0, "Lower right, down")
    lower_left_x: float = _corner(0.0, "Lower left, across")
    lower_left_y: float = _corner(100.0, "Lower left, down")

    @property
    def corners(self) -> tuple[tuple[float, float], ...]:
        """Upper left, upper right, lower right, lower left in per cent of the picture."""
        return tuple((getattr(self, f"{name}_x"), getattr(self, f"{name}_y")) for name in CORNERS)

    @model_validator(mode="after")
    def _turns_one_way(self) -> Settings:
        points = self.corners
        for i in range(4):
            (ax, ay), (bx, by), (cx, cy) = points[i], points[(i + 1) % 4], points[(i + 2) % 4]
            if (bx - ax) * (cy - by) - (by - ay) * (cx - bx) < 1:
                raise ValueError("the four corners must go round clockwise without a dent")
        return self


OPERATION = Operation(
    id="square.flat",
    label="Perspective and level",
    help="Four corners of something flat and rectangular; a line that should be level.",
    settings=Settings,
)
