"""Two applications in one process, each with a library of its own."""

import tempfile
import threading
import unittest
from pathlib import Path

from amber_thicket.store.models import Job, Material, using
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import encoded, photograph, retry

FILES = {name: encoded(photograph(name)) for name in ("gravel", "grass")}


class TwoTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.apps = {}
        for name in FILES:
            config = Config(Path(folder.name) / name, worker=False, memory=200_000_000, port=len(self.apps) + 1)
            self.apps[name] = create_app(config)
            self.addCleanup(self.apps[name].extensions["thicket"].close)

    def test_each_sees_its_own(self) -> None:
        def work(name: str) -> None:
            client = self.apps[name].test_client()
            for number in range(4):
                client.post(f"/api/materials?file={name}{number}.png", data=FILES[name] + b"%d" % number)

        threads = [threading.Thread(target=work, args=(name,)) for name in FILES]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        for name, app in self.apps.items():
            rows = app.test_client().get("/api/materials").get_json()
            self.assertEqual(sorted(row["name"] for row in rows), [f"{name}{number}" for number in range(4)])
            picture = app.test_client().get(f"/api/materials/{rows[0]['id']}/picture/base_color.jpg")
            self.assertEqual(picture.status_code, 200)

    def test_jobs_go_into_their_own_library(self) -> None:
        for name, app in self.apps.items():
            client = app.test_client()
            made = client.post(f"/api/materials?file={name}.png", data=FILES[name]).get_json()
            client.post(f"/api/materials/{made['id']}/pack", json={"revision": made["revision"]})
        for name, app in self.apps.items():
            services = app.extensions["thicket"]
            with using(services.library.database):
                self.assertEqual([job.title for job in Job.select()], [f"Pack {name}"])
                self.assertEqual([row.name for row in Material.select()], [name])
                job = Job.get()
            # The thread that follows jobs works on its own library too.
            services.jobs._queue.put(f"progress:{job.id}:{job.attempt}", {"state": "failed", "message": name})

            def failed(services=services, job=job) -> bool:  # type: ignore[no-untyped-def]
                with using(services.library.database):
                    return bool(Job.get_by_id(job.id).state == "failed")

            retry(failed, 10)

    def test_an_error_leaves_the_context_as_it_was(self) -> None:
        one, other = (app.extensions["thicket"].library.database for app in self.apps.values())
        with using(one):
            with self.assertRaises(ZeroDivisionError), using(other):
                1 / 0  # noqa: B018
            self.assertIs(Material._meta.database.obj, one)
