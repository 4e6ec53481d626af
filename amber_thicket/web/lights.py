"""Routes of light sets."""

from __future__ import annotations

from typing import Any, cast, get_args

from flask import Blueprint, Response

from amber_thicket.errors import NotFound, PassedState
from amber_thicket.service import answers, lights
from amber_thicket.service.sources import names_of
from amber_thicket.web.endpoint import Query, endpoint
from amber_thicket.web.materials import Known, material_detail
from amber_thicket.web.services import services

blueprint = Blueprint("lights", __name__)


class LightsKey(Query):
    """key: of the light set, as its description tells it."""

    key: str = ""


@endpoint(blueprint, "GET", "/api/materials/<material_id>/lights", answer=answers.Lights)
def described(material_id: str) -> Any:
    """The ring of lamps, what was put right, and how well the photographs are explained."""
    library = services().library
    material = library.get(material_id)
    return lights.described(library.evaluation(material), names_of(material.source))


@endpoint(blueprint, "POST", "/api/materials/<material_id>/lights/find", answer=answers.LightsFound, body=Known)
def found(material_id: str, body: Known) -> Any:
    """Bearing, direction, order and gap found out and set, as one step of the history."""
    kept, known = services(), body
    material = kept.library.get(material_id)
    cancel = kept.slots.take(f"{material_id}/lights")
    evaluation = kept.watched(material_id, kept.library.evaluation(material, cancel))
    report = lights.light_set_found(
        evaluation, names_of(material.source), evaluation.told or (lambda share, what: None)
    )
    material = kept.library.edit(material_id, known.revision, report.changes, label="Lamps found", gesture="")
    kept.events.announce("material", {"id": material.id, "revision": material.revision})
    told = [{"level": level, "text": text} for level, text in report.told]
    return {
        "material": material_detail(material),
        "told": told,
        "certain": report.certain,
        "confidence": report.confidence,
    }


@endpoint(blueprint, "DELETE", "/api/materials/<material_id>/lights/find", answer=answers.Nothing)
def called_off(material_id: str) -> Any:
    """Stops looking; nothing is changed."""
    services().slots.take(f"{material_id}/lights")
    return {}


@endpoint(
    blueprint,
    "GET",
    "/api/materials/<material_id>/lights/<int:number>/<what>.jpg",
    query=LightsKey,
    media=("image/jpeg",),
)
def shown(material_id: str, number: int, what: str, query: LightsKey) -> Any:
    """One photograph of the set, or what proves it."""
    if what not in get_args(lights.Shown):
        raise NotFound(f"There is no such picture; known: {', '.join(get_args(lights.Shown))}.")
    library = services().library
    material = library.get(material_id)
    key = query.key
    # A page that has just changed something may still ask for pictures of the state before.
    states = library.recent_evaluations(material)
    evaluation = next((one for one in states if not key or lights.key_of(one) == key), None)
    if evaluation is None:
        raise PassedState(
            "This picture belongs to a light set that has changed.", remedy="Ask anew.", revision=material.revision
        )
    data = lights.picture(evaluation, number, cast(lights.Shown, what))
    headers = {"Cache-Control": "private, max-age=86400, immutable"} if key else {}
    return Response(data, mimetype="image/jpeg", headers=headers)
