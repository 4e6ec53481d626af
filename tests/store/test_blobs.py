"""Blobs and database: whole or not at all. Both kinds of stores are held to the same."""

import hashlib
import os
import sqlite3
import tempfile
import time
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import boto3

from amber_thicket.errors import BadSetting, DamagedBlob, NotFound, ServiceAway, ThicketError, TooLarge
from amber_thicket.service.backup import back_up, restore
from amber_thicket.store.blobs import Blobs, FolderBlobs, open_blobs
from amber_thicket.store.database import open_database
from amber_thicket.store.s3_blobs import S3Blobs
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.object_store import BUCKET, object_store
from tests.support import encoded, photograph

AMBER = hashlib.sha256(b"amber thicket").hexdigest()


class StoreTest:
    """What every kind of store has to do."""

    folder: Path
    blobs: Blobs

    def spoil(self, name: str, data: bytes) -> None:
        """Other bytes under a name, as a bad disk leaves them."""
        raise NotImplementedError

    def test_named_by_sha256(self) -> None:
        name, length = self.blobs.put([b"amber", b" thicket"])
        self.assertEqual((name, length), (AMBER, 13))
        self.assertEqual(self.blobs.get(name), b"amber thicket")
        self.assertEqual(self.blobs.put([b"amber thicket"])[0], name)
        self.assertEqual(self.blobs.size(name), 13)
        with self.blobs.open(name) as file:
            self.assertEqual((file.read(5), file.read()), (b"amber", b" thicket"))

    def test_nothing_stays_of_what_was_refused(self) -> None:
        def broken():  # type: ignore[no-untyped-def]
            yield b"half"
            raise ConnectionError

        with self.assertRaises(TooLarge):
            self.blobs.put([b"x" * 11], limit=10)
        with self.assertRaises(ConnectionError):
            self.blobs.put(broken())
        self.assertEqual([p for p in self.folder.rglob("*") if p.is_file()], [])
        self.assertEqual(list(self.blobs.listed()), [])

    def test_names_are_those_of_blobs(self) -> None:
        for name in ("../../etc/passwd", "a" * 63, "A" * 64, "", "0" * 64):
            with self.subTest(name=name):
                for ask in (self.blobs.get, self.blobs.open):
                    with self.assertRaises(NotFound):
                        ask(name)
        self.assertEqual(self.blobs.size("0" * 64), 0)
        self.assertFalse(self.blobs.intact("0" * 64))

    def test_what_is_not_what_was_stored_is_never_handed_out(self) -> None:
        self.blobs.put([b"amber thicket"])
        self.spoil(AMBER, b"amber thickex")
        for ask in (self.blobs.get, self.blobs.open):
            with self.assertRaisesRegex(DamagedBlob, AMBER[:12]):
                ask(AMBER)
        self.assertFalse(self.blobs.intact(AMBER))
        self.blobs.set_aside(AMBER)
        self.assertIsNone(self.blobs.kept(AMBER))
        self.blobs.put([b"amber thicket"])
        self.assertEqual(self.blobs.get(AMBER), b"amber thicket")

    def test_listed_with_size_and_time_and_let_go(self) -> None:
        one, other = (self.blobs.put([data])[0] for data in (b"one", b"other!"))
        found = {name: (size, changed) for name, size, changed in self.blobs.listed()}
        self.assertEqual({name: size for name, (size, _) in found.items()}, {one: 3, other: 6})
        self.assertTrue(all(abs(changed - time.time()) < 60 for _, changed in found.values()))
        self.assertEqual(self.blobs.delete(one), 3)
        self.assertEqual(self.blobs.delete(one), 0)
        self.assertEqual([name for name, _, _ in self.blobs.listed()], [other])

    def test_touched_its_day_begins_anew(self) -> None:
        name = self.blobs.put([b"x"])[0]
        before = self.blobs.kept(name).changed  # type: ignore[union-attr]
        time.sleep(1.1)
        self.blobs.touch(name)
        self.assertGreater(self.blobs.kept(name).changed, before)  # type: ignore[union-attr]
        self.assertEqual(self.blobs.get(name), b"x")


class FolderTest(StoreTest, unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.blobs = FolderBlobs(self.folder)

    def spoil(self, name: str, data: bytes) -> None:
        assert isinstance(self.blobs, FolderBlobs)
        self.blobs.path(name).write_bytes(data)


class ObjectStoreTest(StoreTest, unittest.TestCase):
    """Against a simulated store on this machine; see tests/object_store.py."""

    def setUp(self) -> None:
        self.enterContext(object_store())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.blobs = S3Blobs(self.folder, f"s3://{BUCKET}/library/one")

    def spoil(self, name: str, data: bytes) -> None:
        boto3.client("s3").put_object(Bucket=BUCKET, Key=f"library/one/{name}", Body=data)

    def test_objects_lie_under_their_prefix_and_others_are_let_be(self) -> None:
        client = boto3.client("s3")
        client.put_object(Bucket=BUCKET, Key="library/one/readme.txt", Body=b"ours")
        client.put_object(Bucket=BUCKET, Key=f"library/{AMBER}", Body=b"another library")
        self.blobs.put([b"amber thicket"])
        keys = {row["Key"] for row in client.list_objects_v2(Bucket=BUCKET)["Contents"]}
        self.assertIn(f"library/one/{AMBER}", keys)
        self.assertEqual([name for name, _, _ in self.blobs.listed()], [AMBER])

    def test_more_than_a_page_is_listed(self) -> None:
        client = boto3.client("s3")
        for number in range(5):
            client.put_object(Bucket=BUCKET, Key=f"library/one/{number:064x}", Body=b"")
        with mock.patch.object(S3Blobs, "PAGE", 2):
            self.assertEqual(len(list(self.blobs.listed())), 5)

    def test_what_cannot_be_a_store_is_said(self) -> None:
        with self.assertRaises(BadSetting):
            S3Blobs(self.folder, "https://somewhere")
        with self.assertRaisesRegex(ServiceAway, "s3://nowhere"):
            S3Blobs(self.folder, "s3://nowhere")
        nobody = mock.patch.dict(os.environ, {"AWS_ENDPOINT_URL": "http://127.0.0.1:9"})
        with nobody, self.assertRaises(ServiceAway):
            S3Blobs(self.folder, f"s3://{BUCKET}")

    def test_the_folder_remembers_its_store(self) -> None:
        address = f"s3://{BUCKET}/remembered"
        open_blobs(self.folder, address).put([b"amber thicket"])
        again = open_blobs(self.folder)
        self.assertEqual(again.get(AMBER), b"amber thicket")
        with self.assertRaisesRegex(ThicketError, "remembered"):
            open_blobs(self.folder, f"s3://{BUCKET}/another")
        with tempfile.TemporaryDirectory() as other:
            open_blobs(Path(other)).put([b"x"])
            with self.assertRaisesRegex(ThicketError, "in the folder itself"):
                open_blobs(Path(other), address)

    def test_a_library_works_on_it_and_its_backup_is_whole(self) -> None:
        """Import, pack, fetch, back up: the folder holds names and recipes, the store the files."""
        data = self.folder / "data"
        app = create_app(Config(data, worker=False, immediate=True, blobs=f"s3://{BUCKET}/studio"))
        services = app.extensions["thicket"]
        try:
            client, head = app.test_client(), {"Host": "127.0.0.1"}
            material = client.post(
                "/api/materials?file=gravel.png", data=encoded(photograph("gravel")), headers=head
            ).json
            small = {"revision": material["revision"], "changes": {"square.size.width": 256, "square.size.height": 256}}
            edited = client.patch(f"/api/materials/{material['id']}/recipe", json=small, headers=head).json
            job = client.post(
                f"/api/materials/{material['id']}/pack", json={"revision": edited["revision"]}, headers=head
            ).json
            for _ in range(600):
                done = client.get("/api/jobs", headers=head).json[0]
                if done["state"] in ("done", "failed"):
                    break
                time.sleep(0.1)
            self.assertEqual(done["state"], "done", done["message"])
            with client.get(f"/api/jobs/{job['id']}/file", headers=head) as answer:
                (self.folder / "pack.zip").write_bytes(answer.data)
        finally:
            services.close()
        with zipfile.ZipFile(self.folder / "pack.zip") as archive:
            self.assertIn("gravel_base_color.png", archive.namelist())
        self.assertEqual([path for path in (data / "blobs").rglob("*") if path.is_file()], [])
        back_up(data, self.folder / "copy.zip")
        restore(self.folder / "copy.zip", self.folder / "restored")
        stored = FolderBlobs(self.folder / "restored" / "blobs")
        self.assertTrue(stored.intact(hashlib.sha256(encoded(photograph("gravel"))).hexdigest()))


class DatabaseTest(unittest.TestCase):
    def test_a_newer_database_is_left_alone(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            open_database(folder).close()
            with sqlite3.connect(folder / "thicket.sqlite3") as database:
                database.execute("pragma user_version = 999")
            with self.assertRaises(ThicketError):
                open_database(folder)


if __name__ == "__main__":
    unittest.main()
