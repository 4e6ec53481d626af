"""Starts: recipes that captures of one sort may begin with, kept for everybody who works in the library."""

from __future__ import annotations

import contextlib
import json
import sqlite3
import time
from pathlib import Path
from typing import Any

from amber_thicket.core.recipe import Recipe, from_json
from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.service.carry import carry, changed_paths, fitting
from amber_thicket.service.library import Library, clean_name
from amber_thicket.store.database import FILE
from amber_thicket.store.models import Material, Start

MOST, _LONGEST_NOTE = 200, 2000


def told(start: Start) -> dict[str, Any]:
    """A start as answers.KeptStart has it."""
    settings = sum(len(values) for values in start.recipe.get("operations", {}).values())
    return {"id": start.id, "name": start.name, "note": start.note, "created": start.created, "settings": settings}


def listed() -> list[Start]:
    return list(Start.select().order_by(Start.name))


def keep(recipe: Recipe, name: str, note: str) -> Start:
    """Keeps what of a recipe fits any capture; a start of the same name is replaced. Raises ThicketError where nothing
    fits, or there are too many."""
    name, fit = clean_name(name), fitting(recipe)
    if not fit.changed:
        raise ThicketError(
            "There is nothing to keep as a start.", remedy="Change settings first; what is drawn or placed stays here."
        )
    if Start.select().where(Start.name != name).count() >= MOST:
        raise ThicketError(f"There may be {MOST} starts.", remedy="Forget one first.")
    values = {"note": note[:_LONGEST_NOTE], "recipe": fit.as_json(), "created": time.time()}
    made, fresh = Start.get_or_create(name=name, defaults=values)
    if not fresh:
        Start.update(values).where(Start.id == made.id).execute()
    return Start.get_by_id(made.id)


def get(start_id: int) -> Start:
    """Raises NotFound."""
    start = Start.get_or_none(Start.id == start_id)
    if start is None:
        raise NotFound("There is no such start.", remedy="It may have been forgotten. Choose another.")
    return start


def forget(start_id: int) -> None:
    """Materials that began with it keep their settings. Raises NotFound."""
    get(start_id).delete_instance()


def recipe_of(start: Start) -> Recipe:
    """Raises BadRecipe, BadSetting."""
    return from_json(start.recipe)


def begin(library: Library, material: Material, start: Start) -> Material:
    """A fresh capture with a start's settings, as one step of its history; what does not fit stays out."""
    recipe = recipe_of(start)
    found = carry(recipe, library.evaluation(material), changed_paths(recipe), (), own=str(material.id))
    if not found.changes:
        return material
    label = f"Begun with {start.name}"[:120]
    return library.edit(material.id, material.revision, found.changes, label=label, gesture="")


def recipe_in(folder: Path, name: str) -> dict[str, Any]:
    """The stored recipe of a start of a data folder, which may be in use. Raises NotFound naming those there are."""
    try:
        with contextlib.closing(sqlite3.connect(f"file:{folder / FILE}?mode=ro", uri=True, timeout=8)) as opened:
            rows = dict(opened.execute("select name, recipe from start order by name").fetchall())
    except sqlite3.Error:
        raise NotFound(f"There is no library with starts in {folder}.", remedy="Name its folder with --data.") from None
    if name not in rows:
        known = ", ".join(f"“{one}”" for one in rows) or "none"
        raise NotFound(f"There is no start “{name}”.", remedy=f"There are: {known}.")
    found: dict[str, Any] = json.loads(rows[name])
    return found
