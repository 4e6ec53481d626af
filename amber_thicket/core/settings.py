"""Settings are declared once, as data: validation, API, controls, command line and documents read this."""

from __future__ import annotations

from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

from amber_thicket.errors import BadSetting

Unit = Literal["", "%", "% of tile", "% of picture", "px", "mm", "°", "×"]


class OperationSettings(BaseModel):
    """Base of every operation's settings: unknown names refused, values checked, immutable."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


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
) -> Any:
    """Declare one setting.

    label: what the control is called. help: one sentence on what it does. unit: what the number is in.
    ge, le: lowest and highest value. step: what an arrow key adds. folded: shown under "more".
    choices: words shown for the values of a Literal.
    """
    extra: dict[str, Any] = {"label": label, "unit": unit, "step": step, "folded": folded, "choices": choices}
    return Field(default, ge=ge, le=le, description=help, json_schema_extra=extra)


def _kind(field: FieldInfo) -> str:
    annotation = field.annotation
    if get_origin(annotation) is Literal:
        return "choice"
    return {bool: "switch", int: "number", float: "number", str: "text"}[annotation]  # type: ignore[index]


def describe(model: type[OperationSettings]) -> list[dict[str, Any]]:
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
                "default": field.default,
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
        if first["type"] == "extra_forbidden":
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
        message = first["msg"].removeprefix("Value error, ")
        raise BadSetting(
            f"{path}.{name} cannot be {first['input']!r}: {message}.",
            remedy=f"Allowed: {allowed}." if allowed else "Give another value.",
            setting=f"{path}.{name}",
            allowed=allowed,
        ) from None
