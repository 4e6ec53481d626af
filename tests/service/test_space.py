"""Room comes back: what is refused, replaced, too old or deleted does not stay on the disk; what is used does."""

import json
import os
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from amber_thicket.core.recipe import Recipe
from amber_thicket.errors import NotFound, ServiceAway, ThicketError, UnreadableFile
from amber_thicket.service import space
from amber_thicket.service.bake import pack_bytes
from amber_thicket.service.library import Library
from amber_thicket.store.models import Job, Material, Step
from tests.support import encoded, photograph, temporary_library
from tests.web.test_app import PHOTO, AppTest

GRASS = encoded(photograph("grass"))


def files(library: Library) -> list[Path]:
    """Every file of the store."""
    return sorted(path for path in library.blobs.folder.rglob("*") if path.is_file())


def aged(library: Library, days: float) -> None:
    """Makes every blob so many days older."""
    then = time.time() - days * 86_400
    for path in files(library):
        os.utime(path, (then, then))


class SpaceTest(unittest.TestCase):
    def setUp(self) -> None:
        opened = temporary_library()
        self.library = opened.__enter__()
        self.addCleanup(opened.__exit__, None, None, None)

    def names(self) -> set[str]:
        return {path.name for path in files(self.library)}

    def job(
        self, material: Material | None, data: bytes, *, days: float = 0.0, state: str = "done", **more: Any
    ) -> Job:
        blob, length = self.library.blobs.put([data])
        result = {"blob": blob, "bytes": length, "file": "a.zip", "files": []}
        return Job.create(
            kind="pack", material=material, title="Pack", state=state, result=result,
            created=time.time() - days * 86_400, **more,
        )  # fmt: skip

    def test_what_is_refused_leaves_nothing(self) -> None:
        for data, name in (
            (PHOTO[:900], "cut.png"),
            (b"text", "a.png"),
            (encoded(photograph("gravel")[:8]), "low.png"),
        ):
            with self.assertRaises(UnreadableFile):
                self.library.add([data], name)
        material = self.library.add([PHOTO], "gravel.png")
        before = self.names()
        for data in (PHOTO[:900], PHOTO):
            with self.assertRaises(UnreadableFile):
                self.library.add_map(material.id, [data], "more.png")
        with self.assertRaises(NotFound):
            self.library.add_map("nobody", [GRASS], "grass.png")
        self.assertEqual(self.names(), before)

    def test_what_nobody_uses_goes_after_a_day(self) -> None:
        material = self.library.add([PHOTO], "gravel.png")
        self.library.add_map(material.id, [GRASS], "gravel_height.png")
        loose, _ = self.library.blobs.put([b"brought for an audit"])
        old_thumbnail = material.thumbnail
        self.library.keep_thumbnail(material, b"another picture")
        used = self.names() - {loose, old_thumbnail}
        self.assertEqual(space.collect(self.library), (0, 0), "not within the day of grace")
        aged(self.library, 0.9)
        self.assertEqual(space.collect(self.library), (0, 0))
        aged(self.library, 1.1)
        self.library.blobs.touch(loose)
        count, freed = space.collect(self.library)
        self.assertEqual((count, self.names()), (1, used | {loose}))
        self.assertGreater(freed, 1000)
        aged(self.library, 1.1)
        self.assertEqual(space.collect(self.library), (1, len(b"brought for an audit")))
        self.assertEqual(self.names(), used)
        self.library.evaluation(Material.get_by_id(material.id)).layer("base_color", (256, 256))

    def test_what_a_waiting_job_needs_stays(self) -> None:
        blob, _ = self.library.blobs.put([GRASS])
        payload = {"source": {"blob": blob}, "others": {"x": {"source": {"blob": self.library.blobs.put([PHOTO])[0]}}}}
        job = Job.create(kind="pack", title="Pack", payload=payload)
        several = Job.create(kind="pack_several", title="Pack", payload={"several": [payload]})
        aged(self.library, 3)
        self.assertEqual(space.collect(self.library)[0], 0)
        for one in (job, several):
            one.state = "cancelled"
            one.save()
        self.assertEqual(space.collect(self.library)[0], 2)

    def test_results_are_kept_by_days_and_by_bytes(self) -> None:
        jobs = [self.job(None, bytes([n]) * 1000, days=n * 10) for n in range(5)]
        self.assertEqual(space.let_results_go(self.library, days=25, most_bytes=10**9), 2)
        kept = [Job.get_by_id(job.id).result.get("expired", False) for job in jobs]
        self.assertEqual(kept, [False, False, False, True, True])
        self.assertEqual(space.let_results_go(self.library, days=25, most_bytes=2000), 1, "the oldest goes first")
        aged(self.library, 2)
        self.assertEqual(space.collect(self.library), (3, 3000))
        self.assertEqual(space.delete_results(self.library), (2, 2000))
        self.assertEqual(self.names(), set())

    def test_nothing_is_deleted_while_a_copy_is_taken(self) -> None:
        self.library.blobs.put([b"loose"])
        aged(self.library, 2)
        material = self.library.add([PHOTO], "gravel.png")
        self.library.archive(material.id, True)
        with space.copying(self.library.blobs.folder.parent):
            self.assertEqual(space.collect(self.library), (0, 0))
            with self.assertRaises(ServiceAway):
                space.delete_for_good(self.library, material.id)
            with self.assertRaises(ServiceAway):
                space.delete_results(self.library)
        self.assertEqual(space.collect(self.library)[0], 1)

    def test_deleted_for_good_with_all_that_is_its_own(self) -> None:
        mine = self.library.add([PHOTO], "gravel.png")
        shared = self.library.add([GRASS], "grass.png")
        self.library.add_map(mine.id, [GRASS], "gravel_height.png")
        self.job(mine, b"a pack of it" * 100)
        with self.assertRaises(ThicketError) as refused:
            space.delete_for_good(self.library, mine.id)
        self.assertIn("aside", refused.exception.remedy)
        self.library.archive(mine.id, True)
        told = space.deletion(self.library, mine.id)
        own = len(PHOTO) + 1200 + self.library.blobs.size(str(mine.thumbnail))
        self.assertEqual((told["name"], told["bytes"], told["files"], told["laid_over"]), ("gravel", own, 3, []))
        waiting = self.job(mine, b"x", state="running")
        with self.assertRaises(ThicketError):
            space.delete_for_good(self.library, mine.id)
        waiting.delete_instance()
        self.library.blobs.delete(waiting.result["blob"])
        self.assertEqual(space.delete_for_good(self.library, mine.id), own)
        self.assertEqual(self.names(), {shared.source["blob"], shared.thumbnail})
        self.assertEqual((Job.select().count(), Step.select().count()), (0, 1))
        with self.assertRaises(NotFound):
            self.library.get(mine.id)

    def test_says_where_it_lies_over_another(self) -> None:
        moss = self.library.add([GRASS], "moss.png")
        under = self.library.add([PHOTO], "gravel.png")
        with mock.patch.object(self.library, "laid_over", lambda other: {moss.id: {}} if other.id == under.id else {}):
            self.assertEqual(space.deletion(self.library, moss.id)["laid_over"], ["gravel"])

    def test_every_byte_is_in_one_part(self) -> None:
        material = self.library.add([PHOTO], "gravel.png")
        self.job(material, b"packed" * 50)
        self.library.blobs.put([b"loose"])
        told = space.space(self.library)
        parts = {part["id"]: (part["files"], part["bytes"]) for part in told["parts"]}
        thumbnail = self.library.blobs.size(str(material.thumbnail))
        self.assertEqual(
            {id: parts[id] for id in ("captures", "packs", "thumbnails", "unused")},
            {"captures": (1, len(PHOTO)), "packs": (1, 300), "thumbnails": (1, thumbnail), "unused": (1, 5)},
        )
        stored = sum(path.stat().st_size for path in files(self.library))
        self.assertEqual(sum(parts[id][1] for id in ("captures", "packs", "thumbnails", "unused")), stored)
        (row,) = told["materials"]
        history = len(json.dumps(Step.get().recipe))
        self.assertEqual(row["bytes"], len(PHOTO) + thumbnail + history)
        self.assertEqual(row["alone"] - row["bytes"], 300, "its pack comes back with it")

    def test_what_a_pack_takes(self) -> None:
        # Five files of 1024² px: colour 3 × 8 bit, height 16, normal 3 × 8, roughness 8, occlusion 8; six tenths of it.
        recipe = Recipe().with_changes({"square.size.width": 1024, "square.size.height": 1024})
        self.assertAlmostEqual(pack_bytes(recipe, "a"), (3 + 2 + 3 + 1 + 1) * 0.6 * 1024**2, delta=1)
        packed = recipe.with_changes({"pack.files.profile": "mask_packed"})
        self.assertGreater(pack_bytes(packed, "a"), 8 * 0.6 * 1024**2)
        larger = recipe.with_changes({"square.size.width": 2048})
        self.assertAlmostEqual(pack_bytes(larger, "a"), 2 * pack_bytes(recipe, "a"), delta=2)

    def test_leftovers_are_swept(self) -> None:
        incoming = self.library.blobs.folder / "incoming"
        for name, age in (("new", 0), ("old", 7200)):
            (incoming / name).write_bytes(b"half")
            os.utime(incoming / name, (time.time() - age,) * 2)
        self.assertEqual(self.library.blobs.sweep(3600), 1)
        self.assertEqual([path.name for path in incoming.iterdir()], ["new"])
        self.assertEqual(self.library.blobs.sweep(), 1)


class SpaceRoutesTest(AppTest):
    def test_a_material_is_deleted_over_the_wire(self) -> None:
        material = self.imported()
        at = f"/api/materials/{material['id']}"
        self.assertEqual(self.client.delete(at).status_code, 400)
        self.client.post(f"{at}/archive", json={})
        told = self.client.get(f"{at}/deletion").get_json()
        self.assertEqual(self.client.delete(at).get_json(), {"bytes": told["bytes"]})
        self.assertEqual(self.client.get(at).status_code, 404)
        self.assertEqual(self.client.get("/api/space").get_json()["materials"], [])

    def test_an_old_pack_says_so(self) -> None:
        library = self.services.library
        with library.database.connection_context():
            blob, _ = library.blobs.put([b"zip"])
            job = Job.create(
                kind="pack", title="Pack", state="done", result={"blob": blob, "file": "a.zip", "bytes": 3, "files": []}
            )
        self.assertEqual(self.client.get(f"/api/jobs/{job.id}/file").data, b"zip")
        self.assertEqual(self.client.post("/api/space/results").get_json(), {"results": 1, "bytes": 3})
        answer = self.client.get(f"/api/jobs/{job.id}/file")
        self.assertEqual((answer.status_code, "Pack again" in answer.text), (404, True))

    def test_what_is_no_picture_is_not_kept_for_an_audit(self) -> None:
        for name, data in (("a.txt", b"words"), ("empty.zip", b"PK\5\6" + bytes(18))):
            self.assertEqual(self.client.post(f"/api/audit/files?file={name}", data=data).status_code, 415)
        self.assertEqual([path for path in self.services.library.blobs.folder.rglob("*") if path.is_file()], [])

    def test_it_is_cleaned_by_itself(self) -> None:
        library = self.services.library
        with library.database.connection_context():
            job = Job.create(
                kind="pack", title="Pack", state="done", created=time.time() - 31 * 86_400,
                result={"blob": library.blobs.put([b"zip"])[0], "file": "a.zip", "bytes": 3, "files": []},
            )  # fmt: skip
            fresh = Job.create(
                kind="pack",
                title="Pack",
                state="done",
                result={"blob": library.blobs.put([b"new"])[0], "file": "b.zip", "bytes": 3, "files": []},
            )
        aged(library, 2)
        self.services.housekeeping.clean()
        self.assertEqual([path.read_bytes() for path in files(library)], [b"new"])
        self.assertEqual(self.client.get(f"/api/jobs/{job.id}/file").status_code, 404)
        self.assertEqual(self.client.get(f"/api/jobs/{fresh.id}/file").data, b"new")

    def test_leftovers_go_at_the_start(self) -> None:
        from amber_thicket.web.app import create_app

        self.services.close()
        left = self.services.library.blobs.folder / "incoming" / "half"
        left.write_bytes(b"x")
        again = create_app(self.services.config)
        self.addCleanup(again.extensions["thicket"].close)
        self.assertFalse(left.exists())
