"""Routes of long work: list, cancel, fetch what came out, and the stream of events."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, send_file

from amber_thicket.errors import NotFound
from amber_thicket.jobs.desk import job_json
from amber_thicket.store.models import Job
from amber_thicket.web.services import services

blueprint = Blueprint("jobs", __name__)


@blueprint.get("/api/jobs")
def listed() -> Response:
    return jsonify([job_json(job) for job in Job.recent()])


@blueprint.post("/api/jobs/<job_id>/cancel")
def cancelled(job_id: str) -> Response:
    return jsonify(job_json(services().desk.cancel(job_id)))


@blueprint.get("/api/jobs/<job_id>/file")
def fetched(job_id: str) -> Response:
    job = Job.get_or_none(Job.id == job_id)
    if job is None or job.state != "done" or "blob" not in (job.result or {}):
        raise NotFound("There is no finished pack here.", remedy="Pack again.")
    path = services().library.blobs.path(job.result["blob"])
    if not path.exists():
        raise NotFound("The pack is missing from the data folder.", remedy="Pack again.")
    return send_file(path, "application/zip", as_attachment=True, download_name=job.result["file"])


@blueprint.get("/api/events")
def events() -> Response:
    return Response(services().events.stream(), mimetype="text/event-stream", headers={"X-Accel-Buffering": "no"})
