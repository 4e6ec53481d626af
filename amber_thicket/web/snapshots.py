"""Routes of named snapshots."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.service import answers, preview, snapshots
from amber_thicket.web.endpoint import Body, Query, endpoint
from amber_thicket.web.materials import Known, announced
from amber_thicket.web.services import services

blueprint = Blueprint("snapshots", __name__)


class Named(Body):
    name: str = Field("", max_length=400)


class Sided(Query):
    """side: px of the picture's longer side."""

    side: int = 768


class OneLayer(Query):
    layer: str = ""


@endpoint(blueprint, "POST", "/api/materials/<material_id>/snapshots", answer=answers.Material, body=Named)
def kept(material_id: str, body: Named) -> Any:
    return announced(snapshots.keep(services().library, material_id, body.name))


@endpoint(blueprint, "DELETE", "/api/materials/<material_id>/snapshots/<int:number>", answer=answers.Material)
def dropped(material_id: str, number: int) -> Any:
    return announced(snapshots.drop(services().library, material_id, number))


@endpoint(
    blueprint, "POST", "/api/materials/<material_id>/snapshots/<int:number>/back", answer=answers.Material, body=Known
)
def gone_back(material_id: str, number: int, body: Known) -> Any:
    return announced(snapshots.back_to(services().library, material_id, number, body.revision))


@endpoint(
    blueprint,
    "GET",
    "/api/materials/<material_id>/snapshots/<int:number>/<layer>.jpg",
    query=Sided,
    media=("image/jpeg",),
)
def shown(material_id: str, number: int, layer: str, query: Sided) -> Any:
    """A layer as it was then."""
    evaluation = snapshots.evaluation_at(services().library, material_id, number)
    side = min(max(query.side, 64), preview.LARGEST)
    return Response(preview.picture(evaluation, layer, kind="jpg", side=side), mimetype="image/jpeg")


@endpoint(
    blueprint,
    "GET",
    "/api/materials/<material_id>/snapshots/<int:number>/compare",
    answer=answers.Compared,
    query=OneLayer,
)
def compared(material_id: str, number: int, query: OneLayer) -> Any:
    """How far a layer lies from what it was then."""
    library = services().library
    then = snapshots.evaluation_at(library, material_id, number)
    return preview.compared(library.evaluation(library.get(material_id)), query.layer, query.layer, then)
