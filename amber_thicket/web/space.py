"""Routes of room on the disk: what takes it, what comes back, what is deleted for good."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify

from amber_thicket.service import space
from amber_thicket.web.services import services

blueprint = Blueprint("space", __name__)


@blueprint.get("/api/space")
def taken() -> Response:
    """What takes the room of the data folder."""
    return jsonify({**space.space(services().library), "keep_days": services().config.keep_days})


@blueprint.post("/api/space/results")
def results_let_go() -> Response:
    """Forget the results of all packs, and delete them."""
    gone, freed = space.delete_results(services().library)
    services().events.announce("library", {"id": ""})
    return jsonify({"results": gone, "bytes": freed})


@blueprint.get("/api/materials/<material_id>/deletion")
def deletion(material_id: str) -> Response:
    """What deleting a material would mean."""
    return jsonify(space.deletion(services().library, material_id))


@blueprint.delete("/api/materials/<material_id>")
def deleted(material_id: str) -> Response:
    """Delete a material that was put aside, for good."""
    freed = space.delete_for_good(services().library, material_id)
    services().events.announce("library", {"id": material_id})
    return jsonify({"bytes": freed})
