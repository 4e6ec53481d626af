"""TypeScript types from the declarations, so that page and core cannot drift apart.

Run as a module, it writes frontend/src/api/generated.ts; a test holds the file to this.
"""

from __future__ import annotations

from pathlib import Path

from amber_thicket.core.operation import STAGES
from amber_thicket.core.registry import OPERATIONS
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import describe
from amber_thicket.service.preview import LAYERS

TARGET = Path(__file__).parents[2] / "frontend" / "src" / "api" / "generated.ts"


def _union(values: tuple[str, ...]) -> str:
    return " | ".join(f'"{value}"' for value in values)


def _type_of(row: dict) -> str:
    if row["kind"] == "choice":
        return " | ".join(f'"{c["value"]}"' if isinstance(c["value"], str) else str(c["value"]) for c in row["choices"])
    return {"number": "number", "switch": "boolean", "text": "string"}[row["kind"]]


def generated() -> str:
    """The whole file."""
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
            lines.append(f'  "{operation.id}.{row["name"]}": {_type_of(row)};')
    lines += ["}", "", "export type SettingPath = keyof SettingValues;", ""]
    return "\n".join(lines)


if __name__ == "__main__":
    TARGET.parent.mkdir(parents=True, exist_ok=True)
    TARGET.write_text(generated())
