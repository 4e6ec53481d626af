"""What a worker does: gets a recipe and blob names, writes blobs, reports through the queue. No database."""

from __future__ import annotations

import contextlib
import json
import logging
import os
import socket
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from amber_thicket.blocks import most_in_memory, results_budget
from amber_thicket.core.check.registry import RULES
from amber_thicket.core.generate import CANDIDATES
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.core.progress import progress_to
from amber_thicket.core.recipe import from_json
from amber_thicket.errors import Cancelled, ThicketError
from amber_thicket.formats.archive import write_zip
from amber_thicket.jobs.queue import Huey, channel, current
from amber_thicket.service.bake import RESULTS_BYTES, pack
from amber_thicket.service.images import generated
from amber_thicket.service.library import evaluation_of
from amber_thicket.service.preview import thumbnail as thumbnail_of
from amber_thicket.service.still import still
from amber_thicket.service.suggested import suggestions
from amber_thicket.store.blobs import Blobs, open_blobs
from amber_thicket.store.decisions import DecisionCache
from amber_thicket.store.disk import disk_trouble
from amber_thicket.store.spill import SPILL_FOLDER, SpillFiles
from amber_thicket.store.work import (
    BatchFinding,
    BatchPayload,
    BatchResult,
    GeneratePayload,
    GenerateResult,
    MaterialInFolder,
    MaterialToPack,
    NotPacked,
    PackedFile,
    PackPayload,
    PackResult,
    PackSeveralPayload,
    Result,
    StillPayload,
    StillResult,
    payload_of,
)

BEAT_SECONDS = 1.0
_SAY_SECONDS = 0.3
log = logging.getLogger(__name__)
Entries = Callable[[list[PackedFile], Callable[[float, str], None]], Iterator[tuple[str, bytes]]]


class _Working:
    """The jobs this process is at, so that they can be handed back when it is told to end."""

    def __init__(self) -> None:
        self._lines: set[JobLine] = set()
        self.ending = False

    def begin(self, line: JobLine) -> None:
        self._lines.add(line)

    def end(self, line: JobLine) -> None:
        self._lines.discard(line)

    def hand_back(self) -> None:
        """Call off what is under way; it says that it was handed back."""
        self.ending = True
        for line in list(self._lines):
            line.cancel.cancel()


working = _Working()


class JobLine:
    """One job's line to the web process: progress out, heartbeat out, cancel in. Nothing that goes wrong on the line
    stops the job."""

    def __init__(self, queue: Huey, job_id: str, attempt: int) -> None:
        self._queue, self._id, self._attempt = queue, job_id, attempt
        self.cancel = Cancel()
        self._so_far: dict[str, Any] = {}
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> JobLine:
        working.begin(self)
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        working.end(self)
        self._over.set()
        self._thread.join()

    def is_current(self) -> bool:
        """Whether this attempt is the one that counts."""
        return bool(self._queue.get(current(self._id), peek=True) == self._attempt)

    def begin(self) -> None:
        """Say that the job was taken, then take its sign out of the queue: in this order, so that it is never lost."""
        self.report(state="running", progress=0.0, message="Starting")
        with contextlib.suppress(Exception):
            self._queue.delete(channel(self._id, self._attempt, "waiting"))

    def report(self, **report: Any) -> None:
        """Say how things are; one that cannot be said is followed by the next."""
        with contextlib.suppress(Exception):
            self._queue.put(channel(self._id, self._attempt, "progress"), report)

    def report_surely(self, **report: Any) -> None:
        """Say what must not be lost, again and again until it is said: a full disk will have room some time, and a
        queue's server be back. Who is told to end leaves it unsaid, and the job is done anew."""
        told = False
        while True:
            try:
                self._queue.put(channel(self._id, self._attempt, "progress"), report)
                return
            except Exception as error:
                if not told:
                    log.warning("job %s cannot report and tries again: %s", self._id, error)
                told = True
                if working.ending:
                    return
                time.sleep(1.0)

    def report_progress(self, share: float, message: str) -> None:
        """Say how far it is. What there is of the result is said again: a report may take the place of one that nobody
        read yet."""
        self.report(state="running", progress=round(share, 3), message=message, **self._so_far)

    def report_so_far(self, share: float, result: Result, **message: str) -> None:
        """Say how far it is and what there is of the result. message: where the last one does not stay."""
        self._so_far = {"result": result.model_dump(mode="json")}
        self.report(state="running", progress=round(share, 3), **message, **self._so_far)

    def _beat(self) -> None:
        name, count = f"{socket.gethostname()}:{os.getpid()}", 0
        while not self._over.is_set():
            count += 1
            with contextlib.suppress(Exception):
                self._queue.put(channel(self._id, self._attempt, "beat"), [name, count])
                if self._queue.get(channel(self._id, self._attempt, "cancel"), peek=True):
                    self.cancel.cancel()
            self._over.wait(BEAT_SECONDS / 2)


def register(queue: Huey, folder: Path) -> Any:
    """Make the one task known to a queue; returns it."""

    @queue.task(name="pack")
    def pack_task(job_id: str, attempt: int, payload: dict[str, Any]) -> None:
        run_job(queue, folder, job_id, attempt, payload)

    return pack_task


def run_job(queue: Huey, folder: Path, job_id: str, attempt: int, payload: dict[str, Any]) -> None:
    """Pack one material into a zip blob, or make pictures; the last report says how it ended. Running it twice is
    harmless. An attempt that does not count any more is left alone."""
    line = JobLine(queue, job_id, attempt)
    if not line.is_current():
        return
    with line:
        line.begin()
        try:
            blobs = open_blobs(folder)
            work = payload_of(payload.get("kind", "pack"), payload)
            result = _WORK[work.kind](blobs, line, folder, work)
            line.report_surely(
                state="done", progress=1.0, message="Done", result=result.model_dump(mode="json", exclude_unset=True)
            )
        except Cancelled:
            if working.ending:
                line.report(state="handed_back")
            else:
                line.report_surely(state="cancelled", message="Cancelled")
        except Exception as error:
            line.report_surely(state="failed", message=_reason(error, folder, job_id))


def _reason(error: Exception, folder: Path, job_id: str) -> str:
    """Why a job failed, for whoever asked for it."""
    known = error if isinstance(error, ThicketError) else disk_trouble(error, folder)
    if isinstance(error, MemoryError):
        return "There is not enough memory for this size. Pack it smaller, or one material at a time."
    if known:
        return f"{known.message} {known.remedy}".strip()
    reference = uuid.uuid4().hex[:8]
    log.error("reference %s: job %s failed", reference, job_id, exc_info=error)
    return f"Something unexpected went wrong (reference {reference})."


def _generated(blobs: Blobs, line: JobLine, folder: Path, payload: GeneratePayload) -> GenerateResult:
    """Pictures from words; each is told as soon as it is there."""
    for result in generated(blobs, folder, payload, line.report_progress, line.cancel.check):
        line.report_so_far(len(result.candidates) / CANDIDATES, result)
    return result


def _packed(blobs: Blobs, line: JobLine, folder: Path, payload: PackPayload) -> PackResult:
    def entries(files: list[PackedFile], report: Callable[[float, str], None]) -> Iterator[tuple[str, bytes]]:
        yield from _files_of(_evaluation(blobs, line, folder, payload), payload.name, files, report)

    return _zipped(blobs, line, folder, payload.file, entries)


def _packed_several(blobs: Blobs, line: JobLine, folder: Path, payload: PackSeveralPayload) -> PackResult:
    """Many materials, each in a folder of its own. One that cannot be packed is named, and the others go on."""
    failed: list[NotPacked] = []

    def entries(files: list[PackedFile], report: Callable[[float, str], None]) -> Iterator[tuple[str, bytes]]:
        several = payload.several
        for number, one in enumerate(several):

            def told(share: float, text: str, number: int = number, one: MaterialInFolder = one) -> None:
                report((number + share) / len(several), f"{one.name}: {text}")

            inside: list[PackedFile] = []
            try:
                for name, data in _files_of(_evaluation(blobs, line, folder, one), one.name, inside, told):
                    yield f"{one.folder}/{name}", data
            except Cancelled:
                raise
            except ThicketError as error:
                failed.append(NotPacked(name=one.name, why=f"{error.message} {error.remedy}".strip()))
            files += [facts.model_copy(update={"file": f"{one.folder}/{facts.file}"}) for facts in inside]

    return _zipped(blobs, line, folder, payload.file, entries).model_copy(update={"failed": tuple(failed)})


def _batched(blobs: Blobs, line: JobLine, folder: Path, payload: BatchPayload) -> BatchResult:
    """One material of a batch: what is suggested is taken, then it is checked and packed."""
    began = time.monotonic()
    line.report_progress(0.01, "Looking")
    evaluation = _evaluation(blobs, line, folder, payload)
    taken = suggestions(evaluation, payload.suggested, {})
    own = {"pack.files.profile": payload.profile} if payload.profile else {}
    sides = {"square.size.width": payload.size, "square.size.height": payload.size} if payload.size else {}
    made = evaluation.with_changes({**taken.changes, **own, **sides})
    manifest: dict[str, Any] = {}

    def entries(files: list[PackedFile], report: Callable[[float, str], None]) -> Iterator[tuple[str, bytes]]:
        for name, data in _files_of(made, payload.name, files, report):
            yield name, data
            if name.endswith("_manifest.json"):
                manifest.update(json.loads(data))

    result = _zipped(blobs, line, folder, payload.file, entries)
    thumbnail, _ = blobs.put([thumbnail_of(made)])
    titles = {rule.id: rule.title for rule in RULES}
    findings = tuple(
        BatchFinding(
            rule=row["rule"], title=titles.get(row["rule"], row["rule"]), level=row["level"], map=row["map"] or "",
            measured=row["measured"], limit=row["limit"],
        )
        for row in manifest["checks"]
        if row["level"] != "pass"
    )  # fmt: skip
    return BatchResult(
        **result.model_dump(exclude_unset=True, exclude={"seconds"}), changes=taken.changes, told=taken.told,
        findings=findings, thumbnail=thumbnail, tile_mm=manifest["tile_mm"] or 0.0,
        seconds=round(time.monotonic() - began, 1),
    )  # fmt: skip


def _stilled(blobs: Blobs, line: JobLine, folder: Path, payload: StillPayload) -> StillResult:
    """A still, whose picture so far is told with every doubling of its paths."""
    evaluation = _evaluation(blobs, line, folder, payload)
    line.report_progress(0.02, "Making the maps")
    said = 0.0

    def told(share: float, what: str) -> None:
        nonlocal said
        line.cancel.check()
        if time.monotonic() - said > _SAY_SECONDS:
            said = time.monotonic()
            line.report_progress(0.05 + 0.95 * share, what)

    result = StillResult(bytes=0, file=payload.file, revision=payload.revision, paths=0, of=payload.paths)
    with progress_to(told):
        for seen in still(evaluation, payload.look, folder, payload.paths):
            blob, length = blobs.put([seen.png])
            result = result.model_copy(update={"blob": blob, "bytes": length, "paths": seen.paths})
            share = 0.05 + 0.95 * seen.paths / payload.paths
            line.report_so_far(share, result, message=f"{seen.paths} of {payload.paths} paths a pixel")
    return result


def _files_of(
    evaluation: Evaluation, name: str, files: list[PackedFile], report: Callable[[float, str], None]
) -> Iterator[tuple[str, bytes]]:
    """The files of one material. files: gets what is written of each."""
    for written in pack(evaluation, name, report):
        files.append(PackedFile.model_validate({**written.facts, "bytes": len(written.data)}))
        yield written.name, written.data
        # Large ones are not held while the next is made.
        del written


def _evaluation(blobs: Blobs, line: JobLine, folder: Path, one: MaterialToPack) -> Evaluation:
    """A material as it is to be made, with what lies over it."""
    memory = Memory(
        min(RESULTS_BYTES, results_budget()),
        persistent=DecisionCache(folder),
        spill=SpillFiles(folder / SPILL_FOLDER),
        most_in_memory=most_in_memory(),
    )
    evaluation = evaluation_of(one.source, from_json(one.recipe), blobs, memory, line.cancel)
    others = one.others

    def laid_over(id: str) -> Evaluation | None:
        other = others.get(id)
        if other is None:
            return None
        # Not the evaluation's own: what knows itself lies about until the collector comes, results and all.
        return evaluation_of(other["source"], from_json(other["recipe"]), blobs, memory, line.cancel)

    evaluation.others = laid_over
    return evaluation


def _zipped(blobs: Blobs, line: JobLine, folder: Path, file: str, entries: Entries) -> PackResult:
    began = time.monotonic()
    aside = folder / "blobs" / "incoming" / f"{uuid.uuid4().hex}.zip"
    files: list[PackedFile] = []

    try:
        write_zip(aside, entries(files, line.report_progress))
        blob, length = blobs.adopt(aside)
    finally:
        aside.unlink(missing_ok=True)
    return PackResult(
        blob=blob, bytes=length, files=tuple(files), file=file, seconds=round(time.monotonic() - began, 1)
    )


_WORK: dict[str, Callable[[Blobs, JobLine, Path, Any], Result]] = {
    "pack": _packed,
    "generate": _generated,
    "pack_several": _packed_several,
    "still": _stilled,
    "batch": _batched,
}
