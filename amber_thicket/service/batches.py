"""Batches of the library: many materials settled, checked and packed in one go, a job each, with one report.

What a job took over is one step of its material's history. Whoever changed a material meanwhile keeps that, and the
report says so.
"""

from __future__ import annotations

import logging
import zipfile
from collections.abc import Iterable, Iterator
from typing import IO, Any, Literal, NamedTuple, Protocol

from peewee import fn

from amber_thicket.core.files.file_plan import stem_of
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.recipe import Recipe
from amber_thicket.errors import BadSetting, NotFound, StaleEdit, ThicketError
from amber_thicket.service.library import Library
from amber_thicket.store import cards
from amber_thicket.store.models import Batch, BatchRow, Job, Material, Step
from amber_thicket.store.work import BatchPayload, BatchResult, result_of

State = Literal["waiting", "running", "failed", "cancelled", "blocked", "attention", "passed"]
# Those that need a hand first; what is not done yet comes last.
BY_NEED: tuple[State, ...] = ("failed", "blocked", "attention", "cancelled", "passed", "running", "waiting")
_MOST = 5000
_PART = 1 << 20
_LABEL = "Taken by a batch"
log = logging.getLogger(__name__)


class BatchJobs(Protocol):
    """What batches need of whoever does jobs."""

    def batch(self, material: Material, payload: BatchPayload) -> Job: ...

    def cancel(self, job_id: str) -> Job: ...


class BatchOptions(NamedTuple):
    """How a batch is done. suggested: what is taken of what the program suggests. profile: of the packs, "" for each
    its own. size: px of a side, 0 for each its own."""

    suggested: Literal["sure", "all", "none"] = "sure"
    profile: str = ""
    size: int = 0


def begin(library: Library, jobs: BatchJobs, ids: Iterable[str], asked: BatchOptions, name: str = "") -> Batch:
    """A batch of materials, with a job for each. Raises NotFound, BadSetting, ServiceAway."""
    materials = [library.get(id) for id in dict.fromkeys(ids)]
    if not 0 < len(materials) <= _MOST:
        raise BadSetting(f"A batch takes 1 to {_MOST} materials.", remedy="Choose fewer, or some at all.")
    if asked.profile and asked.profile not in PROFILES:
        raise BadSetting(f"There is no profile “{asked.profile}”.", remedy=f"Known: {', '.join(PROFILES)}.")
    if asked.size:
        Recipe().with_changes({"square.size.width": asked.size, "square.size.height": asked.size})
    title = name or f"{len(materials)} {'material' if len(materials) == 1 else 'materials'}"
    batch = Batch.create(name=title, asked=asked._asdict())
    for material in materials:
        row = BatchRow.create(batch=batch, material=material)
        _start(library, jobs, row, asked)
    return batch


def _start(library: Library, jobs: BatchJobs, row: BatchRow, asked: BatchOptions) -> None:
    material = library.get(_id(row, "material"))
    file = f"{stem_of(library.recipe(material), material.name)}.zip"
    payload = BatchPayload(**library.worker_payload(material), file=file, row=row.id, **asked._asdict())
    # Emptied before the job begins: it may be done before it is written down here.
    BatchRow.update(job=None, head=None).where(BatchRow.id == row.id).execute()
    job = jobs.batch(material, payload)
    BatchRow.update(job=job.id).where(BatchRow.id == row.id).execute()


def _id(row: BatchRow, of: Literal["material", "job"]) -> str:
    """The id a row names, without asking for what it names."""
    return str(getattr(row, f"{of}_id") or "")


def apply_result(library: Library, job: Job) -> str:
    """What a finished job took over goes into its material, as one step: the material's id, "" where nothing did."""
    result = result_of(job.kind, job.result)
    row = BatchRow.get_or_none(BatchRow.id == job.payload.get("row"))
    # A row that was begun anew belongs to another job.
    if row is None or not isinstance(result, BatchResult) or _id(row, "job") not in ("", str(job.id)):
        return ""
    id, before = _id(row, "material"), int(job.payload["head"])
    material, kept = library.get(id), True
    if material.head == before and result.changes:
        try:
            library.edit(id, material.revision, result.changes, label=_LABEL, gesture="")
        except (StaleEdit, BadSetting) as error:
            log.warning("what a batch took for %s was not kept: %s", material.name, error.message)
            kept = False
    material = library.get(id)
    made = Step.get_by_id(material.head)
    # Somebody else's change stays, and what was packed is not the state there is.
    if not kept or (material.head != before and (made.parent != before or made.label != _LABEL)):
        return id
    head = int(material.head or 0)
    BatchRow.update(head=head).where(BatchRow.id == row.id).execute()
    if not (job.payload.get("profile") or job.payload.get("size")):
        # Of files of another profile or size Check may say something else.
        library.note_findings(material, [finding.model_dump() for finding in result.findings])
    cards.note_packed(id, head)
    cards.note_width(id, result.tile_mm)
    if result.thumbnail:
        library.keep_thumbnail(material, library.blobs.get(result.thumbnail))
    return id


def get(batch_id: int) -> Batch:
    """Raises NotFound."""
    batch = Batch.get_or_none(Batch.id == batch_id)
    if batch is None:
        raise NotFound("There is no such batch.", remedy="Begin one from the library.")
    return batch


def rows_of(batch: Batch) -> list[tuple[BatchRow, Material, Job | None]]:
    """The materials of a batch that are there still, with their jobs, each without what it does not need here."""
    told = (Material.id, Material.name, Material.thumbnail, Material.head)
    found = BatchRow.select(BatchRow, *told).join(Material).where(BatchRow.batch == batch.id).order_by(BatchRow.id)
    columns = (Job.id, Job.kind, Job.state, Job.progress, Job.message, Job.result)
    jobs = {job.id: job for job in Job.select(*columns).join(BatchRow).where(BatchRow.batch == batch.id)}
    return [(row, row.material, jobs.get(_id(row, "job"))) for row in found]


def state_of(job: Job | None, result: BatchResult | None) -> State:
    if job is None or job.state == "queued":
        return "waiting" if job is not None else "cancelled"
    if job.state != "done" or result is None:
        return {"running": "running", "cancelled": "cancelled"}.get(job.state, "failed")  # type: ignore[return-value]
    levels = {finding.level for finding in result.findings}
    return "blocked" if "blocked" in levels else "attention" if levels & {"attention", "unknown"} else "passed"


def _result(job: Job | None) -> BatchResult | None:
    try:
        result = result_of(job.kind, job.result) if job else None
    except ThicketError:
        return None
    return result if isinstance(result, BatchResult) else None


def report(batch: Batch) -> dict[str, Any]:
    """A batch as answers.Batch has it: its materials, those that need a hand first."""
    rows: list[dict[str, Any]] = []
    for row, material, job in rows_of(batch):
        result = _result(job)
        rows.append(
            {
                "material": material.id,
                "name": material.name,
                "thumbnail": (result and result.thumbnail) or material.thumbnail,
                "job": job.id if job else "",
                "state": state_of(job, result),
                "message": job.message if job else "",
                "progress": job.progress if job else 0.0,
                "told": list(result.told) if result else [],
                "findings": [one.model_dump() for one in result.findings] if result else [],
                "bytes": result.bytes if result else 0,
                "seconds": result.seconds if result else 0.0,
                "kept": bool(result and result.blob and not result.expired),
                "changed_since": bool(result) and row.head != material.head,
            }
        )
    rows.sort(key=lambda one: BY_NEED.index(one["state"]))
    left = len([one for one in rows if one["state"] in ("waiting", "running")])
    done = [float(one["seconds"]) for one in rows if one["seconds"]]
    return {
        "id": batch.id,
        "name": batch.name,
        "created": batch.created,
        "asked": batch.asked,
        "rows": rows,
        "left": left,
        "seconds_left": round(left * sum(done) / len(done)) if left and done else None,
    }


def cancel(jobs: BatchJobs, batch: Batch) -> None:
    """Calls off what is not done; what is done stays."""
    for _, _, job in rows_of(batch):
        if job is not None and job.state in Job.OPEN:
            jobs.cancel(str(job.id))


def resume(library: Library, jobs: BatchJobs, batch: Batch) -> int:
    """Does again what failed, was called off, is not kept any more, or was changed since: how many there are."""
    asked, again = BatchOptions(**batch.asked), 0
    for row, material, job in rows_of(batch):
        result = _result(job)
        if job is not None and job.state in Job.OPEN:
            continue
        if result and result.blob and not result.expired and row.head == material.head:
            continue
        _start(library, jobs, row, asked)
        again += 1
    return again


def _packs(library: Library, batch: Batch) -> Iterator[tuple[str, BatchResult]]:
    """(folder, result) of everything that is packed and kept."""
    taken: set[str] = set()
    for _, _, job in rows_of(batch):
        result = _result(job)
        if not result or not result.blob or result.expired:
            continue
        stem = folder = result.file.removesuffix(".zip")
        number = 2
        while folder in taken:
            folder, number = f"{stem}_{number}", number + 1
        taken.add(folder)
        yield folder, result


def write_packs(library: Library, batch: Batch, into: IO[bytes]) -> int:
    """All packs of a batch as one zip, each in a folder of its own: how many there are."""
    count = 0
    with zipfile.ZipFile(into, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for folder, result in _packs(library, batch):
            with library.blobs.open(result.blob) as file, zipfile.ZipFile(file) as pack:
                for entry in pack.infolist():
                    with (
                        pack.open(entry) as part,
                        archive.open(f"{folder}/{entry.filename}", "w", force_zip64=True) as out,
                    ):
                        while data := part.read(_PART):
                            out.write(data)
            count += 1
    return count


def listed() -> list[dict[str, Any]]:
    """The newest batches, with how many of their jobs are in each state."""
    newest = list(Batch.select().order_by(Batch.id.desc()).limit(50))
    asked = BatchRow.select(BatchRow.batch, Job.state, fn.COUNT(BatchRow.id)).join(Job)
    counts: dict[int, dict[str, int]] = {batch.id: {} for batch in newest}
    rows: Any = asked.where(BatchRow.batch.in_(newest)).group_by(BatchRow.batch, Job.state).tuples()
    for id, state, count in rows:
        counts[id][state] = count
    return [
        {"id": batch.id, "name": batch.name, "created": batch.created, "counts": counts[batch.id]} for batch in newest
    ]
