"""Routes of exposure brackets and focus stacks."""

from __future__ import annotations

from typing import Any, cast, get_args

from flask import Blueprint, Response

from amber_thicket.errors import NotFound
from amber_thicket.service import answers, merging
from amber_thicket.service.sources import names_of
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("merging", __name__)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/merge", answer=answers.Merging)
def described(material_id: str) -> Any:
    """What was found out about the photographs that are merged."""
    library = services().library
    material = library.get(material_id)
    evaluation = services().watched(material_id, library.evaluation(material))
    return merging.described(evaluation, names_of(material.source))


@endpoint(blueprint, "GET", "/api/materials/<material_id>/merge/<int:number>/<what>.jpg", media=("image/jpeg",))
def shown(material_id: str, number: int, what: str) -> Any:
    """One of the photographs, or which of them each place comes from."""
    if what not in get_args(merging.Shown):
        raise NotFound(f"There is no such picture; known: {', '.join(get_args(merging.Shown))}.")
    library = services().library
    data = merging.picture(library.evaluation(library.get(material_id)), number, cast(merging.Shown, what))
    return Response(data, mimetype="image/jpeg")
