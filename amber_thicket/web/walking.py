"""Routes of walk-bys."""

from __future__ import annotations

from typing import Any, cast, get_args

from flask import Blueprint, Response

from amber_thicket.errors import NotFound
from amber_thicket.service import answers, walking
from amber_thicket.service.sources import names_of
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.materials import Known, material_detail
from amber_thicket.web.services import services

blueprint = Blueprint("walking", __name__)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/walk", answer=answers.Walk)
def described(material_id: str) -> Any:
    """The photographs of a walk-by and where the camera was held."""
    library = services().library
    material = library.get(material_id)
    return walking.described(library.evaluation(material), names_of(material.source))


@endpoint(blueprint, "POST", "/api/materials/<material_id>/walk/find", answer=answers.Settled, body=Known)
def found(material_id: str, body: Known) -> Any:
    """Where the camera was held and how the surface lies, found and set as one step of the history."""
    kept = services()
    material = kept.library.get(material_id)
    cancel = kept.slots.take(f"{material_id}/walk")
    evaluation = kept.watched(material_id, kept.library.evaluation(material, cancel))
    changes, told = walking.walk_found(
        evaluation, names_of(material.source), evaluation.told or (lambda share, what: None)
    )
    material = kept.library.edit(material_id, body.revision, changes, label="Camera's places found", gesture="")
    kept.events.announce("material", {"id": material.id, "revision": material.revision})
    return {"material": material_detail(material), "told": [{"level": level, "text": text} for level, text in told]}


@endpoint(blueprint, "DELETE", "/api/materials/<material_id>/walk/find", answer=answers.Nothing)
def called_off(material_id: str) -> Any:
    """Stops looking; nothing is changed."""
    services().slots.take(f"{material_id}/walk")
    return {}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/walk/<what>.jpg", media=("image/jpeg",))
def shown(material_id: str, what: str) -> Any:
    """The height as it was told, or how many photographs agree on it."""
    if what not in get_args(walking.Shown):
        raise NotFound(f"There is no such picture; known: {', '.join(get_args(walking.Shown))}.")
    library = services().library
    data = walking.picture(library.evaluation(library.get(material_id)), cast(walking.Shown, what))
    return Response(data, mimetype="image/jpeg")
