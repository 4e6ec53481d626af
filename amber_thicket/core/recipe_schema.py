"""The JSON Schema of recipes, made of the declarations themselves."""

from __future__ import annotations

from typing import Any

from pydantic.json_schema import models_json_schema

from amber_thicket.core.recipe import VERSION
from amber_thicket.core.registry import OPERATIONS


def recipe_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of a recipe of the present version: version, and settings by operation."""
    shapes = {operation.id: operation.settings for operation in OPERATIONS}
    references, top = models_json_schema([(shape, "validation") for shape in dict.fromkeys(shapes.values())])
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Amber Thicket recipe",
        "description": "Settings that differ from how they come, by operation. Unknown names are refused.",
        "type": "object",
        "required": ["version", "operations"],
        "properties": {
            "version": {"const": VERSION},
            "operations": {
                "type": "object",
                "properties": {id: references[shape, "validation"] for id, shape in shapes.items()},
                "additionalProperties": False,
            },
            "aside": {"type": "object", "description": "Settings of another release, kept and not used."},
        },
        "additionalProperties": False,
        "$defs": top["$defs"],
    }
