"""Routes of long work: list, cancel, fetch what came out, and the stream of events."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, request, send_file

from amber_thicket.errors import NotFound
from amber_thicket.jobs.manager import job_json
from amber_thicket.store.models import Job
from amber_thicket.web.services import services

blueprint = Blueprint("jobs", __name__)


@blueprint.get("/api/jobs")
def listed() -> Response:
    """The newest jobs, newest first; ?limit=… how many."""
    limit = min(max(request.args.get("limit", 30, int), 1), 1000)
    return jsonify([job_json(job) for job in Job.recent(limit)])


@blueprint.post("/api/jobs/<job_id>/cancel")
def cancelled(job_id: str) -> Response:
    return jsonify(job_json(services().jobs.cancel(job_id)))


@blueprint.get("/api/jobs/<job_id>/file")
def fetched(job_id: str) -> Response:
    job = Job.get_or_none(Job.id == job_id)
    if job is not None and (job.result or {}).get("expired"):
        raise NotFound("This pack is not kept any more.", remedy="Pack again; the settings are as they were.")
    if job is None or job.state != "done" or "blob" not in (job.result or {}):
        raise NotFound("There is no finished pack here.", remedy="Pack again.")
    path = services().library.blobs.verified(job.result["blob"])
    return send_file(path, "application/zip", as_attachment=True, download_name=job.result["file"])


@blueprint.get("/api/events/since")
def events_since() -> Response:
    """What happened since a mark, for pages that have no event stream (that one is web/server.py's)."""
    return jsonify(services().events.since(request.args.get("mark", "")[:60]))
