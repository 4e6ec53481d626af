"""A full disk: looking goes on, changes are refused with what is needed, nothing is lost. On a real file system of 64 MB."""

import os
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from amber_thicket.errors import ServiceAway, WriteFailed
from amber_thicket.store.disk import Disk, disk_trouble
from tests.program import Program, run_command
from tests.support import encoded, photograph, retry

PHOTO = encoded(photograph("gravel"))
SIDE = 64


class SmallDisk:
    """A file system of its own in memory; root may make one, and where that is not allowed the tests are passed over."""

    def __init__(self, test: unittest.TestCase, megabytes: int = SIDE) -> None:
        name = tempfile.mkdtemp()
        self.folder = Path(name)
        done = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m", "tmpfs", name], capture_output=True, check=False
        )
        if done.returncode:
            os.rmdir(name)
            test.skipTest("this machine lets nobody make a small file system")
        test.addCleanup(os.rmdir, name)
        test.addCleanup(subprocess.run, ["umount", "-l", name], check=True)

    @property
    def free(self) -> int:
        found = os.statvfs(self.folder)
        return found.f_bavail * found.f_frsize

    def fill(self, leave: int = 0) -> Path:
        """Take all room but so many bytes; the file that takes it."""
        path = self.folder / f"filler{len(list(self.folder.iterdir()))}"
        with path.open("wb") as file:
            os.posix_fallocate(file.fileno(), 0, max(self.free - leave, 4096))
            try:
                while self.free > leave + 4096:
                    file.seek(0, 2)
                    file.write(b"\0" * min(self.free - leave, 1 << 20))
                    file.flush()
            except OSError:
                pass
        return path


class FullDiskTest(unittest.TestCase):
    def setUp(self) -> None:
        self.disk = SmallDisk(self)
        self.program = Program(self.disk.folder / "library")
        self.addCleanup(self.program.kill)

    def edit(self, material: dict, value: int):  # type: ignore[no-untyped-def, type-arg]
        return self.program.ask(
            f"/api/materials/{material['id']}/recipe",
            data={"revision": material["revision"], "changes": {"tile.join.overlap_x": value}}, method="PATCH",
        )  # fmt: skip

    def test_looking_goes_on_and_changes_wait(self) -> None:
        self.program.start()
        made = self.program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        made = self.program.ask(f"/api/materials/{made['id']}").json
        self.assertTrue((self.disk.folder / "library" / "reserve").exists())
        filler = self.disk.fill()

        # An import says which folder is full, and how much it needs.
        answer = self.program.ask("/api/materials?file=other.png", data=PHOTO + b"more")
        self.assertEqual(answer.status, 507)
        self.assertIn(str(self.disk.folder / "library"), answer.json["title"])
        self.assertGreater(answer.json["needed"], len(PHOTO))

        # The first changes may use the reserve; then they wait, and none is taken back.
        last = made
        for value in range(11, 49):
            found = self.edit(last, value)
            if found.status == 507:
                break
            self.assertEqual(found.status, 200)
            last = found.json
            with filler.open("ab") as file:
                try:
                    file.write(bytes(2_000_000))
                    file.flush()
                except OSError:
                    pass
            self.disk.fill()
        self.assertEqual(found.status, 507)
        self.assertIn("MB are free", found.json["title"])

        # Everything can be looked at.
        at = f"/api/materials/{made['id']}"
        for path in ("/api/materials", at, f"{at}/picture/height.jpg", f"{at}/strip.jpg", f"{at}/checks",
                     "/api/jobs", "/api/space", "/api/surroundings/studio.bin"):  # fmt: skip
            self.assertEqual(self.program.ask(path).status, 200, path)
        self.assertEqual(self.program.ask("/healthz").json["disk"], "full")

        # A pack is refused; no ghost stays.
        packed = self.program.ask(f"{at}/pack", data={"revision": last["revision"]})
        self.assertEqual(packed.status, 507)
        self.assertGreaterEqual(packed.json["needed"], 1_000_000)
        self.assertEqual(self.program.ask("/api/jobs").json, [])

        # With room, everything goes on with what was there.
        for path in self.disk.folder.glob("filler*"):
            path.unlink()
        now = self.program.ask(at).json
        self.assertEqual(now["recipe"], last["recipe"])
        found = self.edit(now, 9)
        self.assertEqual(found.status, 200)
        self.assertEqual(self.program.ask("/api/materials?file=other.png", data=PHOTO).status, 200)
        retry(lambda: (self.disk.folder / "library" / "reserve").exists(), 30)
        self.assertEqual(self.program.end(), 0)
        self.assertEqual(run_command("doctor", "--data", str(self.disk.folder / "library")).returncode, 0)

    def test_room_can_be_made_from_the_page_of_a_full_disk(self) -> None:
        self.program.start()
        made = self.program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        made = self.program.ask(f"/api/materials/{made['id']}").json
        self.program.ask(f"/api/materials/{made['id']}/pack", data={"revision": made["revision"]})
        retry(lambda: self.program.ask("/api/jobs").json[0]["state"] == "done", 60)
        (self.disk.folder / "library" / "reserve").unlink()
        self.disk.fill()
        self.assertEqual(self.edit(made, 9).status, 507)
        answer = self.program.ask("/api/space/results", data={})
        self.assertEqual((answer.status, answer.json["results"]), (200, 1), answer.body)
        self.assertGreater(answer.json["bytes"], 500_000)
        self.assertEqual(self.edit(made, 9).status, 200)

    def test_full_in_the_middle_of_a_pack(self) -> None:
        self.program.start()
        made = self.program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        changes = {"square.size.width": 2048, "square.size.height": 2048, "pack.files.format": "tiff"}
        made = self.program.ask(
            f"/api/materials/{made['id']}/recipe", data={"revision": made["revision"], "changes": changes},
            method="PATCH",
        ).json  # fmt: skip
        self.assertEqual(
            self.program.ask(f"/api/materials/{made['id']}/pack", data={"revision": made["revision"]}).status, 200
        )
        retry(lambda: self.program.ask("/api/jobs").json[0]["state"] == "running", 60)
        self.disk.fill(leave=3_000_000)
        retry(lambda: self.program.ask("/api/jobs").json[0]["state"] in ("failed", "done"), 120)
        row = self.program.ask("/api/jobs").json[0]
        self.assertEqual(row["state"], "failed", row)
        self.assertIn("is full", row["message"])
        incoming = self.disk.folder / "library" / "blobs" / "incoming"
        self.assertEqual(list(incoming.iterdir()), [], "nothing half-written stays")

    def test_start_on_a_full_disk(self) -> None:
        self.program.start()
        made = self.program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        self.assertEqual(self.program.end(), 0)
        filler = self.disk.fill()
        try:
            self.program.start()
            self.assertEqual(self.program.ask(f"/api/materials/{made['id']}").status, 200)
            self.program.end()
        except RuntimeError:
            done = run_command("serve", "--data", str(self.disk.folder / "library"), "--port", "0")
            self.assertEqual((done.returncode, len(done.stderr.strip().splitlines())), (17, 1), done.stderr)
            self.assertIn("full", done.stderr)
        filler.unlink()
        self.program.start()
        self.assertEqual(len(self.program.ask("/api/materials").json), 1)

    def test_a_folder_that_is_read_only(self) -> None:
        self.program.start()
        self.assertEqual(self.program.end(), 0)
        subprocess.run(["mount", "-o", "remount,ro", str(self.disk.folder)], check=True)
        done = run_command("serve", "--data", str(self.disk.folder / "library"), "--port", "0")
        self.assertEqual((done.returncode, len(done.stderr.strip().splitlines())), (12, 1), done.stderr)
        self.assertIn(str(self.disk.folder / "library"), done.stderr)


class TroubleTest(unittest.TestCase):
    def test_what_an_error_says_about_the_disk(self) -> None:
        from peewee import OperationalError

        folder = Path("/srv/thicket")
        for error, kind in (
            (OSError(28, "No space left on device"), WriteFailed),
            (OSError(122, "Disk quota exceeded"), WriteFailed),
            (OSError(30, "Read-only file system"), WriteFailed),
            (OperationalError("database or disk is full"), WriteFailed),
            (OperationalError("attempt to write a readonly database"), WriteFailed),
            (OperationalError("database disk image is malformed"), ServiceAway),
            (OperationalError("database is locked"), ServiceAway),
        ):
            found = disk_trouble(error, folder)
            self.assertIsInstance(found, kind, error)
        self.assertIn("/srv/thicket", disk_trouble(OSError(28, ""), folder, 5_000_000).message)  # type: ignore[union-attr]
        self.assertEqual(disk_trouble(OSError(28, ""), folder, 5_000_000).details["needed"], 5_000_000)  # type: ignore[union-attr]
        for error in (OSError(2, "No such file"), ConnectionResetError(104, ""), OperationalError("no such table: x"), ValueError("full")):  # fmt: skip
            self.assertIsNone(disk_trouble(error, folder), error)

    def test_reserve_is_let_go_only_when_there_is_no_room(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            disk = Disk(Path(name))
            disk.reserve()
            self.assertEqual((Path(name) / "reserve").stat().st_size, Disk.RESERVE)
            disk.hurt()
            self.assertTrue((Path(name) / "reserve").exists(), "there is room: it failed for another reason")
            with mock.patch("amber_thicket.store.disk.free_bytes", return_value=0):
                disk.hurt()
                self.assertFalse((Path(name) / "reserve").exists())
                self.assertTrue(disk.is_full)
                disk.reserve()
                self.assertFalse((Path(name) / "reserve").exists())
            disk.reserve()
            self.assertTrue((Path(name) / "reserve").exists())
            self.assertFalse(disk.is_full)
