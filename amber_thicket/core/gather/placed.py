"""Files that are laid on the first photograph, and a second photograph that goes on where the first one ends."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field, field_validator

from amber_thicket.core.gather.maps import KEY_LENGTH
from amber_thicket.core.operation import Operation
from amber_thicket.core.rows import rows_of
from amber_thicket.core.settings import OperationSettings, setting

MOST = 24


class Place(OperationSettings):
    """How a file lies. matrix: nine numbers, row by row: from places of the first photograph to those of the file, both
    in 0..1 across and down. wraps: its edges meet, so what leaves at one side comes in at the other."""

    file: str = Field(pattern=f"^[0-9a-f]{{{KEY_LENGTH}}}$")
    matrix: tuple[float, ...] = Field(min_length=9, max_length=9)
    wraps: bool = False

    @field_validator("matrix")
    @classmethod
    def _is_a_view(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if abs(float(np.linalg.det(np.array(value).reshape(3, 3)))) < 1e-6:
            raise ValueError("a place is nine numbers that can be turned back")
        return value


def read(text: str) -> tuple[Place, ...]:
    """Places from their setting. Raises ValueError in words."""
    return rows_of(text, MOST, "places", Place, by="file")


class Settings(OperationSettings):
    places: str = setting(
        "",
        label="Laid in place",
        help="A JSON list of files that are laid on the first photograph, each with file and a matrix of nine numbers.",
    )
    joined: str = setting(
        "",
        label="Goes on with",
        help="A JSON list of the one file that is joined to the first photograph, with its matrix of nine numbers.",
    )

    @field_validator("places", "joined")
    @classmethod
    def _are_places(cls, value: str) -> str:
        read(value)
        return value


def places_of(settings: Any) -> dict[str, Place]:
    """Places by file."""
    return {place.file: place for place in read(settings.places)}


def moved_back(text: str, file: str, x: float, y: float) -> list[dict[str, Any]]:
    """The rows of the setting with one file moved. x, y: how far it lies to the right and down, in widths and heights
    of the tile; it wraps."""
    rows = {place.file: place for place in read(text)}
    moved = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
    before = np.array(rows[file].matrix).reshape(3, 3) if file in rows else np.eye(3)
    matrix = tuple(round(float(v), 9) for v in (before @ moved).ravel())
    rows[file] = Place(file=file, matrix=matrix, wraps=True)
    return [row.model_dump() for row in rows.values()]


OPERATION = Operation(
    id="gather.placed",
    label="Laid in place",
    help="Photographs of the same thing that lie elsewhere: laid on the first, or joined to it.",
    settings=Settings,
)
