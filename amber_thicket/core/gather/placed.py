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
    in 0..1 across and down."""

    file: str = Field(pattern=f"^[0-9a-f]{{{KEY_LENGTH}}}$")
    matrix: tuple[float, ...] = Field(min_length=9, max_length=9)

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


def places_of(settings: Any) -> dict[str, tuple[float, ...]]:
    """Matrices by file."""
    return {place.file: place.matrix for place in read(settings.places)}


OPERATION = Operation(
    id="gather.placed",
    label="Laid in place",
    help="Photographs of the same thing that lie elsewhere: laid on the first, or joined to it.",
    settings=Settings,
)
