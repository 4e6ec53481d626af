"""TypeScript types from the declarations, so that page and core cannot drift apart.

Run as a module, it writes frontend/src/api/generated.ts; a test holds the file to this.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from amber_thicket.core.operation import STAGES
from amber_thicket.core.registry import OPERATIONS
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import describe
from amber_thicket.service.preview import LAYERS

TARGET = Path(__file__).parents[2] / "frontend" / "src" / "api" / "generated.ts"


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
    if "properties" not in schema:
        return f"export type {name} = {type_of(schema)};"
    told = (
        f"/** {schema['description'].split(chr(10) * 2)[0].replace(chr(10), ' ')} */\n"
        if "description" in schema
        else ""
    )
    fields = "".join(f"  {line}\n" for line in _fields(schema))
    return f"{told}export interface {name} {{\n{fields}}}"


def generated() -> str:
    """The whole file."""
    named: dict[str, Any] = {}
    lines = [
        "// Written by `python -m amber_thicket.web.typescript`; do not edit.",
        "",
        f"export type StageId = {_union(STAGES)};",
        f"export type MapRole = {_union(tuple(ROLES))};",
        f"export type LayerId = {_union(LAYERS)};",
        "",
        "export interface SettingValues {",
    ]
    for operation in OPERATIONS:
        for row in describe(operation.settings):
            lines.append(f'  "{operation.id}.{row["name"]}": {_type_of(row, named)};')
    lines += ["}", "", "export type SettingPath = keyof SettingValues;", ""]
    lines += [interface(name, schema) for name, schema in sorted(named.items())]
    lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    TARGET.parent.mkdir(parents=True, exist_ok=True)
    TARGET.write_text(generated())
