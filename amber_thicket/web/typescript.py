"""TypeScript types from the declarations, so that page and core cannot drift apart.

Run as a module, it writes frontend/src/api/types.ts; a test holds the file to this.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from amber_thicket.core.registry import OPERATIONS
from amber_thicket.core.roles import EVERY
from amber_thicket.core.settings import describe
from amber_thicket.service import answers
from amber_thicket.web import app  # noqa: F401  Every route declares its requests.
from amber_thicket.web.endpoint import Body

TARGET = Path(__file__).parents[2] / "frontend" / "src" / "api" / "types.ts"


def _union(values: tuple[str, ...]) -> str:
    return " | ".join(f'"{value}"' for value in values)


def _type_of(row: dict[str, Any], named: dict[str, Any]) -> str:
    """The type of a setting. named: takes what its type names, as JSON Schema."""
    if row["kind"] == "structure":
        named.update(row["schema"].get("$defs", {}))
        return type_of(row["schema"])
    if row["kind"] == "choice":
        return " | ".join(f'"{c["value"]}"' if isinstance(c["value"], str) else str(c["value"]) for c in row["choices"])
    return {"number": "number", "switch": "boolean", "text": "string"}[row["kind"]]


_PLAIN = {"number": "number", "integer": "number", "string": "string", "boolean": "boolean", "null": "null"}


def type_of(schema: dict[str, Any]) -> str:
    """The TypeScript type of a JSON Schema (draft 2020-12, as pydantic writes it)."""
    if "x-typescript" in schema:
        return str(schema["x-typescript"])
    if "$ref" in schema:
        return str(schema["$ref"].rsplit("/", 1)[1])
    if "const" in schema:
        return json.dumps(schema["const"])
    if "enum" in schema:
        return " | ".join(json.dumps(value) for value in schema["enum"])
    if "anyOf" in schema:
        return " | ".join(dict.fromkeys(type_of(one) for one in schema["anyOf"]))
    kind = schema.get("type")
    if kind == "array":
        return _array(schema)
    if kind == "object":
        values = next(iter(schema.get("patternProperties", {}).values()), schema.get("additionalProperties"))
        if "properties" not in schema:
            return f"Record<string, {type_of(values) if isinstance(values, dict) else 'unknown'}>"
        if not schema["properties"]:
            return "Record<string, never>"
        return f"{{ {' '.join(_fields(schema))} }}"
    return _PLAIN.get(kind or "", "unknown")


def _array(schema: dict[str, Any]) -> str:
    if "prefixItems" in schema:
        return f"[{', '.join(type_of(one) for one in schema['prefixItems'])}]"
    inside = type_of(schema.get("items", {}))
    return f"({inside})[]" if " | " in inside else f"{inside}[]"


def _fields(schema: dict[str, Any]) -> list[str]:
    needed = schema.get("required", ())
    return [f"{name}{'' if name in needed else '?'}: {type_of(one)};" for name, one in schema["properties"].items()]


def interface(name: str, schema: dict[str, Any]) -> str:
    """A named type."""
    if not schema.get("properties"):
        return f"export type {name} = {type_of(schema)};"
    told = (
        f"/** {schema['description'].split(chr(10) * 2)[0].replace(chr(10), ' ')} */\n"
        if "description" in schema
        else ""
    )
    fields = "".join(f"  {line}\n" for line in _fields(schema))
    return f"{told}export interface {name} {{\n{fields}}}"


# What follows from the settings: the page speaks of them by these names.
_DERIVED = """
export type SettingPath = keyof SettingValues;
/** What a setting may hold. */
export type SettingValue = SettingValues[SettingPath];
/** What one control shows. */
export type Value = number | string | boolean;
/** Settings to change; null puts one back to its default. */
export type Changes = Partial<Record<SettingPath, SettingValue | null>>;
export type Operations = Record<string, Record<string, SettingValue>>;
type Ending<End extends string> = Extract<SettingPath, `${string}.${End}`>;
/** Settings of strokes that paint a value on a map. */
export type StrokesPath = Exclude<Ending<"strokes">, `tile.${string}`>;
/** Settings of what zones change on a map. */
export type InZonesPath = Ending<"in_zones">;
export type ZoneChange = ScalarChange & RoughnessChange & ColourChange & HeightChange;
/** Layers that are there to compare with. */
export type ComparedRole = Extract<LayerId, `truth_${string}`>;
/** What a file may be. */
export type FileRole = AnyRole | "gloss" | "light" | "all_lights" | "merged" | "part" | "walk";
/** Content keys of the layers there are; of optional maps only where there is such a map. */
export type LayerKeys = Record<Exclude<LayerId, OptionalRole>, string> & Partial<Record<OptionalRole, string>>;
"""


def answer_models() -> list[type[BaseModel]]:
    """All shapes of answers, in the order they are declared."""
    found = (value for value in vars(answers).values() if isinstance(value, type) and issubclass(value, BaseModel))
    return [model for model in found if model.__module__ == answers.__name__ and model is not answers.Answer]


def body_models() -> list[type[Body]]:
    """All shapes of requests, in the order they are declared."""
    found, waiting = [], list(Body.__subclasses__())
    while waiting:
        model = waiting.pop(0)
        found.append(model)
        waiting += model.__subclasses__()
    return found


def generated() -> str:
    """The whole file."""
    named: dict[str, Any] = {}
    settings = [
        f'  "{operation.id}.{row["name"]}": {_type_of(row, named)};'
        for operation in OPERATIONS
        for row in describe(operation.settings)
    ]
    optional = tuple(role.id for role in EVERY.values() if not role.made)
    for model in answer_models():
        schema = model.model_json_schema(mode="serialization", by_alias=True)
        named.update({name: inside for name, inside in schema.pop("$defs", {}).items() if name not in named})
        named[model.__name__] = schema
    for request in body_models():
        schema = request.model_json_schema(mode="validation", by_alias=True)
        named.update({name: inside for name, inside in schema.pop("$defs", {}).items() if name not in named})
        named.setdefault(request.__name__, schema)
    lines = [
        "// Written by `python -m amber_thicket.web.typescript`; do not edit.",
        "",
        "/** Every setting of a recipe, by its path. */",
        "export interface SettingValues {",
        *settings,
        "}",
        _DERIVED,
        "/** Maps that not every surface has, and those to compare with. */",
        f"export type OptionalRole = {_union(optional)};",
        *(interface(name, schema) for name, schema in sorted(named.items())),
        "",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    TARGET.parent.mkdir(parents=True, exist_ok=True)
    TARGET.write_text(generated())
