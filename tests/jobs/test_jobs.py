"""Jobs: a pack from start to finish, cancel, and a worker that is killed in the middle."""

import gc
import io
import json
import os
import signal
import tempfile
import unittest
import weakref
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

import imagecodecs
import numpy as np

from amber_thicket.core.memory import Memory
from amber_thicket.core.registry import BY_ID, BY_LAYER
from amber_thicket.jobs import manager
from amber_thicket.jobs.queue import JsonSerializer, channel, current, open_queue
from amber_thicket.jobs.tasks import JobLine, _reason, run_job
from amber_thicket.store.models import Job, using
from amber_thicket.store.work import StillResult
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import BUSY, encoded, limited, photograph, retry


class JobTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def start(self) -> None:
        """The application with a real worker process."""
        self.app = create_app(Config(self.folder, memory=300_000_000))
        self.services = self.app.extensions["thicket"]
        self.jobs = self.services.jobs
        self.addCleanup(self.services.close)
        self.client = self.app.test_client()

    def material(self, size: int) -> dict:
        answer = self.client.post("/api/materials?file=gravel.png", data=encoded(photograph("gravel")))
        material = answer.get_json()
        return self.client.patch(
            f"/api/materials/{material['id']}/recipe",
            json={
                "revision": material["revision"],
                "changes": {"square.size.width": size, "square.size.height": size, "pack.files.profile": "gltf"},
            },
        ).get_json()

    def pack(self, material: dict) -> str:
        return self.client.post(
            f"/api/materials/{material['id']}/pack", json={"revision": material["revision"]}
        ).get_json()["id"]

    def job(self, job_id: str) -> dict:
        return next(job for job in self.client.get("/api/jobs").get_json() if job["id"] == job_id)

    def test_pack_is_written_read_back_and_named(self) -> None:
        self.start()
        job_id = self.pack(self.material(256))
        retry(lambda: self.job(job_id)["state"] == "done", 60)
        archive = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/jobs/{job_id}/file").data))
        names = archive.namelist()
        manifest = json.loads(archive.read(next(n for n in names if n.endswith("_manifest.json"))))
        self.assertEqual(
            {entry["file"] for entry in manifest["files"]} | {next(n for n in names if n.endswith("_manifest.json"))},
            set(names),
        )
        height = np.asarray(imagecodecs.png_decode(archive.read("gravel_height.png")))
        self.assertEqual((height.dtype, height.shape), (np.uint16, (256, 256)))
        self.assertGreater(len(np.unique(height)), 3000)
        self.assertTrue(all(entry.get("read_back", "equal") == "equal" for entry in manifest["files"]))
        self.assertEqual(self.client.get("/api/jobs/none/file").status_code, 404)

    def test_killed_worker_is_replaced_and_the_job_runs_again(self) -> None:
        """kill -9 of the worker in the middle of a pack: another worker starts, the job ends, nothing is lost."""
        self.start()
        material = self.material(2048)
        job_id = self.pack(material)
        retry(lambda: self.job(job_id)["state"] == "running" and self.job(job_id)["progress"] > 0.05, 60)
        worker = self.jobs._worker
        assert worker
        os.kill(worker.pid, signal.SIGKILL)
        retry(lambda: self.job(job_id)["state"] == "done", 90)
        self.assertGreaterEqual(self.job(job_id)["attempt"], 2)
        self.assertEqual(Job.get_by_id(job_id).deaths, 1)
        self.assertNotEqual(self.jobs._worker.pid, worker.pid)
        archive = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/jobs/{job_id}/file").data))
        self.assertIsNone(archive.testzip())

    def test_cancel(self) -> None:
        self.start()
        job_id = self.pack(self.material(4096))
        retry(lambda: self.job(job_id)["state"] == "running", 60)
        self.client.post(f"/api/jobs/{job_id}/cancel")
        retry(lambda: self.job(job_id)["state"] == "cancelled", 60)
        self.assertEqual([p for p in (self.folder / "blobs" / "incoming").iterdir() if p.suffix == ".zip"], [])

    def test_a_job_nobody_began_is_not_held_against_it(self) -> None:
        """Queued without a worker, and the program started again and again: it still runs."""
        config = Config(self.folder, memory=300_000_000, worker=False)
        app = create_app(config)
        self.client = app.test_client()
        job_id = self.pack(self.material(256))
        app.extensions["thicket"].close()
        for _ in range(6):
            again = create_app(config)
            with again.extensions["thicket"].library.database.connection_context():
                job = Job.get_by_id(job_id)
                self.assertEqual((job.state, job.deaths), ("queued", 0))
            again.extensions["thicket"].close()
        self.start()
        retry(lambda: self.job(job_id)["state"] == "done", 60)

    def test_what_stops_the_program_is_not_held_against_a_job(self) -> None:
        self.start()
        job_id = self.pack(self.material(4096))
        for _ in range(5):
            retry(lambda: self.job(job_id)["state"] == "running", 60)
            worker = self.jobs._worker
            given = manager._STOP_SECONDS
            with mock.patch.object(manager, "_STOP_SECONDS", given * BUSY), limited(given):
                self.services.close()
            self.assertEqual(worker.returncode, 0)
            self.start()
        self.assertEqual(Job.get_by_id(job_id).deaths, 0)
        self.client.post(f"/api/jobs/{job_id}/cancel")
        retry(lambda: self.job(job_id)["state"] == "cancelled", 60)

    def test_a_job_that_ends_its_worker_every_time_fails_with_that_reason(self) -> None:
        self.start()
        job_id = self.pack(self.material(4096))
        for death in range(1, 5):
            retry(lambda: self.job(job_id)["state"] == "running" and self.job(job_id)["progress"] > 0, 60)
            os.kill(self.jobs._worker.pid, signal.SIGKILL)
            retry(lambda death=death: Job.get_by_id(job_id).deaths == death, 30)
        row = self.job(job_id)
        self.assertEqual((row["state"], "4 times" in row["message"]), ("failed", True))
        # The next one is done as if nothing had been.
        other = self.pack(self.material(256))
        retry(lambda: self.job(other)["state"] == "done", 60)

    def test_a_queue_that_lost_a_job_gets_it_again(self) -> None:
        self.start()
        self.jobs._command = None
        self.jobs._worker.terminate()
        with limited(10):
            self.jobs._worker.wait(10 * BUSY)
        self.jobs._worker = None
        job_id = self.pack(self.material(256))
        first = self.job(job_id)["attempt"]
        self.jobs._queue.flush()
        # The row says so a moment before it lies in the queue.
        retry(lambda: self.job(job_id)["attempt"] > first and self.jobs._queue.pending_count() > 0, 20)
        self.assertEqual((self.job(job_id)["state"], self.jobs._queue.pending_count()), ("queued", 1))

    def test_an_attempt_that_does_not_count_any_more_is_left_alone(self) -> None:
        queue = open_queue(self.folder / "other")
        queue.put(current("j"), 3)
        with mock.patch.dict("amber_thicket.jobs.tasks._WORK", {"pack": lambda *_: self.fail("it was begun")}):
            run_job(queue, self.folder, "j", 2, {"kind": "pack"})
            run_job(queue, self.folder, "k", 1, {"kind": "pack"})
        self.assertIsNone(queue.get(channel("j", 2, "progress"), peek=True))

    def test_what_there_is_so_far_is_said_again(self) -> None:
        """Only the last report is read: what came right after a picture must not take it away."""
        line = JobLine(open_queue(self.folder, None), "j", 1)
        so_far = StillResult(blob="b", bytes=9, file="swell_still.png", revision=3, paths=32, of=64)
        line.report_so_far(0.5, so_far, message="32 of 64 paths a pixel")
        line.report_progress(0.52, "33 of 64 paths a pixel")
        read = open_queue(self.folder, None).get(channel("j", 1, "progress"), peek=True)
        self.assertEqual(
            (read["state"], read["progress"], read["message"]), ("running", 0.52, "33 of 64 paths a pixel")
        )
        self.assertEqual(read["result"], so_far.model_dump(mode="json"))

    def test_a_job_leaves_nothing_of_its_pictures(self) -> None:
        """What a job kept is gone with it, not whenever the collector of cycles comes: a night of jobs fits a worker."""
        kept: list[weakref.ref[Memory]] = []

        class Watched(Memory):
            def __init__(self, limit: int, **more: Any) -> None:
                super().__init__(limit, **more)
                kept.append(weakref.ref(self))

        self.app = create_app(Config(self.folder, worker=False))
        self.services, self.client = self.app.extensions["thicket"], self.app.test_client()
        self.addCleanup(self.services.close)
        job_id = self.pack(self.material(256))
        with using(self.services.library.database):
            job = Job.get_by_id(job_id)
        gc.disable()
        self.addCleanup(gc.enable)
        with mock.patch("amber_thicket.jobs.tasks.Memory", Watched):
            run_job(self.services.jobs._queue, self.folder, job_id, job.attempt, job.payload)
        self.assertEqual([one() for one in kept], [None])

    def test_a_plan_that_was_looked_at_is_not_planned_again_to_pack_it(self) -> None:
        def refuses(*inputs: Any, **settings: Any) -> Any:
            raise AssertionError("planned anew")

        self.app = create_app(Config(self.folder, worker=False))
        self.services, self.client = self.app.extensions["thicket"], self.app.test_client()
        self.addCleanup(self.services.close)
        material = self.material(256)
        changes = {"tile.join.method": "regrow"}
        path = f"/api/materials/{material['id']}"
        material = self.client.patch(
            f"{path}/recipe", json={"revision": material["revision"], "changes": changes}
        ).get_json()
        shown = f"{path}/picture/base_color.jpg?key={material['keys']['base_color']}"
        self.assertEqual(self.client.get(shown).status_code, 200)
        job_id = self.pack(material)
        with using(self.services.library.database):
            job = Job.get_by_id(job_id)
        refusing = replace(BY_ID["tile.join"], decide=refuses)
        with mock.patch.dict(BY_LAYER, {"joined": refusing}), mock.patch.dict(BY_ID, {"tile.join": refusing}):
            run_job(self.services.jobs._queue, self.folder, job_id, job.attempt, job.payload)
        retry(lambda: self.job(job_id)["state"] in ("done", "failed"))
        self.assertEqual(self.job(job_id)["state"], "done")
        space = self.client.get("/api/space").get_json()
        cached = next(part for part in space["parts"] if part["id"] == "cache")
        self.assertGreater(cached["bytes"], 100_000)

    def test_a_reason_is_one_people_can_act_on(self) -> None:
        folder = Path("/srv/thicket")
        self.assertIn("/srv/thicket is full", _reason(OSError(28, ""), folder, "j"))
        self.assertIn("memory", _reason(MemoryError(), folder, "j"))
        with self.assertLogs("amber_thicket.jobs.tasks", "ERROR") as logged:
            told = _reason(KeyError("x"), folder, "j")
        self.assertIn(told.split("reference ")[1][:8], logged.output[0])

    def test_queue_speaks_json(self) -> None:
        queue = open_queue(self.folder)
        queue.put("k", {"a": 1.5})
        self.assertEqual(queue.get("k"), {"a": 1.5})
        self.assertIsInstance(queue.serializer, JsonSerializer)
        with self.assertRaises(ValueError):
            queue.serializer.deserialize(b"\x80\x04\x95")
