"""Backup, restore, doctor: a library in one file, taken while it works, and back; what is damaged is named and mended."""

import json
import shutil
import sqlite3
import tempfile
import threading
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from amber_thicket.errors import BadRecipe, FolderTrouble, ThicketError, UnreadableFile, WriteFailed
from amber_thicket.service.backup import back_up, restore
from amber_thicket.service.doctor import Diagnosis, examine
from amber_thicket.store import trouble
from amber_thicket.store.blobs import FolderBlobs
from amber_thicket.store.database import open_database
from amber_thicket.store.lock import FolderLock
from amber_thicket.store.models import Job, Material, Step
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.program import run_command
from tests.support import encoded, photograph

PHOTO = encoded(photograph("gravel"))


class FolderTest(unittest.TestCase):
    """A library with one material, closed."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.room = Path(folder.name)
        self.folder = self.room / "library"
        self.app = create_app(Config(self.folder, worker=False, memory=200_000_000))
        self.client = self.app.test_client()
        self.material = self.client.post("/api/materials?file=gravel.png", data=PHOTO).get_json()
        self.addCleanup(self.close)

    def close(self) -> None:
        self.app.extensions["thicket"].close()

    def edit(self, value: float) -> int:
        answer = self.client.patch(
            f"/api/materials/{self.material['id']}/recipe",
            json={"revision": self.material["revision"], "changes": {"tile.join.overlap_x": value}},
        )
        self.material = answer.get_json()
        return answer.status_code

    def blob(self) -> Path:
        return next(path for path in (self.folder / "blobs").rglob("*") if path.is_file() and path.stat().st_size == len(PHOTO))  # fmt: skip

    def bad(self, findings: list[Diagnosis]) -> list[str]:
        return [finding.what for finding in findings if finding.level == "damaged" and not finding.mended]


class BackupTest(FolderTest):
    def test_taken_during_edits_and_opened_elsewhere(self) -> None:
        stop = threading.Event()
        edits: list[int] = []
        packs: list[int] = []

        def work() -> None:
            value = 10.0
            while not stop.is_set():
                edits.append(self.edit(value))
                self.client.post(f"/api/materials?file=gravel{len(edits)}.png", data=PHOTO + b"%d" % len(edits))
                packed = self.client.post(
                    f"/api/materials/{self.material['id']}/pack", json={"revision": self.material["revision"]}
                )
                packs.append(packed.status_code)
                value = 10 + (value - 9) % 40

        working = threading.Thread(target=work)
        working.start()
        try:
            manifests = [back_up(self.folder, self.room / f"{n}.backup") for n in range(3)]
        finally:
            stop.set()
            working.join()
        self.assertEqual((set(edits), set(packs)), ({200}, {200}))
        self.close()
        for number, manifest in enumerate(manifests):
            target = self.room / f"restored{number}"
            self.assertEqual(manifest["left_out"], [])
            self.assertEqual(restore(self.room / f"{number}.backup", target), manifest)
            self.assertEqual(self.bad(examine(target)), [])
            again = create_app(Config(target, worker=False, memory=200_000_000))
            client = again.test_client()
            rows = client.get("/api/materials").get_json()
            for row in rows:
                self.assertEqual(client.get(f"/api/materials/{row['id']}").status_code, 200)
            picture = client.get(f"/api/materials/{rows[0]['id']}/picture/base_color.jpg")
            self.assertEqual(picture.status_code, 200)
            again.extensions["thicket"].close()

    def test_a_plain_zip_with_hashes(self) -> None:
        back_up(self.folder, self.room / "a.backup")
        with zipfile.ZipFile(self.room / "a.backup") as archive:
            names = archive.namelist()
            self.assertEqual(names[:2], ["manifest.json", "thicket.sqlite3"])
            self.assertEqual({info.compress_type for info in archive.infolist()}, {zipfile.ZIP_STORED})
            self.assertEqual(json.loads(archive.read("manifest.json"))["files"], len(names) - 2)
            blob = self.blob().name
            self.assertEqual(archive.read(f"blobs/{blob[:2]}/{blob}"), PHOTO)

    def test_what_is_damaged_is_left_out_and_named(self) -> None:
        path = self.blob()
        path.write_bytes(PHOTO[:-1] + b"x")
        manifest = back_up(self.folder, self.room / "a.backup")
        self.assertEqual(manifest["left_out"], [{"blob": path.name, "used_by": [self.material["id"]]}])

    def test_refused_restores_leave_nothing(self) -> None:
        back_up(self.folder, self.room / "a.backup")
        target = self.room / "new"
        with self.assertRaises(ThicketError):
            restore(self.room / "a.backup", self.folder)
        data = bytearray((self.room / "a.backup").read_bytes())
        at = data.index(PHOTO[200:260])
        data[at] ^= 255
        (self.room / "bad.backup").write_bytes(data)
        (self.room / "text.backup").write_text("no zip")
        with zipfile.ZipFile(self.room / "other.backup", "w") as archive:
            archive.writestr("a.txt", "x")
        for name in ("bad", "text", "other"):
            with self.assertRaises(UnreadableFile):
                restore(self.room / f"{name}.backup", target)
            self.assertEqual([p.name for p in self.room.iterdir() if p.name.startswith("new")], [])

    def test_of_a_newer_release_or_with_foreign_paths(self) -> None:
        manifest = back_up(self.folder, self.room / "a.backup")
        for change, more, kind in (
            ({"version": 2}, "", BadRecipe),
            ({"schema": 99}, "", BadRecipe),
            ({"format": "x"}, "", UnreadableFile),
            ({}, "../../up", UnreadableFile),
            ({}, "blobs/aa/" + "b" * 64, UnreadableFile),
        ):
            with zipfile.ZipFile(self.room / "b.backup", "w") as archive:
                archive.writestr("manifest.json", json.dumps({**manifest, **change}))
                if more:
                    archive.writestr(more, "x")
            with self.assertRaises(kind):
                restore(self.room / "b.backup", self.room / "new")
        self.assertFalse((self.room.parent / "up").exists())

    def test_no_room_is_said_before_anything_is_written(self) -> None:
        back_up(self.folder, self.room / "a.backup")
        with (
            mock.patch("amber_thicket.service.backup.free_bytes", return_value=10),
            self.assertRaises(WriteFailed),
        ):
            restore(self.room / "a.backup", self.room / "new")
        self.assertFalse((self.room / "new").exists())

    def test_by_the_command_line(self) -> None:
        data = ("--data", str(self.folder))
        self.assertEqual(run_command("backup", str(self.room / "a.backup"), *data).returncode, 0)
        target = ("--data", str(self.room / "new"))
        self.assertEqual(run_command("restore", str(self.room / "a.backup"), *target).returncode, 0)
        done = run_command("doctor", *target)
        self.assertEqual(done.returncode, 0, done.stdout)
        self.assertIn("1 recipes open", done.stdout)
        self.assertIn("Captures and maps", run_command("space", *target).stdout)
        self.assertEqual(run_command("restore", str(self.room / "a.backup"), *target).returncode, 2)
        token = run_command("token", "add", "Ada", *target)
        self.assertEqual((token.returncode, len(token.stdout.strip())), (0, 32))
        self.assertIn("Ada", run_command("token", "list", *target).stdout)
        self.assertEqual(run_command("token", "revoke", "Ada", *target).returncode, 0)
        self.assertEqual(run_command("token", "list", *target).stdout, "")


class DamageTest(FolderTest):
    def serve(self, folder: Path) -> tuple[int, str]:
        done = run_command("serve", "--data", str(folder), "--port", "0", "--no-worker")
        self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
        self.assertEqual(done.stdout, "")
        return done.returncode, done.stderr

    def copy(self, name: str) -> Path:
        self.close()
        return Path(shutil.copytree(self.folder, self.room / name))

    def test_each_damage_has_a_line_and_a_code_of_its_own(self) -> None:
        """Never a silent empty library."""
        seen = {}
        broken = self.copy("broken")
        data = bytearray((broken / "thicket.sqlite3").read_bytes())
        data[4096:12288] = b"\xaa" * 8192
        (broken / "thicket.sqlite3").write_bytes(data)
        seen["broken"] = self.serve(broken)
        cut = self.copy("cut")
        (cut / "thicket.sqlite3").write_bytes((self.folder / "thicket.sqlite3").read_bytes()[:9000])
        seen["cut"] = self.serve(cut)
        empty = self.copy("empty")
        (empty / "thicket.sqlite3").write_bytes(b"")
        seen["empty"] = self.serve(empty)
        text = self.copy("text")
        (text / "thicket.sqlite3").write_text("no database")
        seen["text"] = self.serve(text)
        queue = self.copy("queue")
        (queue / "queue.sqlite3").write_bytes(b"no queue" * 1000)
        seen["queue"] = self.serve(queue)
        file = self.room / "file"
        file.write_text("x")
        seen["file"] = self.serve(file)
        missing = self.copy("missing")
        (missing / "thicket.sqlite3").unlink()
        seen["missing"] = self.serve(missing)
        newer = self.copy("newer")
        with sqlite3.connect(newer / "thicket.sqlite3") as opened:
            opened.execute("pragma user_version=99")
        opened.close()
        seen["newer"] = self.serve(newer)
        codes = {name: code for name, (code, _) in seen.items()}
        self.assertEqual(
            codes,
            {"broken": 10, "cut": 10, "empty": 10, "text": 10, "queue": 11, "file": 13, "missing": 14, "newer": 15},
        )
        for name, words in (
            ("broken", "doctor"),
            ("queue", "no job is lost"),
            ("missing", "backup"),
            ("newer", "newer"),
        ):
            self.assertIn(words, seen[name][1])

    def test_a_folder_that_cannot_be_written(self) -> None:
        self.close()
        with (
            mock.patch("amber_thicket.store.database.os.access", return_value=False),
            self.assertRaises(FolderTrouble) as refused,
        ):
            open_database(self.folder)
        self.assertEqual(refused.exception.exit_code, trouble.UNWRITABLE)

    def test_a_damaged_blob_is_named_and_the_rest_goes_on(self) -> None:
        other = self.client.post("/api/materials?file=other.png", data=PHOTO + b"x").get_json()
        self.close()
        self.blob().write_bytes(PHOTO[:-1] + b"y")
        again = create_app(Config(self.folder, worker=False, memory=200_000_000))
        self.addCleanup(again.extensions["thicket"].close)
        client = again.test_client()
        answer = client.get(f"/api/materials/{self.material['id']}/picture/base_color.jpg")
        self.assertEqual(answer.status_code, 410)
        name = self.blob().name
        self.assertEqual((answer.get_json()["blob"], name[:12] in answer.get_json()["title"]), (name, True))
        self.assertEqual(client.get(f"/api/materials/{self.material['id']}").status_code, 200)
        self.assertEqual(client.get(f"/api/materials/{other['id']}/picture/base_color.jpg").status_code, 200)
        # Brought in once more, it is whole again.
        client.post("/api/materials?file=gravel.png", data=PHOTO)
        answer = client.get(f"/api/materials/{self.material['id']}/picture/base_color.jpg")
        self.assertEqual(answer.status_code, 200)

    def test_a_blob_is_hashed_once(self) -> None:
        blobs = FolderBlobs(self.folder / "blobs")
        name = self.blob().name
        blobs.get(name)
        with mock.patch("amber_thicket.store.blobs.hashlib.sha256", side_effect=AssertionError):
            blobs.get(name)


class DoctorTest(FolderTest):
    def test_finds_and_mends(self) -> None:
        self.edit(30)
        self.edit(31)
        thumbnail = self.app.extensions["thicket"].library.blobs
        self.close()
        self.assertEqual(self.bad(examine(self.folder)), [])
        database = open_database(self.folder)
        with database.connection_context():
            material = Material.get()
            Step.update(recipe={"version": 99}).where(Step.id == material.head).execute()
            Job.create(kind="pack", title="Pack of old", state="running", created=1.0)
        database.close()
        (self.folder / "queue.sqlite3").write_bytes(b"x" * 5000)
        path = self.blob()
        path.write_bytes(b"other")
        found = examine(self.folder)
        told = " ".join(self.bad(found))
        for words in ("queue", path.name[:12], "gravel cannot be opened"):
            self.assertIn(words, told)
        self.assertTrue(any(f.level == "attention" and "Pack of old" in f.what for f in found))
        mended = examine(self.folder, repair=True)
        self.assertEqual(sum(finding.mended for finding in mended), 2)
        self.assertTrue((self.folder / "blobs" / "damaged" / path.name).exists(), "nothing is thrown away")
        self.assertTrue(list(self.folder.glob("queue.sqlite3.damaged-*")))
        left = self.bad(examine(self.folder))
        self.assertEqual(len(left), 1)
        self.assertIn("missing", left[0])
        thumbnail.put([PHOTO])
        self.assertEqual(self.bad(examine(self.folder)), [])
        database = open_database(self.folder)
        with database.connection_context():
            self.assertEqual(Step.get_by_id(Material.get().head).recipe["operations"]["tile.join"]["overlap_x"], 30)
        database.close()

    def test_saves_what_a_broken_database_still_holds(self) -> None:
        for value in range(11, 40):
            self.edit(value)
        self.close()
        file = self.folder / "thicket.sqlite3"
        with sqlite3.connect(file) as opened:
            opened.execute("pragma wal_checkpoint(truncate)")
            page = opened.execute("select rootpage from sqlite_master where name='job'").fetchone()[0]
        opened.close()
        data = bytearray(file.read_bytes())
        data[(page - 1) * 4096 : page * 4096] = b"\xaa" * 4096
        file.write_bytes(data)
        self.assertTrue(self.bad(examine(self.folder)))
        self.assertTrue(any(finding.mended for finding in examine(self.folder, repair=True)))
        self.assertEqual(self.bad(examine(self.folder)), [])
        self.assertEqual(len(list(self.folder.glob("thicket.sqlite3.damaged-*"))), 1)
        again = create_app(Config(self.folder, worker=False, memory=200_000_000))
        self.addCleanup(again.extensions["thicket"].close)
        row = again.test_client().get(f"/api/materials/{self.material['id']}").get_json()
        self.assertEqual(row["recipe"], self.material["recipe"])

    def test_mends_nothing_while_a_server_has_the_folder(self) -> None:
        with self.assertRaises(FolderTrouble) as refused:
            examine(self.folder, repair=True)
        self.assertEqual(refused.exception.exit_code, trouble.HELD)
        self.close()
        with FolderLock(self.folder).acquire("test"), self.assertRaises(FolderTrouble):
            examine(self.folder, repair=True)
