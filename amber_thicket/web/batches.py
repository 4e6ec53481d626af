"""Routes of batches: begun for many materials, followed, called off, gone on with, fetched."""

from __future__ import annotations

import base64
import tempfile
from collections.abc import Callable, Sequence
from typing import Any, Literal

from flask import Blueprint, Response, request, send_file
from pydantic import Field

from amber_thicket import batch_report
from amber_thicket.batch import Outcome, State
from amber_thicket.errors import NotFound
from amber_thicket.service import answers, batches
from amber_thicket.service.sources import files_of
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("batches", __name__)


class BatchWanted(Body):
    """Materials to settle, check and pack. suggested: what is taken of what the program suggests. profile, size: of the
    packs; "" and 0 for each its own."""

    materials: list[str] = Field(min_length=1, max_length=5000)
    suggested: Literal["sure", "all", "none"] = "sure"
    profile: str = Field("", max_length=60)
    size: int = Field(0, ge=0)
    name: str = Field("", max_length=120)


@endpoint(blueprint, "GET", "/api/batches", answer=list[answers.BatchBrief])
def listed() -> Any:
    """The newest batches."""
    return batches.listed()


@endpoint(blueprint, "POST", "/api/batches", answer=answers.Batch, body=BatchWanted)
def begun(body: BatchWanted) -> Any:
    asked = batches.BatchOptions(body.suggested, body.profile, body.size)
    kept = services()
    return batches.report(batches.begin(kept.library, kept.jobs, body.materials, asked, body.name.strip()))


@endpoint(blueprint, "GET", "/api/batches/<int:batch_id>", answer=answers.Batch)
def shown(batch_id: int) -> Any:
    """What came of a batch so far, those that need a hand first."""
    return batches.report(batches.get(batch_id))


@endpoint(blueprint, "POST", "/api/batches/<int:batch_id>/cancel", answer=answers.Batch)
def called_off(batch_id: int) -> Any:
    """Calls off what is not done yet."""
    batch = batches.get(batch_id)
    batches.cancel(services().jobs, batch)
    return batches.report(batch)


@endpoint(blueprint, "POST", "/api/batches/<int:batch_id>/resume", answer=answers.Batch)
def gone_on_with(batch_id: int) -> Any:
    """Does what is missing: what failed, was called off, is not kept any more, or was changed since."""
    kept, batch = services(), batches.get(batch_id)
    batches.resume(kept.library, kept.jobs, batch)
    return batches.report(batch)


@endpoint(blueprint, "GET", "/api/batches/<int:batch_id>/packs.zip", media=("application/zip",))
def packs(batch_id: int) -> Any:
    """All packs of a batch in one zip."""
    batch = batches.get(batch_id)
    file = tempfile.TemporaryFile(dir=services().config.folder)  # noqa: SIM115  Closed when it was sent.
    if not batches.write_packs(services().library, batch, file):
        file.close()
        raise NotFound("Nothing of this batch is packed and kept.", remedy="Go on with it.")
    file.seek(0)
    return send_file(file, mimetype="application/zip", as_attachment=True, download_name=f"batch_{batch.id}.zip")


_REPORTS: dict[str, tuple[str, Callable[[Sequence[Outcome]], str]]] = {
    "html": ("text/html", batch_report.html_text),
    "json": ("application/json", batch_report.json_text),
    "xml": ("application/xml", batch_report.junit_text),
}
# A material that is not done is no failure of it.
_STATES: dict[str, State] = {"blocked": "blocked", "attention": "attention", "passed": "passed"}


@endpoint(
    blueprint, "GET", "/api/batches/<int:batch_id>/report.<any(html, json, xml):kind>",
    media=("text/html", "application/xml"), answer=dict[str, Any],
)  # fmt: skip
def report(batch_id: int, kind: str) -> Any:
    """The report as a page with a contact sheet, as JSON, or as JUnit."""
    media, text = _REPORTS[kind]
    told = batches.report(batches.get(batch_id))
    return Response(text([_outcome(row) for row in told["rows"]]), mimetype=media)


def _outcome(row: dict[str, Any]) -> Outcome:
    """A row of a batch as the command line's reports take it."""
    library = services().library
    picture = base64.b64encode(library.blobs.get(row["thumbnail"])).decode() if row["thumbnail"] else ""
    material = library.get(row["material"])
    return Outcome(
        row["name"], "", tuple(info["file"] for info in files_of(material.source)), _STATES.get(row["state"], "failed"),
        kind="material", why="" if row["state"] in _STATES else row["message"] or "Not done yet.",
        decided=tuple(row["told"]), checks=tuple(row["findings"]), seconds=row["seconds"], picture=picture,
        link=f"{request.host_url}m/{material.id}",
    )  # fmt: skip
