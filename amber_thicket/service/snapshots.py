"""Named snapshots: states of a material that can be gone back to, and compared with."""

from __future__ import annotations

from typing import Any

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.recipe import from_json
from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.service.library import Library, clean_name, evaluation_of
from amber_thicket.store.models import Material, Snapshot, Step

MOST = 100


def listed(material: Material) -> list[dict[str, Any]]:
    """Snapshots of a material, oldest first."""
    rows = Snapshot.select().where(Snapshot.material == material.id).order_by(Snapshot.id)
    return [{"id": row.id, "name": row.name, "created": row.created} for row in rows]


def keep(library: Library, material_id: str, name: str) -> Material:
    """Names the material's state as it is now."""
    with library.database.atomic("immediate"):
        material = library.get(material_id)
        if Snapshot.select().where(Snapshot.material == material.id).count() >= MOST:
            raise ThicketError(f"A material keeps {MOST} snapshots.", remedy="Take one away first.")
        Snapshot.create(material=material, name=clean_name(name or "Snapshot"), step=material.head)
        # What goes on in the same drag becomes a step of its own: a state that has a name stays as it is.
        Step.update(gesture="").where(Step.id == material.head).execute()
        return _newer(material)


def _newer(material: Material) -> Material:
    """Other windows look again."""
    material.revision += 1
    material.save()
    return material


def _of(library: Library, material_id: str, snapshot_id: int) -> tuple[Material, Snapshot]:
    material = library.get(material_id)
    found = Snapshot.get_or_none(Snapshot.id == snapshot_id)
    if found is None or found.material.id != material.id:
        raise NotFound("There is no such snapshot.", remedy="It may have been taken away.")
    return material, found


def drop(library: Library, material_id: str, snapshot_id: int) -> Material:
    """Takes the name away; the state stays in the history."""
    with library.database.atomic("immediate"):
        material, found = _of(library, material_id, snapshot_id)
        found.delete_instance()
        return _newer(material)


def back_to(library: Library, material_id: str, snapshot_id: int, revision: int) -> Material:
    """The material as it was then, as one more step that undo takes back."""
    material, found = _of(library, material_id, snapshot_id)
    then = from_json(Step.get_by_id(found.step).recipe)
    now = library.recipe(material)
    changes: dict[str, Any] = {}
    for operation in {*then.changed, *now.changed}:
        for setting in {*then.changed.get(operation, {}), *now.changed.get(operation, {})}:
            changes[f"{operation}.{setting}"] = then.changed.get(operation, {}).get(setting)
    if not changes:
        return material
    return library.edit(material_id, revision, changes, label=f"Back to {found.name}", gesture="")


def evaluation_at(library: Library, material_id: str, snapshot_id: int) -> Evaluation:
    """The material's files with the recipe of then."""
    material, found = _of(library, material_id, snapshot_id)
    made = library.evaluation(material)
    then = evaluation_of(material.source, from_json(Step.get_by_id(found.step).recipe), library.blobs, library.memory)
    then.others = made.others
    return then
