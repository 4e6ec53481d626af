"""The worker process: takes jobs from the queue until told to stop or until its parent is gone."""

from __future__ import annotations

import logging
import os
import threading
import time
from pathlib import Path

from amber_thicket.jobs.queue import open_queue
from amber_thicket.jobs.tasks import register


def run_worker(folder: Path, queue_url: str | None, *, parent: int | None = None) -> None:
    """Serve the queue. parent: process id to live no longer than (set when the web process starts it)."""
    logging.getLogger("huey").setLevel(logging.WARNING)
    queue = open_queue(folder, queue_url)
    register(queue, folder)
    if parent is not None:
        threading.Thread(target=_leave_with, args=(parent,), daemon=True).start()
    queue.create_consumer(
        workers=1, worker_type="thread", periodic=False, initial_delay=0.05, max_delay=0.4, backoff=1.2,
        check_worker_health=False,
    ).run()  # fmt: skip


def _leave_with(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(0)
