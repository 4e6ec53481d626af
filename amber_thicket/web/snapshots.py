"""Routes of named snapshots."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, request
from pydantic import Field

from amber_thicket.service import preview, snapshots
from amber_thicket.store.models import Material
from amber_thicket.web.materials import Body, Known, body, whole
from amber_thicket.web.services import services

blueprint = Blueprint("snapshots", __name__)


class Named(Body):
    name: str = Field("", max_length=400)


def _told(material: Material) -> Response:
    services().events.announce("material", {"id": material.id, "revision": material.revision})
    return jsonify(whole(material))


@blueprint.post("/api/materials/<material_id>/snapshots")
def kept(material_id: str) -> Response:
    return _told(snapshots.keep(services().library, material_id, body(Named).name))


@blueprint.delete("/api/materials/<material_id>/snapshots/<int:number>")
def dropped(material_id: str, number: int) -> Response:
    return _told(snapshots.drop(services().library, material_id, number))


@blueprint.post("/api/materials/<material_id>/snapshots/<int:number>/back")
def gone_back(material_id: str, number: int) -> Response:
    return _told(snapshots.back_to(services().library, material_id, number, body(Known).revision))


@blueprint.get("/api/materials/<material_id>/snapshots/<int:number>/<layer>.jpg")
def shown(material_id: str, number: int, layer: str) -> Response:
    """A layer as it was then."""
    evaluation = snapshots.evaluation_at(services().library, material_id, number)
    side = min(max(request.args.get("side", 768, int), 64), preview.LARGEST)
    return Response(preview.picture(evaluation, layer, kind="jpg", side=side), mimetype="image/jpeg")


@blueprint.get("/api/materials/<material_id>/snapshots/<int:number>/compare")
def compared(material_id: str, number: int) -> Response:
    """How far a layer lies from what it was then."""
    library = services().library
    then = snapshots.evaluation_at(library, material_id, number)
    layer = request.args.get("layer", "")
    return jsonify(preview.compared(library.evaluation(library.get(material_id)), layer, layer, then))
