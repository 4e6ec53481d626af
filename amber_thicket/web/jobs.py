"""Routes of long work: list, cancel, fetch what came out, and the stream of events."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, send_file

from amber_thicket.errors import NotFound
from amber_thicket.jobs.manager import job_json
from amber_thicket.service import answers
from amber_thicket.store.models import Job
from amber_thicket.store.work import PackResult, result_of
from amber_thicket.web.endpoint import Query, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("jobs", __name__)


class Newest(Query):
    """limit: how many."""

    limit: int = 30


class Since(Query):
    """mark: of an earlier answer."""

    mark: str = ""


@endpoint(blueprint, "GET", "/api/jobs", answer=list[answers.Job], query=Newest)
def listed(query: Newest) -> Any:
    """The newest jobs, newest first; ?limit=… how many."""
    return [job_json(job) for job in Job.recent(min(max(query.limit, 1), 1000))]


@endpoint(blueprint, "POST", "/api/jobs/<job_id>/cancel", answer=answers.Job)
def cancelled(job_id: str) -> Any:
    return job_json(services().jobs.cancel(job_id))


@endpoint(blueprint, "GET", "/api/jobs/<job_id>/file", media=("application/zip",))
def fetched(job_id: str) -> Any:
    job = Job.get_or_none(Job.id == job_id)
    result = result_of(job.kind, job.result) if job else None
    if result is not None and result.expired:
        raise NotFound("This pack is not kept any more.", remedy="Pack again; the settings are as they were.")
    if job is None or job.state != "done" or not isinstance(result, PackResult) or not result.blob:
        raise NotFound("There is no finished pack here.", remedy="Pack again.")
    file = services().library.blobs.open(result.blob)
    return send_file(file, "application/zip", as_attachment=True, download_name=result.file)


@endpoint(blueprint, "GET", "/api/events/since", answer=answers.EventsSince, query=Since)
def events_since(query: Since) -> Any:
    """What happened since a mark, for pages that have no event stream (that one is web/server.py's)."""
    return services().events.since(query.mark[:60])
