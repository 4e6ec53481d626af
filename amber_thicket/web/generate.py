"""Routes of pictures from words."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.errors import NotFound
from amber_thicket.jobs.manager import job_json
from amber_thicket.service import answers, images
from amber_thicket.service.providers import SIMULATION, makers, providers
from amber_thicket.standins.words_to_picture import SimulatedProvider
from amber_thicket.store.models import Job
from amber_thicket.store.work import GeneratePayload, GenerateResult, result_of
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import material_summary
from amber_thicket.web.services import services

blueprint = Blueprint("generate", __name__)


class Wanted(Body):
    """What is asked of a provider."""

    words: str = Field(max_length=2000)
    seed: int = Field(1, ge=0, le=2**31)
    tileable: bool = True
    top_down: bool = True
    side: int = 1024
    provider: str = "simulation"


@endpoint(blueprint, "GET", "/api/providers", answer=list[answers.PictureMaker])
def makers_listed() -> Any:
    """Who makes pictures from words, the simulation first."""
    known = makers(services().config.folder)
    first = {"id": SIMULATION, "label": SimulatedProvider.label, "simulation": True, "largest_side": max(images.SIDES)}
    others = [
        {"id": id, "label": maker.label, "simulation": False, "largest_side": maker.largest_side}
        for id, maker in known.items()
    ]
    return [first, *others]


@endpoint(blueprint, "POST", "/api/generate", answer=answers.Job, body=Wanted)
def asked(body: Wanted) -> Any:
    """Four pictures of a surface in words, as a job."""
    images.checked(body.words, body.provider, body.side, services().config.folder)
    return job_json(services().jobs.generate(GeneratePayload(**body.model_dump())))


def _made(job_id: str, number: int) -> tuple[Job, str, int]:
    job = Job.get_or_none(Job.id == job_id)
    result = result_of(job.kind, job.result) if job else None
    rows = result.candidates if isinstance(result, GenerateResult) else ()
    if job is None or not 0 <= number < len(rows):
        raise NotFound("There is no such picture.", remedy="Ask for pictures again.")
    return job, rows[number].blob, rows[number].seed


@endpoint(blueprint, "GET", "/api/generate/<job_id>/<int:number>.png", media=("image/png",))
def candidate(job_id: str, number: int) -> Any:
    _, blob, _ = _made(job_id, number)
    headers = {"Cache-Control": "private, max-age=86400, immutable"}
    return Response(services().library.blobs.get(blob), mimetype="image/png", headers=headers)


@endpoint(blueprint, "POST", "/api/generate/<job_id>/<int:number>/keep", answer=answers.Brief)
def kept(job_id: str, number: int) -> Any:
    """The candidate becomes a material."""
    job, blob, seed = _made(job_id, number)
    words = job.payload["words"]
    library = services().library
    known = providers(services().config.folder).get(job.payload["provider"])
    origin = {"words": words, "seed": seed, "provider": known.label if known else job.payload["provider"]}
    material = library.add(
        [library.blobs.get(blob)], images.file_name(words, seed), name=words[:80].strip().capitalize(), origin=origin
    )
    services().events.announce("library", {"id": material.id})
    return material_summary(material)
