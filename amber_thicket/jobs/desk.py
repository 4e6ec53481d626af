"""The web process' side of the jobs: starts them, follows them, runs them again after a crash.

Only this side writes the database.
"""

from __future__ import annotations

import logging
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from huey.api import Huey

from amber_thicket.errors import NotFound
from amber_thicket.jobs.queue import channel
from amber_thicket.jobs.tasks import register
from amber_thicket.store.models import Job, Material, proxy

STALE_SECONDS = 20.0
_MOST_ATTEMPTS = 4
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
        "result": job.result,
        "attempt": job.attempt,
        "created": job.created,
    }


class Desk:
    """Follows all open jobs in a thread of its own and keeps one worker process alive."""

    def __init__(
        self,
        folder: Path,
        queue: Huey,
        announce: Callable[[str, dict[str, Any]], None],
        *,
        worker_command: list[str] | None,
    ) -> None:
        self._folder = folder
        self._queue = queue
        self._announce = announce
        self._command = worker_command
        self._task = register(queue, folder)
        self._worker: subprocess.Popen[bytes] | None = None
        self._begun: dict[str, float] = {}
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Queue again whatever a crash left unfinished, start the worker, follow the jobs."""
        if self._command:
            # What an earlier process queued is queued anew below, under a new attempt.
            self._queue.flush()
        with proxy.obj.connection_context():
            for job in Job.unfinished():
                self._again(job)
        self._spawn()
        self._thread = threading.Thread(target=self._follow, name="desk", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        if self._thread:
            self._thread.join(timeout=5)
        if self._worker:
            self._worker.terminate()
            try:
                self._worker.wait(timeout=5)
            except subprocess.TimeoutExpired:
                self._worker.kill()

    def pack(self, material: Material, recipe: dict[str, Any], file: str, others: dict[str, Any] | None = None) -> Job:
        """Start packing a material as it is now. others: source and recipe of the materials laid over it, by id."""
        payload = {"recipe": recipe, "source": material.source, "name": material.name, "file": file}
        payload["others"] = others or {}
        job = Job.create(kind="pack", material=material, title=f"Pack {material.name}", payload=payload)
        self._enqueue(job)
        return job

    def pack_several(self, several: list[dict[str, Any]], file: str) -> Job:
        """Start packing many materials into one zip. several: recipe, source, name, folder and others of each."""
        title = f"Pack {len(several)} materials"
        job = Job.create(kind="pack_several", title=title, payload={"several": several, "file": file})
        self._enqueue(job)
        return job

    def generate(self, payload: dict[str, Any]) -> Job:
        """Start making pictures from words. payload: as service/images.py takes it."""
        job = Job.create(kind="generate", title=f"Pictures of {payload['words'][:60]}", payload=payload)
        self._enqueue(job)
        return job

    def cancel(self, job_id: str) -> Job:
        """Ask a job to end; it says so itself when it has. Raises NotFound."""
        job = Job.get_or_none(Job.id == job_id)
        if job is None:
            raise NotFound("This job does not exist.")
        if job.state in Job.OPEN:
            self._queue.put(channel(job.id, job.attempt, "cancel"), True)
            if job.state == "queued":
                self._settle(job, state="cancelled", message="Cancelled")
        return job  # type: ignore[no-any-return]

    def _enqueue(self, job: Job) -> None:
        self._begun[job.id] = time.time()
        self._task(job.id, job.attempt, {**job.payload, "kind": job.kind})
        self._announce("job", job_json(job))

    def _again(self, job: Job) -> None:
        if job.attempt >= _MOST_ATTEMPTS:
            self._settle(job, state="failed", message="The worker stopped every time; see the log.")
            return
        job.attempt += 1
        job.state, job.progress, job.message = "queued", 0.0, "Starting again"
        job.save()
        self._enqueue(job)

    def _spawn(self) -> None:
        if self._command:
            self._worker = subprocess.Popen(self._command)

    def _follow(self) -> None:
        while not self._stop.wait(0.25):
            try:
                with proxy.obj.connection_context():
                    self._look()
            except Exception:
                log.exception("following the jobs")

    def _look(self) -> None:
        dead = self._worker is not None and self._worker.poll() is not None
        if dead:
            log.warning("the worker ended; starting another")
            self._spawn()
        for job in Job.unfinished():
            report = self._queue.get(channel(job.id, job.attempt, "progress"), peek=True)
            if report:
                self._settle(job, **report)
            if job.state in Job.OPEN and (self._is_stale(job) or (dead and job.state == "running")):
                self._again(job)

    def _is_stale(self, job: Job) -> bool:
        if job.state != "running":
            return False
        beat = self._queue.get(channel(job.id, job.attempt, "beat"), peek=True) or self._begun.get(job.id, 0)
        return time.time() - float(beat) > STALE_SECONDS

    def _settle(self, job: Job, **report: Any) -> None:
        before = (job.state, job.progress, job.message)
        for name in ("state", "progress", "message", "result"):
            if name in report:
                setattr(job, name, report[name])
        if (job.state, job.progress, job.message) != before:
            job.save()
            self._announce("job", job_json(job))
        if job.state not in Job.OPEN:
            for what in ("progress", "beat", "cancel"):
                self._queue.delete(channel(job.id, job.attempt, what))


def worker_command(folder: Path, queue_url: str | None, parent: int) -> list[str]:
    """The command line that starts a worker for this process."""
    command = [sys.executable, "-m", "amber_thicket.cli", "worker", "--data", str(folder), "--parent", str(parent)]
    return command + (["--queue", queue_url] if queue_url else [])
