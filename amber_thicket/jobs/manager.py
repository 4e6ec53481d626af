"""The web process' side of the jobs: starts them, follows them, runs them again after a crash.

Only this side writes the database. What counts against a job is a worker that ended while it had the job; what stopped
the program itself does not.
"""

from __future__ import annotations

import contextlib
import logging
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from peewee import SqliteDatabase

from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.jobs.queue import Huey, away, channel, check_queue, current
from amber_thicket.jobs.tasks import register
from amber_thicket.store.cards import note_packed
from amber_thicket.store.disk import disk_trouble
from amber_thicket.store.models import Job, Material, using
from amber_thicket.store.work import (
    BatchPayload,
    GeneratePayload,
    MaterialToPack,
    PackPayload,
    PackResult,
    PackSeveralPayload,
    Payload,
    StillPayload,
    payload_of,
    result_of,
)

STALE_SECONDS = 20.0
_MOST_DEATHS = 4
_LOOK_SECONDS, _AWAY_SECONDS = 0.25, 2.0
# Seconds between two looks for jobs the queue has forgotten.
_LOST_SECONDS = 2.0
_STOP_SECONDS = 4.0
_CHANNELS = ("waiting", "progress", "beat", "cancel")
log = logging.getLogger(__name__)


def job_json(job: Job) -> dict[str, Any]:
    """A job as the page sees it."""
    return {
        "id": job.id,
        "kind": job.kind,
        "material": job.material_id,  # type: ignore[attr-defined]
        "title": job.title,
        "state": job.state,
        "progress": job.progress,
        "message": job.message,
        "result": _result(job),
        "attempt": job.attempt,
        "created": job.created,
    }


def _result(job: Job) -> Any:
    """What came of a job; nothing where that cannot be read any more."""
    with contextlib.suppress(ThicketError):
        found = result_of(job.kind, job.result)
        return found and found.model_dump(mode="json", exclude_unset=True)
    return None


def _note_packed(job: Job) -> None:
    """What a job packed is remembered on the materials' cards. A batch packs another state than it was given, and notes
    that itself."""
    payload, result = payload_of(job.kind, job.payload), result_of(job.kind, job.result)
    if not isinstance(result, PackResult) or isinstance(payload, BatchPayload):
        return
    several: tuple[Any, ...] = payload.several if isinstance(payload, PackSeveralPayload) else (payload,)
    failed = {one.name for one in result.failed}
    for one in several:
        if isinstance(one, MaterialToPack) and one.material and one.name not in failed:
            note_packed(one.material, one.head)


class JobManager:
    """Follows all open jobs in a thread of its own and keeps one worker process alive."""

    def __init__(
        self,
        folder: Path,
        database: SqliteDatabase,
        queue: Huey,
        announce: Callable[[str, dict[str, Any]], None],
        *,
        worker_command: list[str] | None,
        queue_url: str | None = None,
    ) -> None:
        self._folder = folder
        self._database = database
        self._queue = queue
        self._announce = announce
        self._command = worker_command
        self._url = queue_url
        self._task = register(queue, folder)
        # What else follows when a job is done; in the thread that follows jobs.
        self.on_done: Callable[[Job], None] = lambda job: None
        self._worker: subprocess.Popen[bytes] | None = None
        # The last heartbeat of each job with the time it was new here: clocks of other machines are not believed.
        self._beats: dict[str, tuple[Any, float]] = {}
        self._looked_for_lost = 0.0
        self._followed = 0
        self._is_away = False
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Queue again whatever was not finished, start the worker, follow the jobs. Raises ServiceAway."""
        check_queue(self._queue, self._url)
        if self._command and not self._url:
            # What an earlier process queued is queued anew below, as another attempt.
            self._queue.flush()
        with using(self._database):
            for job in Job.unfinished():
                # A worker on another machine may be at it still; it shows by its heartbeat.
                if not (self._url and job.state == "running"):
                    self._again(job)
        self._spawn()
        self._thread = threading.Thread(target=self._follow, name="jobs", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End in order: no more following, the worker ended, what it was doing back among what waits. May be called
        twice."""
        if self._stop.is_set():
            return
        self._stop.set()
        if self._thread:
            self._thread.join(timeout=2)
        if self._worker:
            self._worker.terminate()
            try:
                self._worker.wait(timeout=_STOP_SECONDS)
            except subprocess.TimeoutExpired:
                self._worker.kill()
                self._worker.wait(timeout=_STOP_SECONDS)
            self._hand_back()

    def _hand_back(self) -> None:
        """What the worker of this process had waits for the next start."""
        try:
            with using(self._database):
                for job in Job.unfinished():
                    report = self._read(job, "progress") or {}
                    if report.get("state") in ("done", "failed", "cancelled"):
                        self._settle(job, **report)
                    elif job.state == "running" and self._is_own(job):
                        self._settle(job, state="queued", progress=0.0, message="Goes on at the next start")
        except Exception:
            # The next start looks through all unfinished jobs anyway.
            log.warning("jobs were not handed back", exc_info=True)

    @property
    def worker_is_alive(self) -> bool | None:
        """Whether the worker of this process runs; None where it has none of its own."""
        return None if self._command is None else self._worker is not None and self._worker.poll() is None

    @property
    def worker_pid(self) -> int | None:
        return self._worker.pid if self._worker else None

    def check(self) -> None:
        """Raises ServiceAway when the queue does not answer."""
        check_queue(self._queue, self._url)

    def pack(self, material: Material, payload: PackPayload) -> Job:
        """Start packing a material as it is now."""
        return self._begin(payload, f"Pack {material.name}", material)

    def pack_several(self, payload: PackSeveralPayload) -> Job:
        """Start packing many materials into one zip."""
        return self._begin(payload, f"Pack {len(payload.several)} materials")

    def generate(self, payload: GeneratePayload) -> Job:
        """Start making pictures from words."""
        return self._begin(payload, f"Pictures of {payload.words[:60]}")

    def still(self, material: Material, payload: StillPayload) -> Job:
        """Start a still of a material as it is now."""
        return self._begin(payload, f"Still of {material.name}", material)

    def batch(self, material: Material, payload: BatchPayload) -> Job:
        """Start what a batch does to one material, as it is now."""
        return self._begin(payload, f"Batch: {material.name}", material)

    def cancel(self, job_id: str) -> Job:
        """Ask a job to end; it says so itself when it has. Raises NotFound, ServiceAway."""
        job = Job.get_or_none(Job.id == job_id)
        if job is None:
            raise NotFound("This job does not exist.")
        if job.state in Job.OPEN:
            try:
                self._queue.put(channel(job.id, job.attempt, "cancel"), True)
            except Exception as error:
                raise disk_trouble(error, self._folder) or away(error, self._url) from error
            if job.state == "queued":
                self._settle(job, state="cancelled", message="Cancelled")
        return job

    def _begin(self, payload: Payload, title: str, material: Material | None = None) -> Job:
        """A new job, in the queue. Nothing stays of it when the queue cannot take it."""
        job = Job.create(kind=payload.kind, material=material, title=title, payload=payload.model_dump(mode="json"))
        try:
            self._enqueue(job)
        except Exception as error:
            job.delete_instance()
            raise disk_trouble(error, self._folder) or away(error, self._url) from error
        self._announce("job", job_json(job))
        return job

    def _enqueue(self, job: Job) -> None:
        self._beats.pop(str(job.id), None)
        self._queue.put(current(str(job.id)), job.attempt)
        self._queue.put(channel(str(job.id), job.attempt, "waiting"), True)
        self._task(job.id, job.attempt, {**job.payload, "kind": job.kind})

    def _again(self, job: Job, message: str = "Starting again") -> None:
        """Into the queue once more, as another attempt, so that what the last one still says does not count."""
        self._forget(job)
        deaths, whole = job.deaths, Job.get_or_none(Job.id == job.id)
        if whole is None:
            # A material that was deleted took it along.
            return
        job = whole
        job.deaths = deaths
        job.attempt += 1
        job.state, job.progress, job.message = "queued", 0.0, message
        job.save()
        self._enqueue(job)
        self._announce("job", job_json(job))

    def _died(self, job: Job) -> None:
        """The worker that had a job is gone."""
        job.deaths += 1
        if job.deaths >= _MOST_DEATHS:
            told = f"A worker ended {job.deaths} times over this; it may need more memory than there is. See the log."
            self._settle(job, state="failed", message=told, deaths=job.deaths)
        else:
            self._again(job)

    def _spawn(self) -> None:
        if self._command:
            self._worker = subprocess.Popen(self._command)

    def _follow(self) -> None:
        while not self._stop.wait(_AWAY_SECONDS if self._is_away else _LOOK_SECONDS):
            try:
                with using(self._database):
                    self._look()
                if self._is_away:
                    log.warning("the queue answers again")
                self._is_away = False
            except Exception as error:
                if not self._is_away:
                    trouble = disk_trouble(error, self._folder)
                    log.warning("jobs cannot be followed: %s", trouble.message if trouble else error)
                    log.debug("jobs cannot be followed", exc_info=True)
                self._is_away = True

    def _look(self) -> None:
        dead = self._worker is not None and self._worker.poll() is not None
        waiting = Job.followed(self._followed)
        # A batch may be thousands: those that wait are gone through a few at a time.
        self._followed = self._followed + Job.NEXT if len(waiting) > 2 * Job.NEXT - 1 else 0
        gone = [job for job in waiting if dead and job.state == "running" and self._is_own(job)]
        if dead:
            log.warning("the worker ended (%s); starting another", self._worker and self._worker.returncode)
            self._spawn()
        looks_for_lost = time.monotonic() - self._looked_for_lost > _LOST_SECONDS
        if looks_for_lost:
            self._looked_for_lost = time.monotonic()
        for job in waiting:
            report = self._read(job, "progress")
            if report and report.get("state") == "handed_back":
                self._again(job, "Handed back by a worker that was ended")
                continue
            if report:
                self._settle(job, **report)
            if job.state == "running" and (job in gone or self._is_stale(job)):
                self._died(job)
            elif looks_for_lost and job.state == "queued" and not report and self._is_lost(job):
                log.warning("the queue lost %s; queued again", job.id)
                self._again(job)

    def _read(self, job: Job, what: str) -> Any:
        return self._queue.get(channel(str(job.id), job.attempt, what), peek=True)

    def _is_lost(self, job: Job) -> bool:
        """Whether the queue knows nothing of a job. Asked in this order: a worker that takes one reports before it
        takes the sign away."""
        return not self._read(job, "waiting") and not self._read(job, "progress")

    def _is_own(self, job: Job) -> bool:
        """Whether the worker of this process has a job."""
        beat = self._read(job, "beat")
        own = f"{socket.gethostname()}:{self._worker.pid}" if self._worker else ""
        return not self._url if beat is None else bool(beat[0] == own)

    def _is_stale(self, job: Job) -> bool:
        beat = self._read(job, "beat")
        seen = self._beats.get(str(job.id))
        if seen is None or seen[0] != beat:
            self._beats[str(job.id)] = beat, time.monotonic()
            return False
        return time.monotonic() - seen[1] > STALE_SECONDS

    def _settle(self, job: Job, **report: Any) -> None:
        before = (job.state, job.progress, job.message)
        for name in ("state", "progress", "message", "result", "deaths"):
            if name in report:
                setattr(job, name, report[name])
        if (job.state, job.progress, job.message) != before:
            # A material that was deleted took its jobs along.
            if not job.save(only=[Job.state, Job.progress, Job.message, Job.result, Job.deaths]):
                return
            if job.state == "done":
                whole = Job.get_by_id(job.id)
                _note_packed(whole)
                self.on_done(whole)
            self._announce("job", job_json(job))
        if job.state not in Job.OPEN:
            self._forget(job)
            self._queue.delete(current(str(job.id)))

    def _forget(self, job: Job) -> None:
        for what in _CHANNELS:
            self._queue.delete(channel(str(job.id), job.attempt, what))
        self._beats.pop(str(job.id), None)


def worker_command(folder: Path, queue_url: str | None, log_options: list[str]) -> list[str]:
    """The command line that starts a worker for this process. log_options: how it logs."""
    command = [sys.executable, "-m", "amber_thicket.cli", "worker", "--data", str(folder)]
    command += ["--parent", str(os.getpid()), *log_options]
    return command + (["--queue", queue_url] if queue_url else [])
