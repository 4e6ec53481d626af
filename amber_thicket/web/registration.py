"""Routes of second photographs."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.service import answers
from amber_thicket.service import registration as placing
from amber_thicket.service.sources import file_key
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import material_detail
from amber_thicket.web.services import services

blueprint = Blueprint("placing", __name__)


class Placing(Body):
    """How a second photograph goes with the first. pairs: places marked in both, in 0..1."""

    revision: int
    way: str
    pairs: list[tuple[float, float, float, float]] = Field(default_factory=list, max_length=24)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/files/<key>/place", answer=answers.Placed, body=Placing)
def placed(material_id: str, key: str, body: Placing) -> Any:
    """Finds how a file lies on the first photograph and sets it, as one step of the history."""
    library, wanted = services().library, body
    material = library.get(material_id)
    evaluation = library.evaluation(material)
    changes, found = placing.register_file(evaluation, file_key(material.source["blob"]), key, wanted.way, wanted.pairs)
    label = {"lay": "Laid in place", "join": "Joined to the first", "free": "Left as photographed"}[wanted.way]
    material = library.edit(material_id, wanted.revision, changes, label=label, gesture="")
    services().events.announce("material", {"id": material.id, "revision": material.revision})
    return {"material": material_detail(material), "told": placing.describe_registration(found)}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/files/<key>.jpg", media=("image/jpeg",))
def file_shown(material_id: str, key: str) -> Any:
    library = services().library
    return Response(placing.picture(library.evaluation(library.get(material_id)), key), mimetype="image/jpeg")
