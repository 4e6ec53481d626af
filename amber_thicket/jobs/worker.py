"""The worker process: takes jobs from the queue until told to stop or until its parent is gone."""

from __future__ import annotations

import logging
import os
import signal
import threading
import time
from pathlib import Path

from amber_thicket.formats.apart import use_helpers
from amber_thicket.jobs.queue import Huey, open_queue
from amber_thicket.jobs.tasks import register, working

_SHORTEST, _LONGEST, _SLOWER = 0.05, 0.4, 1.2
# Seconds a job has to come to a point where it can be called off.
_PATIENCE = 3.0
log = logging.getLogger(__name__)


def run_worker(folder: Path, queue_url: str | None, *, parent: int | None = None) -> None:
    """Serve the queue until SIGTERM or Ctrl+C; what was being done then is handed back. parent: process id to live no
    longer than (set when the web process starts it). Leaves the process with exit code 0."""
    logging.getLogger("huey").setLevel(logging.CRITICAL)
    ending = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: ending.set())
    queue = open_queue(folder, queue_url)
    register(queue, folder)
    use_helpers()
    if parent is not None:
        threading.Thread(target=_leave_with, args=(parent,), daemon=True).start()
    taking = threading.Thread(target=_take_jobs, args=(queue, ending), name="jobs", daemon=True)
    taking.start()
    while not ending.wait(1.0) and taking.is_alive():
        pass
    working.hand_back()
    taking.join(timeout=_PATIENCE)
    logging.shutdown()
    os._exit(0)


def _take_jobs(queue: Huey, ending: threading.Event) -> None:
    delay, away = _SHORTEST, False
    while not ending.is_set():
        try:
            task = queue.dequeue()
            if away:
                log.warning("the queue answers again")
            away = False
        except Exception as error:
            if not away:
                log.warning("the queue does not answer: %s", error)
            task, away, delay = None, True, _LONGEST * 3
        if task is None:
            ending.wait(delay)
            delay = min(delay * _SLOWER, _LONGEST)
            continue
        delay = _SHORTEST
        try:
            queue.execute(task)
        except Exception:
            log.exception("a job could not be run")


def _leave_with(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(0)
