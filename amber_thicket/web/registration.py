"""Routes of second photographs."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.service import answers
from amber_thicket.service import registration as placing
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import announced
from amber_thicket.web.services import services

blueprint = Blueprint("placing", __name__)


class Placing(Body):
    """How a second photograph goes with the first. pairs: places marked in both, in 0..1."""

    revision: int
    way: str
    pairs: list[tuple[float, float, float, float]] = Field(default_factory=list, max_length=24)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/files/<key>/place", answer=answers.Placed, body=Placing)
def placed(material_id: str, key: str, body: Placing) -> Any:
    """Finds how a file lies on the photograph and sets it, as one step of the history."""
    library, wanted = services().library, body
    material = library.get(material_id)
    changes, found = placing.register_file(library.evaluation(material), key, wanted.way, wanted.pairs)
    label = {"lay": "Laid in place", "join": "Joined to the photograph", "free": "Left as photographed"}[wanted.way]
    material = library.edit(material_id, wanted.revision, changes, label=label, gesture="")
    evaluation = library.evaluation(material)
    fit = placing.fit_of(evaluation, key) if found else None
    return {"material": announced(material, evaluation), "told": placing.describe_registration(found, fit)}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/files/<key>/fit", answer=answers.PlacementFit)
def fitting(material_id: str, key: str) -> Any:
    """Whether a file lies right on the photograph, told by what both show."""
    library = services().library
    fit = placing.fit_of(library.evaluation(library.get(material_id)), key)
    return {**fit._asdict(), "told": fit.told}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/files/<key>/laid.jpg", media=("image/jpeg",))
def laid_shown(material_id: str, key: str) -> Any:
    """The photograph in orange and the file laid on it in blue; grey where they agree."""
    library = services().library
    return Response(placing.overlay(library.evaluation(library.get(material_id)), key), mimetype="image/jpeg")


@endpoint(blueprint, "GET", "/api/materials/<material_id>/files/<key>.jpg", media=("image/jpeg",))
def file_shown(material_id: str, key: str) -> Any:
    """A file as it was photographed; “photograph” is the picture that is worked on."""
    library = services().library
    return Response(placing.picture(library.evaluation(library.get(material_id)), key), mimetype="image/jpeg")
