"""Settings that hold several values of one kind, as a JSON list."""

from __future__ import annotations

from typing import TypeVar

from pydantic import ValidationError

from amber_thicket.core.settings import OperationSettings
from amber_thicket.core.strokes import listed

Row = TypeVar("Row", bound=OperationSettings)


def plain(error: ValidationError) -> str:
    """The first thing that is wrong, in words, for a setting that holds several values."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    return f"{where}: {first['msg'].removeprefix('Value error, ')}"


def rows_of(text: str, most: int, what: str, model: type[Row], *, by: str = "id") -> tuple[Row, ...]:
    """Rows of a setting that is a JSON list of one kind. by: the field in which no two are alike. Raises ValueError in
    words."""
    found = []
    for row in listed(text, most, what):
        if not isinstance(row, dict):
            raise ValueError(f"each of the {what} is an object with its values by name")
        try:
            found.append(model.model_validate(row))
        except ValidationError as error:
            raise ValueError(plain(error)) from None
    if len({getattr(row, by) for row in found}) != len(found):
        raise ValueError(f"two {what} share {'an' if by[0] in 'aeiou' else 'a'} {by}")
    return tuple(found)
