"""Routes of room on the disk: what takes it, what comes back, what is deleted for good."""

from __future__ import annotations

from typing import Any

from flask import Blueprint

from amber_thicket.service import answers, space
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("space", __name__)


@endpoint(blueprint, "GET", "/api/space", answer=answers.Space)
def taken() -> Any:
    """What takes the room of the data folder."""
    return {**space.space(services().library), "keep_days": services().config.keep_days}


@endpoint(blueprint, "POST", "/api/space/results", answer=answers.ResultsDeleted)
def results_let_go() -> Any:
    """Forget the results of all packs, and delete them."""
    gone, freed = space.delete_results(services().library)
    services().events.announce("library", {"id": ""})
    return {"results": gone, "bytes": freed}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/deletion", answer=answers.Deletion)
def deletion(material_id: str) -> Any:
    """What deleting a material would mean."""
    return space.deletion(services().library, material_id)


@endpoint(blueprint, "DELETE", "/api/materials/<material_id>", answer=answers.Deleted)
def deleted(material_id: str) -> Any:
    """Delete a material that was put aside, for good."""
    freed = space.delete_for_good(services().library, material_id)
    services().events.announce("library", {"id": material_id})
    return {"bytes": freed}
