"""Several photographs of one view that become one picture: exposures, or depths of focus."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import FileKey, OperationSettings, Record, are_apart, setting

FEWEST, MOST = 2, 24


class Exposure(Record):
    """One photograph. stops: how much more light it was given than the others, by its tags; None has it found."""

    file: FileKey
    stops: float | None = Field(default=None, ge=-40, le=40)


class Settings(OperationSettings):
    frames: tuple[Exposure, ...] = setting(
        (), most=MOST, label="Photographs", help="Photographs of one view that are merged into one picture."
    )
    by: Literal["exposure", "focus"] = setting(
        "exposure",
        label="Merged by",
        choices={"exposure": "Exposure", "focus": "Focus"},
        help="Exposure takes each place from where it is neither burnt out nor lost in the dark; focus from where it "
        "is sharpest.",
    )
    align: bool = setting(
        True, label="Bring into place", help="Lays photographs that were moved a little on the first."
    )
    ghosts: bool = setting(
        True, label="Leave out what moved", help="What moved between exposures is taken from one photograph alone."
    )

    @field_validator("frames")
    @classmethod
    def _are_apart(cls, rows: tuple[Exposure, ...]) -> tuple[Exposure, ...]:
        are_apart(rows, "photographs", by="file")
        return rows


OPERATION = Operation(
    id="gather.merge",
    label="Merge",
    help="An exposure bracket or a focus stack of one view becomes one picture.",
    settings=Settings,
)
