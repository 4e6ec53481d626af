"""A recipe: every decision about one material, as plain data with a version.

Only settings that differ from their default are stored, as {"stage.operation": {"setting": value}}.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import Any

from amber_thicket.core.operation import STAGES, Operation
from amber_thicket.core.registry import BY_ID, OPERATIONS
from amber_thicket.core.settings import OperationSettings, validated
from amber_thicket.errors import BadRecipe, BadSetting

VERSION = 1
# What says which file is what.
_FILES = ("gather.maps", "gather.lights", "gather.placed")


@dataclass(frozen=True)
class Recipe:
    """Immutable; every change makes a new one. changed: settings that differ from their defaults."""

    changed: dict[str, dict[str, Any]] = field(default_factory=dict)

    @cached_property
    def _settings(self) -> dict[str, OperationSettings]:
        return {
            operation.id: validated(operation.settings, self.changed[operation.id], path=operation.id)
            if operation.id in self.changed
            else _unchanged(operation.id)
            for operation in OPERATIONS
        }

    def settings(self, operation: str) -> Any:
        """The validated settings of one operation. Raises BadSetting when there is no such operation."""
        if operation not in BY_ID:
            raise BadSetting(f"There is no operation “{operation}”.", remedy=f"Known: {', '.join(BY_ID)}.")
        return self._settings[operation]

    def with_changes(self, changes: dict[str, Any]) -> Recipe:
        """A new recipe. changes: {"stage.operation.setting": value}; None resets to the default.

        All or nothing: raises BadSetting and changes nothing when one of them is not allowed.
        """
        merged = {operation: dict(values) for operation, values in self.changed.items()}
        for path, value in changes.items():
            operation, name = _operation_of(path)
            known = operation.settings.model_fields
            if name not in known:
                validated(operation.settings, {name: value}, path=operation.id)
            merged.setdefault(operation.id, {})[name] = known[name].default if value is None else value
        return _normalised(merged)

    def as_json(self) -> dict[str, Any]:
        """Plain data, oldest reader in mind: version, then operations in the order they run."""
        return {"version": VERSION, "operations": self.changed}

    def changes_in(self, stage: str) -> int:
        """How many settings of a stage differ from their defaults. Which file is which map is no such setting."""
        counted = (op for op in self.changed if op.split(".")[0] == stage and op not in _FILES)
        return sum(len(self.changed[op]) for op in counted)


@cache
def _unchanged(operation: str) -> OperationSettings:
    """An operation's settings as they come; the same object for all recipes, as none can be altered."""
    return BY_ID[operation].settings()


def _operation_of(path: str) -> tuple[Operation, str]:
    head, _, name = path.rpartition(".")
    if head not in BY_ID:
        raise BadSetting(
            f"There is no setting “{path}”.",
            remedy="A setting is named stage.operation.setting; `amber-thicket settings` lists them all.",
            setting=path,
        )
    return BY_ID[head], name


def _normalised(operations: dict[str, dict[str, Any]]) -> Recipe:
    """Validated, with defaults dropped and operations in running order."""
    kept: dict[str, dict[str, Any]] = {}
    for operation in OPERATIONS:
        values = operations.get(operation.id)
        if not values:
            continue
        settings = validated(operation.settings, values, path=operation.id)
        changed = {
            name: getattr(settings, name)
            for name, info in operation.settings.model_fields.items()
            if getattr(settings, name) != info.default
        }
        if changed:
            kept[operation.id] = changed
    return Recipe(kept)


def from_json(data: Any) -> Recipe:
    """A recipe from plain data. Raises BadRecipe or BadSetting saying what is wrong."""
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except ValueError as error:
            raise BadRecipe(
                f"The recipe is not JSON: {error}.", remedy="Give a recipe written by this program."
            ) from None
    if not isinstance(data, dict) or not isinstance(data.get("operations"), dict):
        raise BadRecipe("A recipe is an object with “version” and “operations”.", remedy="Give such a file.")
    version = data.get("version")
    if not isinstance(version, int) or version < 1:
        raise BadRecipe(f"The recipe's version is {version!r}.", remedy=f"Versions 1 to {VERSION} can be read.")
    if version > VERSION:
        raise BadRecipe(
            f"The recipe is of version {version}; this program reads up to {VERSION}.",
            remedy="Open it with a newer release.",
        )
    for operation, values in data["operations"].items():
        if operation not in BY_ID:
            raise BadSetting(f"There is no operation “{operation}”.", remedy=f"Known: {', '.join(BY_ID)}.")
        if not isinstance(values, dict):
            raise BadRecipe(f"“{operation}” must hold settings by name.", remedy="Correct the recipe.")
    return _normalised(data["operations"])


__all__ = ["STAGES", "VERSION", "Recipe", "from_json"]
