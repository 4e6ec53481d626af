"""A recipe: every decision about one material, as plain data with a version.

Only settings that differ from their default are stored, as {"stage.operation": {"setting": value}}.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import cache
from typing import Any

from amber_thicket.core.migrations import VERSION, migrated
from amber_thicket.core.operation import STAGES, Operation
from amber_thicket.core.registry import BY_ID, OPERATIONS
from amber_thicket.core.settings import OperationSettings, plain_of, validated
from amber_thicket.errors import BadRecipe, BadSetting

# What says which file is what.
_FILES = ("gather.maps", "gather.lights", "gather.registration", "gather.merge", "gather.walk")


@dataclass(frozen=True)
class SetAside:
    """What a recipe of another version says that this program does not know. It is kept, so that a program that does
    know it finds it again. version: of the recipe it comes from. operations: as a recipe's."""

    version: int = VERSION
    operations: dict[str, dict[str, Any]] = field(default_factory=dict)

    @property
    def paths(self) -> tuple[str, ...]:
        """The settings that are kept aside, by "stage.operation.setting"."""
        return tuple(f"{operation}.{name}" for operation, values in self.operations.items() for name in values)

    @property
    def note(self) -> str:
        """In words, what is kept aside; "" where nothing is."""
        if not self.paths:
            return ""
        return f"Settings of another version, kept aside and not used: {', '.join(self.paths)}."


@dataclass(frozen=True)
class Recipe:
    """Immutable; every change makes a new one. changed: settings that differ from their defaults, as plain data.
    aside: settings of other versions that mean nothing here."""

    changed: dict[str, dict[str, Any]] = field(default_factory=dict)
    aside: SetAside = field(default=SetAside())
    # The settings of the operations in `changed`, validated.
    _validated: dict[str, OperationSettings] = field(default_factory=dict, repr=False, compare=False)

    def settings(self, operation: str) -> Any:
        """The validated settings of one operation. Raises BadSetting when there is no such operation."""
        if operation not in BY_ID:
            raise BadSetting(f"There is no operation “{operation}”.", remedy=f"Known: {', '.join(BY_ID)}.")
        return self._validated.get(operation) or _unchanged(operation)

    def with_changes(self, changes: dict[str, Any]) -> Recipe:
        """A new recipe. changes: {"stage.operation.setting": value}; None resets to the default. Values are plain data,
        or records as settings hold them.

        All or nothing: raises BadSetting and changes nothing when one of them is not allowed.
        """
        merged: dict[str, dict[str, Any]] = {}
        for path, value in changes.items():
            operation, name = _operation_of(path)
            known = operation.settings.model_fields
            if name not in known:
                validated(operation.settings, {name: value}, path=operation.id)
            values = merged.setdefault(operation.id, self.settings(operation.id).options())
            values[name] = known[name].default if value is None else value
        found = {id: validated(BY_ID[id].settings, values, path=id) for id, values in merged.items()}
        return _of(self._validated | found, self.aside, {id: v for id, v in self.changed.items() if id not in found})

    def with_kept(self, kept: dict[str, dict[str, Any]], stages: tuple[str, ...]) -> Recipe:
        """The recipe with the operations of some stages as they were kept, plain data; what is unknown is ignored."""
        others = {id: values for id, values in self.changed.items() if id.split(".")[0] not in stages}
        return _read({**others, **kept}, strict=False)[0]

    def as_json(self) -> dict[str, Any]:
        """Plain data: version, then operations in the order they run, then what is kept aside, if anything is."""
        aside = {"aside": {"version": self.aside.version, "operations": self.aside.operations}}
        return {"version": VERSION, "operations": self.changed, **(aside if self.aside.operations else {})}

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


def _changes_of(settings: OperationSettings) -> dict[str, Any]:
    """The settings of an operation that differ from their defaults, as plain data."""
    fields = type(settings).model_fields
    return {name: plain_of(settings, name) for name, info in fields.items() if getattr(settings, name) != info.default}


def _of(settings: dict[str, OperationSettings], aside: SetAside, known: dict[str, dict[str, Any]]) -> Recipe:
    """A recipe of validated settings, without those that are as they come, in running order. known: what is known to be
    changed, so that it is not written as plain data again."""
    changed, kept = {}, {}
    for operation in OPERATIONS:
        found = settings.get(operation.id)
        if found is None:
            continue
        changes = known.get(operation.id) or _changes_of(found)
        if changes:
            changed[operation.id], kept[operation.id] = changes, found
    return Recipe(changed, aside, kept)


def from_json(data: Any) -> Recipe:
    """A recipe from plain data, or JSON text, of any version there ever was; the manifest of a pack has one in it.

    Of another version than the present one, settings that are unknown here, or hold what is not allowed here, are kept
    aside (Recipe.aside). Raises BadRecipe or BadSetting saying what is wrong.
    """
    data = _parsed(data)
    version = data["version"]
    operations = _sound(data["operations"])
    aside = data.get("aside") or {}
    if version < VERSION:
        operations = _migrated(operations, version)
    strict = version == VERSION
    recipe, left = _read(operations, strict=strict)
    if isinstance(aside, dict) and aside.get("operations"):
        return _with_aside(recipe, aside)
    return Recipe(recipe.changed, SetAside(version, left) if left else SetAside(), recipe._validated)


def _parsed(data: Any) -> dict[str, Any]:
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise BadRecipe(
                f"The recipe is not JSON: {error}.", remedy="Give a recipe written by this program."
            ) from None
    # The manifest of a pack holds the recipe it was made by.
    if isinstance(data, dict) and "operations" not in data and isinstance(data.get("recipe"), dict):
        data = data["recipe"]
    if not isinstance(data, dict) or not isinstance(data.get("operations"), dict):
        raise BadRecipe("A recipe is an object with “version” and “operations”.", remedy="Give such a file.")
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadRecipe(f"The recipe's version is {version!r}.", remedy="Versions are counted from 1.")
    return data


def _sound(operations: dict[str, Any]) -> dict[str, dict[str, Any]]:
    for operation, values in operations.items():
        if not isinstance(values, dict):
            raise BadRecipe(f"“{operation}” must hold settings by name.", remedy="Correct the recipe.")
    return operations


def _migrated(operations: dict[str, dict[str, Any]], version: int) -> dict[str, dict[str, Any]]:
    try:
        return migrated(operations, version)
    except ValueError as error:
        raise BadSetting(f"The recipe is damaged: {error}.", remedy="Correct the recipe.") from None


def _read(operations: dict[str, dict[str, Any]], *, strict: bool) -> tuple[Recipe, dict[str, dict[str, Any]]]:
    """A recipe, and what of its operations means nothing here. strict: nothing may; raises BadSetting."""
    found: dict[str, OperationSettings] = {}
    left: dict[str, dict[str, Any]] = {}
    for id, values in operations.items():
        if id not in BY_ID:
            if strict:
                raise BadSetting(f"There is no operation “{id}”.", remedy=f"Known: {', '.join(BY_ID)}.")
            left[id] = values
            continue
        model = BY_ID[id].settings
        try:
            found[id] = validated(model, values, path=id)
        except BadSetting:
            if strict:
                raise
            good, bad = _parted(model, values)
            left[id] = bad
            found[id] = validated(model, good, path=id)
    return _of(found, SetAside(), {}), left


def _parted(model: type[OperationSettings], values: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """Settings of one operation that are allowed beside those before them, and the others."""
    good: dict[str, Any] = {}
    bad: dict[str, Any] = {}
    for name, value in values.items():
        try:
            validated(model, {**good, name: value}, path="")
            good[name] = value
        except BadSetting:
            bad[name] = value
    return good, bad


def _with_aside(recipe: Recipe, aside: dict[str, Any]) -> Recipe:
    """A recipe that takes up again what was kept aside, as far as this program knows it by now; what was set since
    then goes before it."""
    version, operations = aside.get("version"), _sound(aside["operations"])
    if not isinstance(version, int) or version < 1:
        raise BadRecipe(f"The version of what is kept aside is {version!r}.", remedy="Correct the recipe.")
    if version > VERSION:
        return Recipe(recipe.changed, SetAside(version, operations), recipe._validated)
    merged = {id: dict(values) for id, values in recipe.changed.items()}
    for id, values in _migrated(operations, version).items():
        merged[id] = values | merged.get(id, {})
    taken, left = _read(merged, strict=False)
    return Recipe(taken.changed, SetAside(version, left) if left else SetAside(), taken._validated)


__all__ = ["STAGES", "VERSION", "Recipe", "SetAside", "from_json"]
