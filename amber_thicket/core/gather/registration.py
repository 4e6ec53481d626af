"""Files that are laid on the first photograph, and a second photograph that goes on where the first one ends."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
from pydantic import Field, field_validator

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import FileKey, OperationSettings, Record, are_apart, setting

MOST = 24


class RegisteredFile(Record):
    """How a file lies. on: the file it was laid on, "" for the one that was brought first. matrix: nine numbers, row by
    row: from places of that one to those of the file, both in 0..1 across and down. wraps: its edges meet, so what
    leaves at one side comes in at the other."""

    file: FileKey
    matrix: tuple[float, ...] = Field(min_length=9, max_length=9)
    wraps: bool = False
    on: FileKey | Literal[""] = ""

    @field_validator("matrix")
    @classmethod
    def _is_a_view(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if abs(float(np.linalg.det(np.array(value).reshape(3, 3)))) < 1e-6:
            raise ValueError("a place is nine numbers that can be turned back")
        return value


class Settings(OperationSettings):
    files: tuple[RegisteredFile, ...] = setting(
        (), most=MOST, label="Laid in place", help="Files that are laid on another one, each by a matrix."
    )
    joined: tuple[RegisteredFile, ...] = setting(
        (), most=MOST, label="Goes on with", help="Files that are joined to the photograph, each by a matrix."
    )

    @field_validator("files", "joined")
    @classmethod
    def _are_apart(cls, rows: tuple[RegisteredFile, ...]) -> tuple[RegisteredFile, ...]:
        are_apart(rows, "places", by="file")
        return rows


def places_of(settings: Any) -> dict[str, RegisteredFile]:
    """Places by file."""
    return {place.file: place for place in settings.files}


def moved_back(places: Sequence[RegisteredFile], file: str, x: float, y: float) -> tuple[RegisteredFile, ...]:
    """Places with one file moved. x, y: how far it lies to the right and down, in widths and heights of the tile, which
    is the whole picture of the file it was laid on; it wraps."""
    rows = {place.file: place for place in places}
    moved = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
    before = np.array(rows[file].matrix).reshape(3, 3) if file in rows else np.eye(3)
    matrix = tuple(round(float(v), 9) for v in (before @ moved).ravel())
    rows[file] = RegisteredFile(file=file, matrix=matrix, wraps=True, on=rows[file].on if file in rows else "")
    return tuple(rows.values())


OPERATION = Operation(
    id="gather.registration",
    label="Laid in place",
    help="Photographs of the same thing that lie elsewhere: laid on the first, or joined to it.",
    settings=Settings,
)
