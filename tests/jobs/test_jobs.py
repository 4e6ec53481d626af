"""Jobs: a pack from start to finish, cancel, and a worker that is killed in the middle."""

import io
import json
import os
import signal
import tempfile
import unittest
import zipfile
from pathlib import Path

import imagecodecs
import numpy as np

from amber_thicket.jobs.queue import JsonSerializer, open_queue
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import encoded, photograph, retry


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

    def test_queue_speaks_json(self) -> None:
        queue = open_queue(self.folder)
        queue.put("k", {"a": 1.5})
        self.assertEqual(queue.get("k"), {"a": 1.5})
        self.assertIsInstance(queue.serializer, JsonSerializer)
        with self.assertRaises(ValueError):
            queue.serializer.deserialize(b"\x80\x04\x95")
