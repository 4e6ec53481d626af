"""Settings are declared once, as data: validation, API, controls, command line and documents read this."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Sequence
from functools import cache, cached_property
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.fields import FieldInfo

from amber_thicket.errors import BadSetting

Unit = Literal["", "%", "% of tile", "% of picture", "px", "mm", "°", "×"]


# A file is named by the first characters of its SHA-256.
KEY_LENGTH = 16
FileKey = Annotated[str, Field(pattern=f"^[0-9a-f]{{{KEY_LENGTH}}}$")]
_HEX = frozenset("0123456789abcdefABCDEF")


def _is_colour(value: str) -> str:
    if len(value) != 7 or value[0] != "#" or not _HEX.issuperset(value[1:]):
        raise ValueError(f"“{value[:20]}” is no colour; colours are written #rrggbb")
    return value


Colour = Annotated[str, AfterValidator(_is_colour)]


class Record(BaseModel):
    """What a recipe holds: unknown names refused, values checked, immutable."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @cached_property
    def digest(self) -> str:
        """The same for equal values: what content keys are made of."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:32]


class OperationSettings(Record):
    """Base of every operation's settings."""

    def options(self) -> dict[str, Any]:
        """All settings by name, as the operation's function takes them."""
        return {name: getattr(self, name) for name in type(self).model_fields}


def are_apart(rows: Sequence[Record], what: str, *, by: str = "id") -> None:
    """Raises ValueError when two of the rows have the same `by`. what: they are, for the message."""
    if len({getattr(row, by) for row in rows}) != len(rows):
        raise ValueError(f"two {what} share {'an' if by[0] in 'aeiou' else 'a'} {by}")


def as_plain(rows: Iterable[Record]) -> list[dict[str, Any]]:
    """Rows as plain data, as they were given: what was left to its default stays away."""
    return [row.model_dump(mode="json", exclude_unset=True, exclude_none=True) for row in rows]


def setting(
    default: Any,
    *,
    label: str,
    help: str,
    unit: Unit = "",
    ge: float | None = None,
    le: float | None = None,
    step: float | None = None,
    folded: bool = False,
    choices: dict[str, str] | None = None,
    most: int | None = None,
) -> Any:
    """Declare one setting.

    label: what the control is called. help: one sentence on what it does. unit: what the number is in.
    ge, le: lowest and highest value. step: what an arrow key adds. folded: shown under "more".
    choices: words shown for the values of a Literal. most: entries of a list or an object.
    """
    extra: dict[str, Any] = {"label": label, "unit": unit, "step": step, "folded": folded, "choices": choices}
    return Field(default, ge=ge, le=le, max_length=most, description=help, json_schema_extra=extra)


_KINDS: dict[Any, str] = {bool: "switch", int: "number", float: "number", str: "text"}


def _kind(field: FieldInfo) -> str:
    """What shows it: one control, or for a "structure" something made for it."""
    if get_origin(field.annotation) is Literal:
        return "choice"
    return _KINDS.get(field.annotation, "structure")


@cache
def _adapter(model: type[Record], name: str) -> TypeAdapter[Any]:
    annotation: Any = model.model_fields[name].annotation
    return TypeAdapter(annotation)


def schema_of(model: type[Record], name: str) -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of one setting."""
    return _adapter(model, name).json_schema()


def plain_of(settings: Record, name: str) -> Any:
    """The value of one setting as plain JSON data, as it was given: defaults inside a structure stay away."""
    value = getattr(settings, name)
    if value is None or isinstance(value, str | int | float | bool):
        return value
    return _adapter(type(settings), name).dump_python(value, mode="json", exclude_unset=True, exclude_none=True)


def describe(model: type[Record]) -> list[dict[str, Any]]:
    """All settings of one operation as plain data, in the order they are declared."""
    rows = []
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict):
            # What no single control shows: lists inside a setting that holds several values.
            continue
        low = next((m.ge for m in field.metadata if hasattr(m, "ge")), None)
        high = next((m.le for m in field.metadata if hasattr(m, "le")), None)
        kind = _kind(field)
        rows.append(
            {
                "name": name,
                "label": extra["label"],
                "help": field.description,
                "kind": kind,
                "integer": field.annotation is int,
                "unit": extra["unit"],
                "default": plain_default(model, name) if kind == "structure" else field.default,
                **({"schema": schema_of(model, name)} if kind == "structure" else {}),
                "min": low,
                "max": high,
                "step": extra["step"],
                "folded": extra["folded"],
                "choices": [
                    {"value": value, "label": (extra["choices"] or {}).get(str(value), str(value))}  # type: ignore[union-attr]
                    for value in (get_args(field.annotation) if kind == "choice" else ())
                ],
            }
        )
    return rows


def plain_default(model: type[Record], name: str) -> Any:
    """The default of a setting that is a structure, as plain JSON data."""
    return _adapter(model, name).dump_python(model.model_fields[name].default, mode="json")


def _in_words(message: str) -> str:
    """What pydantic says, for people who do not know its types."""
    message = re.sub(r"a valid dictionary( or instance of \w+)?", "an object with values by name", message)
    message = message.removeprefix("Value error, ").replace("Input should be", "it should be")
    return message.replace("a valid tuple", "a list").replace("Tuple should", "it should").replace("item(s)", "entries")


def _shortened(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 80 else f"{text[:77]}…"


def validated(model: type[OperationSettings], values: dict[str, Any], *, path: str) -> OperationSettings:
    """Settings from plain values. path: "stage.operation", for messages.

    Raises BadSetting naming the setting, the value and the range.
    """
    try:
        return model.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"]) or "settings"
        known = {row["name"]: row for row in describe(model)}
        row = known.get(name)
        if first["type"] == "extra_forbidden" and len(first["loc"]) == 1:
            raise BadSetting(
                f"{path} has no setting “{name}”.",
                remedy=f"It knows: {', '.join(known) or 'none'}.",
                setting=f"{path}.{name}",
            ) from None
        allowed = ""
        if row and row["kind"] == "choice":
            allowed = "one of " + ", ".join(str(c["value"]) for c in row["choices"])
        elif row and row["min"] is not None:
            allowed = f"from {row['min']:g} to {row['max']:g} {row['unit']}".strip()
        message = _in_words(first["msg"])
        raise BadSetting(
            f"{path}.{name} cannot be {_shortened(first['input'])}: {message.rstrip('.')}.",
            remedy=f"Allowed: {allowed}." if allowed else "Give another value.",
            setting=f"{path}.{name}",
            allowed=allowed,
        ) from None
