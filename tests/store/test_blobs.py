"""Blobs and database: whole or not at all."""

import hashlib
import sqlite3
import tempfile
import unittest
from pathlib import Path

from amber_thicket.errors import NotFound, ThicketError, TooLarge
from amber_thicket.store.blobs import Blobs
from amber_thicket.store.database import open_database


class BlobTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.blobs = Blobs(self.folder)

    def test_named_by_sha256(self) -> None:
        name, length = self.blobs.put([b"amber", b" thicket"])
        self.assertEqual((name, length), (hashlib.sha256(b"amber thicket").hexdigest(), 13))
        self.assertEqual(self.blobs.get(name), b"amber thicket")
        self.assertEqual(self.blobs.put([b"amber thicket"])[0], name)

    def test_nothing_stays_of_what_was_refused(self) -> None:
        def broken():  # type: ignore[no-untyped-def]
            yield b"half"
            raise ConnectionError

        with self.assertRaises(TooLarge):
            self.blobs.put([b"x" * 11], limit=10)
        with self.assertRaises(ConnectionError):
            self.blobs.put(broken())
        self.assertEqual([p for p in self.folder.rglob("*") if p.is_file()], [])

    def test_names_cannot_leave_the_folder(self) -> None:
        for name in ("../../etc/passwd", "a" * 63, "A" * 64, "", "0" * 64):
            with self.subTest(name=name), self.assertRaises(NotFound):
                self.blobs.get(name)

    def test_a_newer_database_is_left_alone(self) -> None:
        open_database(self.folder).close()
        with sqlite3.connect(self.folder / "thicket.sqlite3") as database:
            database.execute("pragma user_version = 999")
        with self.assertRaises(ThicketError):
            open_database(self.folder)
