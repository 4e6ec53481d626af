"""Many materials packed as one job."""

from __future__ import annotations

import io
import json
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import numpy as np

from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import encoded

HEAD = {"Host": "127.0.0.1:8760", "Origin": "http://127.0.0.1:8760"}


class Together(unittest.TestCase):
    def test_three_materials_in_one_zip_and_one_that_cannot_is_named(self) -> None:
        rng = np.random.default_rng(1)
        with tempfile.TemporaryDirectory() as folder:
            app = create_app(Config(Path(folder), worker=False, immediate=True))
            self.addCleanup(app.extensions["thicket"].close)
            client = app.test_client()
            ids = []
            for _ in range(3):
                data = encoded(rng.integers(40, 200, (256, 256, 3), dtype=np.uint8))
                ids.append(client.post("/api/materials?file=loam.png", data=data, headers=HEAD).json["id"])
            # The capture of the last one is gone from the disk.
            library = app.extensions["thicket"].library
            library.blobs.path(library.get(ids[2]).source["blob"]).unlink()
            job = client.post("/api/pack", json={"materials": [*ids, ids[0]]}, headers=HEAD).json
            self.assertEqual(job["title"], "Pack 3 materials")
            for _ in range(600):
                done = next(j for j in client.get("/api/jobs", headers=HEAD).json if j["id"] == job["id"])
                if done["state"] in ("done", "failed"):
                    break
                time.sleep(0.1)
            self.assertEqual(done["state"], "done", done["message"])
            self.assertEqual([row["name"] for row in done["result"]["failed"]], ["loam"])
            data = client.get(f"/api/jobs/{job['id']}/file", headers=HEAD).data
            archive = zipfile.ZipFile(io.BytesIO(data))
            self.assertEqual({name.split("/")[0] for name in archive.namelist()}, {"loam", "loam_2"})
            manifest = json.loads(archive.read("loam_2/loam_manifest.json"))
            self.assertEqual(
                {f"loam_2/{row['file']}" for row in manifest["files"]} | {"loam_2/loam_manifest.json"},
                {n for n in archive.namelist() if n.startswith("loam_2")},
            )
            self.assertEqual(client.post("/api/pack", json={"materials": []}, headers=HEAD).status_code, 422)
            self.assertEqual(client.post("/api/pack", json={"materials": ["nowhere"]}, headers=HEAD).status_code, 404)


if __name__ == "__main__":
    unittest.main()
