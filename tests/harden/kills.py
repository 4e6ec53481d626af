"""kill −9 at random moments, with imports, edits and packs going on: what was acknowledged is there afterwards."""

from __future__ import annotations

import random
import sys
import tempfile
import threading
import time
from http.client import HTTPException
from pathlib import Path
from typing import Any

from tests.harden.row import Row
from tests.program import Program, run_command
from tests.support import encoded, photograph

KILLS, SEED = 20, 7
PHOTO = encoded(photograph("gravel"))
# What a job may end with that is its own: it was done, or the person took it back.
OWN = ("done", "cancelled")


class Worker(threading.Thread):
    """One person: imports, edits, packs, and remembers what was acknowledged."""

    def __init__(self, program: Program, number: int) -> None:
        super().__init__(daemon=True)
        self._program, self._number = program, number
        self._random = random.Random(SEED + number)
        self.materials: dict[str, tuple[int, float | None]] = {}
        self.jobs: list[str] = []
        self.edits = 0
        self.stop = threading.Event()

    def run(self) -> None:
        while not self.stop.is_set():
            try:
                self._step()
            except (OSError, ValueError, KeyError, HTTPException):
                # The program is down just now; what was not answered was not acknowledged.
                time.sleep(0.2)

    def _step(self) -> None:
        pick = self._random.random()
        if not self.materials or pick < 0.1:
            made = self._program.ask(
                f"/api/materials?file=m{self._number}_{len(self.materials)}.png", data=PHOTO, seconds=30
            )
            if made.status == 200:
                self.materials[made.json["id"]] = (made.json["revision"], None)
            return
        id = self._random.choice(list(self.materials))
        row = self._program.ask(f"/api/materials/{id}", seconds=30).json
        if pick < 0.2 and len(self.jobs) < 12:
            packed = self._program.ask(f"/api/materials/{id}/pack", data={"revision": row["revision"]}, seconds=30)
            if packed.status == 200:
                self.jobs.append(packed.json["id"])
            return
        value = round(self._random.uniform(8, 40), 2)
        changes = {"tile.join.overlap_x": value, "square.size.width": 256, "square.size.height": 256}
        answer = self._program.ask(
            f"/api/materials/{id}/recipe",
            data={"revision": row["revision"], "changes": changes},
            method="PATCH",
            seconds=30,
        )
        if answer.status == 200:
            self.edits += 1
            self.materials[id] = (answer.json["revision"], value)


def run() -> list[Row]:
    rng = random.Random(SEED)
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        program = Program(Path(folder) / "library")
        program.start()
        people = [Worker(program, number) for number in range(3)]
        for person in people:
            person.start()
        slowest = 0.0
        for _ in range(KILLS):
            time.sleep(rng.uniform(0.5, 6.0))
            program.kill()
            began = time.monotonic()
            program.start()
            slowest = max(slowest, time.monotonic() - began)
        for person in people:
            person.stop.set()
        for person in people:
            person.join(60)
        lost = _lost(program, people)
        ended = _ended(program, [job for person in people for job in person.jobs])
        bad = {job: state for job, state in ended.items() if state[0] not in OWN}
        program.end()
        doctor = run_command("doctor", "--data", str(program.folder)).returncode
    for line in [*lost, *(f"job {job}: {state}" for job, state in bad.items())][:20]:
        print(f"  {line}", file=sys.stderr)
    edits, materials = sum(person.edits for person in people), sum(len(person.materials) for person in people)
    return [
        Row(f"{KILLS} × kill -9: edits and imports", f"{edits} edits, {materials} imports, {len(lost)} lost", "0 lost", not lost),
        Row(f"{KILLS} × kill -9: jobs", f"{len(ended)} acknowledged, {len(bad)} without an end of their own", "0", not bad),
        Row("after it: doctor", f"exit code {doctor}", "0", doctor == 0),
        Row("after it: slowest start", f"{slowest:.1f} s", "told, not judged", True),
    ]  # fmt: skip


def _lost(program: Program, people: list[Worker]) -> list[str]:
    lost = []
    for person in people:
        for id, (revision, value) in person.materials.items():
            answer = program.ask(f"/api/materials/{id}")
            if answer.status != 200:
                lost.append(f"{id} is gone")
                continue
            row: Any = answer.json
            now = row["recipe"]["operations"].get("tile.join", {}).get("overlap_x")
            # One change may have been made whose answer was cut off.
            if row["revision"] < revision or (row["revision"] == revision and now != value):
                lost.append(f"{id}: revision {row['revision']} after {revision}, {now} after {value}")
    return lost


def _ended(program: Program, jobs: list[str]) -> dict[str, tuple[str, str]]:
    end = time.monotonic() + 400
    while True:
        rows = {row["id"]: (row["state"], row["message"]) for row in program.ask("/api/jobs?limit=500").json}
        found = {job: rows.get(job, ("gone", "")) for job in jobs}
        if all(state[0] not in ("queued", "running") for state in found.values()) or time.monotonic() > end:
            return found
        time.sleep(1)
