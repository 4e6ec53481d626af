"""Routes of stills: begun as a job, looked at while they come, and put on the library's card."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, send_file
from pydantic import Field

from amber_thicket.core.files.file_plan import stem_of
from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.jobs.manager import job_json
from amber_thicket.service import answers
from amber_thicket.service.still import card_of
from amber_thicket.store.models import Job
from amber_thicket.store.work import StillLook, StillPayload, StillResult, result_of
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import announced
from amber_thicket.web.services import services

blueprint = Blueprint("stills", __name__)


class StillWanted(Body):
    """A still of the state the page knows. paths: of light, at each pixel."""

    revision: int
    look: StillLook = StillLook()
    paths: int = Field(default=64, ge=1, le=1024)


class StillOnCard(Body):
    """job: the one that made the still."""

    job: str = Field(max_length=60)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/still", answer=answers.Job, body=StillWanted)
def begun(material_id: str, body: StillWanted) -> Any:
    library = services().library
    material = library.get(material_id)
    if body.revision != material.revision:
        raise ThicketError("This material has just changed.", remedy="Make the still again.")
    recipe = library.recipe(material)
    payload = StillPayload(
        **library.worker_payload(material),
        file=f"{stem_of(recipe, material.name)}_still.png",
        revision=body.revision,
        look=body.look,
        paths=body.paths,
    )
    return job_json(services().jobs.still(material, payload))


@endpoint(blueprint, "GET", "/api/jobs/<job_id>/still.png", media=("image/png",))
def seen(job_id: str) -> Any:
    """The still as far as it has come."""
    result = _still(job_id)
    file = services().library.blobs.open(result.blob)
    return send_file(file, "image/png", download_name=result.file)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/card", answer=answers.Material, body=StillOnCard)
def put_on_card(material_id: str, body: StillOnCard) -> Any:
    """The still on the library's card, until the material changes."""
    library = services().library
    material = library.get(material_id)
    result = _still(body.job, of=material_id)
    if result.revision != material.revision:
        raise ThicketError("This still shows the material as it was before.", remedy="Make it anew.")
    with library.blobs.open(result.blob) as file:
        library.keep_thumbnail(material, card_of(file.read()), chosen=True)
    return announced(library.get(material_id))


def _still(job_id: str, *, of: str = "") -> StillResult:
    """What there is of a still. of: the material it has to be of. Raises NotFound."""
    job = Job.get_or_none(Job.id == job_id)
    if job is None or of not in ("", str(job.material_id)):  # type: ignore[attr-defined]
        raise NotFound("There is no still here.", remedy="Make it again.")
    result = result_of(job.kind, job.result)
    if not isinstance(result, StillResult) or not result.blob:
        raise NotFound("There is no still here.", remedy="Make it again.")
    return result
