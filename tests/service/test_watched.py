"""A watched folder: nothing is taken before it stands still, everything once, and what goes together together."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path

import numpy as np

from amber_thicket.errors import ThicketError
from amber_thicket.service.watched import STILL_SECONDS, WatchedFolder, describe_error, import_group
from amber_thicket.store import cards
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import encoded, photograph, retry, temporary_library

GRAVEL = encoded(photograph("gravel")[:128, :128])
GRASS = encoded(photograph("grass")[:128, :128])


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


class Drops(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder, self.kept = Path(held.name) / "drop", Path(held.name) / "watched.json"
        self.folder.mkdir()
        self.clock = Clock()
        self.watched = WatchedFolder(self.folder, self.kept, self.clock)

    def names(self, watched: WatchedFolder | None = None) -> list[list[str]]:
        return [[path.name for path in drop.files] for drop in (watched or self.watched).ready_groups()]

    def later(self, seconds: float) -> list[list[str]]:
        self.clock.now += seconds
        return self.names()

    def test_nothing_is_taken_that_still_grows(self) -> None:
        wall = self.folder / "wall.png"
        wall.write_bytes(GRAVEL[:50])
        self.assertEqual(self.names(), [])
        self.assertEqual(self.later(STILL_SECONDS - 0.1), [])
        wall.write_bytes(GRAVEL)
        self.assertEqual(self.later(0.2), [])
        self.assertEqual(self.later(STILL_SECONDS - 0.1), [])
        # Another one beside it that grows keeps both back: they may be one surface.
        (self.folder / "wall_normal.png").write_bytes(GRASS[:90])
        self.assertEqual(self.later(0.2), [])
        (self.folder / "wall_normal.png").write_bytes(GRASS)
        self.assertEqual(self.later(STILL_SECONDS), [])
        self.assertEqual(self.later(STILL_SECONDS), [["wall.png", "wall_normal.png"]])

    def test_everything_is_taken_once_also_after_a_restart(self) -> None:
        for name in ("a.png", "b.png", ".hidden.png", "c.png.part", "notes.txt"):
            (self.folder / name).write_bytes(GRAVEL if ".png" in name else b"words")
        (self.folder / "empty.png").write_bytes(b"")
        self.names()
        self.assertEqual(self.later(STILL_SECONDS), [["a.png"], ["b.png"]])
        first, second = self.watched.ready_groups()
        self.watched.done(first, 1)
        self.watched.done(second, 0, "It is torn.")
        self.assertEqual(self.later(STILL_SECONDS), [])
        again = WatchedFolder(self.folder, self.kept, self.clock)
        self.names(again)
        self.clock.now += STILL_SECONDS
        self.assertEqual(self.names(again), [])
        self.assertEqual((again.taken, again.refused), (1, [{"files": "b.png", "why": "It is torn."}]))
        # What was changed is another file.
        (self.folder / "b.png").write_bytes(GRASS)
        self.names(again)
        self.clock.now += STILL_SECONDS
        self.assertEqual(self.names(again), [["b.png"]])
        # Nothing there was touched.
        self.assertEqual(len(os.listdir(self.folder)), 6)

    def test_folders_in_it_are_seen_as_what_they_hold(self) -> None:
        inside = self.folder / "evening"
        inside.mkdir()
        for name in ("IMG_1.png", "IMG_2.png"):
            (inside / name).write_bytes(GRAVEL if name.endswith("1.png") else GRASS)
        self.names()
        self.clock.now += STILL_SECONDS
        (drop,) = self.watched.ready_groups()
        self.assertEqual([path.name for path in drop.files], ["IMG_1.png", "IMG_2.png"])
        with temporary_library() as library:
            # Two surfaces, as the pictures show.
            made = import_group(library, drop)
            self.assertEqual(sorted(material.name for material in made), ["IMG 1", "IMG 2"])

    def test_what_cannot_be_read_is_told(self) -> None:
        (self.folder / "torn.png").write_bytes(GRAVEL[:200])
        self.names()
        self.clock.now += STILL_SECONDS
        (drop,) = self.watched.ready_groups()
        with temporary_library() as library:
            with self.assertRaises(ThicketError) as refused:
                import_group(library, drop)
            self.assertIn("torn.png", describe_error(refused.exception))
            self.assertEqual(cards.count(library.database, cards.LibraryQuery()), 0)


class Server(unittest.TestCase):
    def test_what_is_dropped_comes_into_the_library_and_is_packed(self) -> None:
        held = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(held.cleanup)
        drop = Path(held.name) / "drop"
        drop.mkdir()
        config = Config(
            Path(held.name) / "data", worker=False, immediate=True, memory=400_000_000, watch=drop, watch_batch=True
        )
        app = create_app(config)
        services = app.extensions["thicket"]
        self.addCleanup(services.close)
        client = app.test_client()
        small = encoded(np.ascontiguousarray(photograph("gravel")[:96, :96]))
        (drop / "quay.png").write_bytes(small)
        (drop / "torn.png").write_bytes(small[:300])
        retry(lambda: client.get("/api/library").get_json()["total"] == 1, 30)
        retry(lambda: len(client.get("/api/watched").get_json()["refused"]) == 1, 30)
        told = client.get("/api/watched").get_json()
        self.assertEqual((told["folder"], told["taken"]), (str(drop), 1))
        self.assertEqual(told["refused"][0]["files"], "torn.png")
        retry(lambda: client.get("/api/library").get_json()["cards"][0]["state"] == "packed", 60)
        batch = client.get("/api/batches").get_json()[0]
        self.assertEqual((batch["name"], sum(batch["counts"].values())), ("From drop", 1))
