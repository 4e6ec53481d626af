"""A walk-by: handheld photographs of a nearly flat surface from different places; their parallax tells its height."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import FileKey, OperationSettings, Record, are_apart, setting

FEWEST, MOST = 2, 12
Number = Annotated[float, Field(ge=-100, le=100)]


class Held(Record):
    """One photograph, and where the camera was: turn (a rotation vector) and place of what it sees, in the frame of the
    first one, whose distance to the surface is 1."""

    file: FileKey
    turn: tuple[Number, Number, Number] = (0.0, 0.0, 0.0)
    place: tuple[Number, Number, Number] = (0.0, 0.0, 0.0)


class Settings(OperationSettings):
    frames: tuple[Held, ...] = setting(
        (), most=MOST, label="Photographs", help="Photographs of one surface from slightly different places."
    )
    normal: tuple[float, ...] = setting(
        (), most=3, label="Surface", help="Which way the surface faces, as it was found; none where it was not yet."
    )
    focal: float = setting(
        1.0, ge=0.2, le=10, step=0.01, label="Focal length", help="In widths of the picture, as it was found."
    )
    bend: float = setting(
        0.0, ge=-0.5, le=0.5, step=0.002, label="Bend of the lens", help="As it was found; Square straightens by it."
    )
    colour: Literal["merged", "first"] = setting(
        "merged",
        label="Colour from",
        choices={"merged": "All of them", "first": "The first"},
        help="All of them leaves out glare and whatever passed by; the first is that photograph alone.",
    )

    fine: float = setting(
        1.0,
        ge=0,
        le=2,
        step=0.1,
        unit="×",
        label="Fine relief",
        help="How much of what is finer than movement can tell is read from the first photograph's tone and shading.",
    )

    @field_validator("frames")
    @classmethod
    def _are_apart(cls, rows: tuple[Held, ...]) -> tuple[Held, ...]:
        are_apart(rows, "photographs", by="file")
        return rows

    @field_validator("normal")
    @classmethod
    def _is_a_direction(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if len(value) not in (0, 3) or not all(abs(entry) <= 1.01 for entry in value):
            raise ValueError("a direction is three numbers, or none")
        return value


OPERATION = Operation(
    id="gather.walk",
    label="Walk-by",
    help="Photographs from slightly different places: height by what moves between them.",
    settings=Settings,
)
