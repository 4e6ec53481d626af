"""A batch over one, two and four workers on a Redis queue, each pinned to one processor as if it were a machine: how much
faster, whether the packs are the same bytes, and what a worker that is killed in the middle costs."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.store.models import Job
from amber_thicket.store.models import using as database_in_use
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from bench.timing import table
from tests.jobs.test_redis import free_port
from tests.support import encoded

_COUNT, _SIDE = 12, 1024
_MOST_SECONDS = 1800


def _pinned(number: int) -> None:
    os.sched_setaffinity(0, {sorted(os.sched_getaffinity(0))[number % len(os.sched_getaffinity(0))]})


def _worker(folder: Path, url: str, number: int) -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", "amber_thicket.cli", "worker", "--data", str(folder), "--queue", url]
    return subprocess.Popen(command, preexec_fn=lambda: _pinned(number))


def _stolen() -> float:
    """Seconds of processor time that this machine's own host gave to others since it started."""
    fields = Path("/proc/stat").read_text("ascii").split("\n", 1)[0].split()
    return int(fields[8]) / os.sysconf("SC_CLK_TCK")


def _run(photos: list[bytes], workers: int, side: int, *, kill: bool = False) -> tuple[float, float, set[str], int]:
    """(seconds, processor seconds stolen meanwhile, blobs of the packs, jobs that were done again) of a batch."""
    redis, port = shutil.which("redis-server"), free_port()
    assert redis, "redis-server is needed"
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        folder = Path(name)
        server = subprocess.Popen(
            [redis, "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--appendonly", "no"],
            stdout=subprocess.DEVNULL, cwd=folder,
        )  # fmt: skip
        url = f"redis://127.0.0.1:{port}/0"
        time.sleep(0.5)
        app = create_app(Config(folder, worker=False, queue_url=url))
        running: list[subprocess.Popen[bytes]] = []
        try:
            client = app.test_client()
            ids = [client.post(f"/api/materials?file=m{n}.jpg", data=data).get_json()["id"] for n, data in enumerate(photos)]  # fmt: skip
            running = [_worker(folder, url, number) for number in range(workers)]
            # Each has compiled what it needs before the clock starts.
            warm = client.post("/api/batches", json={"materials": ids[:workers], "size": 256, "suggested": "none"})
            _awaited(client, warm.get_json()["id"])
            began, stolen = time.monotonic(), _stolen()
            asked = {"materials": ids, "size": side, "suggested": "none", "profile": "separate_y_plus"}
            batch = client.post("/api/batches", json=asked).get_json()["id"]
            if kill:
                time.sleep(6)
                running[0].kill()
                running.append(_worker(folder, url, 0))
            _awaited(client, batch)
            took, stolen = time.monotonic() - began, _stolen() - stolen
            with database_in_use(app.extensions["thicket"].library.database):
                rows = [job for job in Job.select() if job.payload.get("size") == side]
                blobs = {str(job.result["blob"]) for job in rows}
                again = sum(job.attempt - 1 for job in rows)
            return took, stolen, blobs, again
        finally:
            for worker in running:
                worker.kill()
                worker.wait()
            app.extensions["thicket"].close()
            server.kill()
            server.wait()


def _awaited(client, batch: int) -> None:  # type: ignore[no-untyped-def]
    ends = time.monotonic() + _MOST_SECONDS
    while client.get(f"/api/batches/{batch}").get_json()["left"]:
        if time.monotonic() > ends:
            raise TimeoutError("the batch did not end")
        time.sleep(0.5)


def run(side: int) -> None:
    side = side or _SIDE
    kinds = list(KINDS.values())
    photos = []
    for number in range(_COUNT):
        surface = kinds[number % len(kinds)](768, 20 + number)
        photos.append(encoded(photograph(surface, Shot(bearing=110, elevation=50, sky=0.7), np.random.default_rng(number)), "JPEG"))  # fmt: skip
    rows, first, bytes_of = [], 0.0, set[str]()
    for name, workers, kill in (("1 worker", 1, False), ("2 workers", 2, False), ("4 workers", 4, False), ("2, one killed", 2, True)):  # fmt: skip
        took, stolen, blobs, again = _run(photos, workers, side, kill=kill)
        first, bytes_of = first or took, bytes_of or blobs
        rows.append(
            [
                name,
                f"{took:.1f}",
                f"{stolen:.0f}",
                f"{first / took:.2f}",
                "yes" if blobs == bytes_of else "no",
                str(again),
            ]
        )
        print(" ".join(rows[-1]), flush=True)
    cores = len(os.sched_getaffinity(0))
    table(f"{_COUNT} materials at {side}², workers pinned to one of {cores} processors each",
          ["", "seconds", "stolen by other machines", "times as fast", "same bytes", "done again"], rows)  # fmt: skip
