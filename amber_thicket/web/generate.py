"""Routes of pictures from words, and of second photographs."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify
from pydantic import BaseModel, ConfigDict, Field

from amber_thicket.errors import NotFound
from amber_thicket.jobs.desk import job_json
from amber_thicket.service import images, placing
from amber_thicket.service import sheet as sheets
from amber_thicket.service.sources import file_key
from amber_thicket.store.models import Job
from amber_thicket.web.materials import body, brief, whole
from amber_thicket.web.services import services

blueprint = Blueprint("generate", __name__)


class Wanted(BaseModel):
    """What is asked of a provider."""

    model_config = ConfigDict(extra="forbid")
    words: str = Field(max_length=2000)
    seed: int = Field(1, ge=0, le=2**31)
    tileable: bool = True
    top_down: bool = True
    side: int = 1024
    provider: str = "simulation"


class Placing(BaseModel):
    """How a second photograph goes with the first. pairs: places marked in both, in 0..1."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    revision: int
    way: str
    pairs: list[tuple[float, float, float, float]] = Field(default_factory=list, max_length=24)


class Sheet(BaseModel):
    """Cut-outs to lay out."""

    model_config = ConfigDict(extra="forbid")
    materials: list[str] = Field(max_length=100)
    name: str = Field("Sheet", max_length=120)
    side: int = 2048
    padding: int = 16


@blueprint.post("/api/generate")
def asked() -> Response:
    wanted = body(Wanted)
    images.checked(wanted.words, wanted.provider, wanted.side)
    return jsonify(job_json(services().desk.generate(wanted.model_dump())))


def _made(job_id: str, number: int) -> tuple[Job, str, int]:
    job = Job.get_or_none(Job.id == job_id)
    rows = (job.result or {}).get("candidates", []) if job else []
    if job is None or not 0 <= number < len(rows):
        raise NotFound("There is no such picture.", remedy="Ask for pictures again.")
    return job, rows[number]["blob"], rows[number]["seed"]


@blueprint.get("/api/generate/<job_id>/<int:number>.png")
def candidate(job_id: str, number: int) -> Response:
    _, blob, _ = _made(job_id, number)
    headers = {"Cache-Control": "private, max-age=86400, immutable"}
    return Response(services().library.blobs.get(blob), mimetype="image/png", headers=headers)


@blueprint.post("/api/generate/<job_id>/<int:number>/keep")
def kept(job_id: str, number: int) -> Response:
    """The candidate becomes a material."""
    job, blob, seed = _made(job_id, number)
    words = job.payload["words"]
    library = services().library
    origin = {"words": words, "seed": seed, "provider": images.PROVIDERS[job.payload["provider"]].label}
    material = library.add(
        [library.blobs.get(blob)], images.file_name(words, seed), name=words[:80].strip().capitalize(), origin=origin
    )
    services().events.announce("library", {"id": material.id})
    return jsonify(brief(material))


@blueprint.get("/api/cut-outs")
def cut_outs() -> Response:
    return jsonify([brief(material) for material in sheets.cut_outs(services().library)])


@blueprint.post("/api/sheets")
def sheet() -> Response:
    """Several cut-outs on one sheet, as a material of its own."""
    wanted, library = body(Sheet), services().library
    material = sheets.sheet(library, wanted.materials, name=wanted.name, side=wanted.side, padding=wanted.padding)
    services().events.announce("library", {"id": material.id})
    return jsonify(brief(material))


@blueprint.post("/api/materials/<material_id>/files/<key>/place")
def placed(material_id: str, key: str) -> Response:
    """Finds how a file lies on the first photograph and sets it, as one step of the history."""
    library, wanted = services().library, body(Placing)
    material = library.get(material_id)
    evaluation = library.evaluation(material)
    changes, found = placing.placed(evaluation, file_key(material.source["blob"]), key, wanted.way, wanted.pairs)
    label = {"lay": "Laid in place", "join": "Joined to the first", "free": "Left as photographed"}[wanted.way]
    material = library.edit(material_id, wanted.revision, changes, label=label, gesture="")
    services().events.announce("material", {"id": material.id, "revision": material.revision})
    return jsonify({"material": whole(material), "told": placing.told(found)})


@blueprint.get("/api/materials/<material_id>/files/<key>.jpg")
def file_shown(material_id: str, key: str) -> Response:
    library = services().library
    return Response(placing.picture(library.evaluation(library.get(material_id)), key), mimetype="image/jpeg")
