"""Routes of packs: what one will take, and beginning with it."""

from __future__ import annotations

from dataclasses import asdict
from functools import partial
from typing import Any

from flask import Blueprint
from pydantic import Field

from amber_thicket.blocks import most_in_memory
from amber_thicket.core.files.file_plan import planned, profile_of, stem_of
from amber_thicket.core.recipe import Recipe
from amber_thicket.errors import BadSetting, ThicketError
from amber_thicket.jobs.manager import job_json
from amber_thicket.service import answers
from amber_thicket.service.bake import PackCost, pack_cost
from amber_thicket.service.pace import measured_pace
from amber_thicket.store.disk import full
from amber_thicket.store.work import MaterialInFolder, PackPayload, PackSeveralPayload
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import Known
from amber_thicket.web.services import services

blueprint = Blueprint("packs", __name__)


class Several(Body):
    """Materials that are packed together."""

    materials: list[str] = Field(min_length=1, max_length=500)


def _cost(recipe: Recipe, name: str) -> PackCost:
    most = most_in_memory()
    return pack_cost(recipe, name, most, partial(measured_pace, most))


def _cost_or_none(recipe: Recipe, name: str) -> dict[str, Any] | None:
    try:
        return asdict(_cost(recipe, name))
    except BadSetting:
        # Said when somebody packs.
        return None


@endpoint(blueprint, "GET", "/api/materials/<material_id>/plan", answer=answers.FilePlan)
def plan(material_id: str) -> Any:
    """The files a pack would hold."""
    library = services().library
    material = library.get(material_id)
    recipe = library.recipe(material)
    found = planned(recipe, material.name)
    files: list[dict[str, Any]] = [
        {
            "name": file.name,
            "format": file.format,
            "roles": list(file.roles),
            "contents": list(file.contents),
            "floating": file.floating,
            "bits": file.bits,
            "encoding": file.encoding,
            "y": file.y,
        }
        for file in found.files
    ]
    return {
        "profile": found.profile.id,
        "label": found.profile.label,
        "files": files,
        "left_out": list(found.left_out),
        "without_place": list(found.without_place),
        "tiles": found.tiles,
        "atlas": list(found.atlas) if found.atlas else None,
        "cost": _cost_or_none(recipe, material.name),
        "extra": [title for _, title in found.scenes] + [f"{stem_of(recipe, material.name)}_manifest.json"],
    }


# A pack is begun where there is room for so much of what it may take: smooth maps take far less.
_ROOM = 0.3


def _check_room(needed: int, spilled: int) -> None:
    """Raises WriteFailed where a pack would find no room, before minutes are spent on it. spilled: bytes meanwhile."""
    disk = services().disk
    if disk.free < max(_ROOM * needed + spilled, disk.RESERVE):
        disk.hurt()
        raise full(services().config.folder, needed + spilled)


@endpoint(blueprint, "POST", "/api/pack", answer=answers.Job, body=Several)
def packed_together(body: Several) -> Any:
    """Many materials in one zip, each in a folder of its own, as one job."""
    library, several, taken, needed, spilled = services().library, [], set(), 0, 0
    for id in dict.fromkeys(body.materials):
        material = library.get(id)
        recipe = library.recipe(material)
        cost = _cost(recipe, material.name)
        # One after the other: what was spilled for one is gone when the next begins.
        needed, spilled = needed + cost.bytes, max(spilled, cost.spilled)
        folder = stem = stem_of(recipe, material.name)
        number = 2
        while folder in taken:
            folder, number = f"{stem}_{number}", number + 1
        taken.add(folder)
        several.append(MaterialInFolder(**library.worker_payload(material), folder=folder))
    _check_room(needed, spilled)
    return job_json(
        services().jobs.pack_several(PackSeveralPayload(several=tuple(several), file=f"{len(several)}_materials.zip"))
    )


@endpoint(blueprint, "POST", "/api/materials/<material_id>/pack", answer=answers.Job, body=Known)
def packed(material_id: str, body: Known) -> Any:
    library = services().library
    material = library.get(material_id)
    recipe = library.recipe(material)
    if body.revision != material.revision:
        raise ThicketError("This material has just changed.", remedy="Pack again.")
    cost = _cost(recipe, material.name)
    _check_room(cost.bytes, cost.spilled)
    file = f"{stem_of(recipe, material.name)}_{profile_of(recipe).id}.zip"
    job = services().jobs.pack(material, PackPayload(**library.worker_payload(material), file=file))
    return job_json(job)
