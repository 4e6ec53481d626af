"""The library: import, edit, undo, second tabs."""

import io
import threading
import unittest
from unittest import mock

import numpy as np
from PIL import Image

from amber_thicket.core.square.moved_strokes import upright
from amber_thicket.core.strokes import Stroke
from amber_thicket.errors import BadSetting, StaleEdit, UnreadableFile
from amber_thicket.store.models import Material, Step
from tests.support import encoded, photograph, stroke, temporary_library

PHOTO = encoded(photograph("gravel"))


class LibraryTest(unittest.TestCase):
    def setUp(self) -> None:
        self.library = self.enterContext(temporary_library())
        self.material = self.library.add([PHOTO], "north_wall.png")

    def edit(self, changes: dict, **options: str) -> Material:
        newest = self.library.get(self.material.id)
        return self.library.edit(newest.id, newest.revision, changes, label="x", gesture=options.get("gesture", ""))

    def overlap(self) -> float:
        return self.library.recipe(self.library.get(self.material.id)).settings("tile.join").overlap_x

    def test_import(self) -> None:
        self.assertEqual(self.material.name, "north wall")
        self.assertEqual(self.library.recipe(self.material).settings("square.size").width, 512)
        self.assertEqual(self.material.source["bits"], 8)
        # Until the surface was looked at, the library shows the capture.
        with Image.open(io.BytesIO(self.library.blobs.get(self.material.thumbnail))) as small:
            self.assertEqual(small.size, (320, 320))
            self.assertAlmostEqual(np.asarray(small).mean(), photograph("gravel").mean(), delta=3)

    def test_what_cannot_be_read_leaves_nothing(self) -> None:
        for data in (b"", b"no picture", PHOTO[:400], encoded(photograph("grass")[:4])):
            with self.assertRaises(UnreadableFile):
                self.library.add([data], "x.png")
        self.assertEqual(Material.select().count(), 1)

    def test_undo_and_redo(self) -> None:
        for value in (10, 15, 25):
            self.edit({"tile.join.overlap_x": value})
        material = self.library.get(self.material.id)
        seen = []
        for _ in range(5):
            material = self.library.undo(material.id, material.revision)
            seen.append(self.overlap())
        self.assertEqual(seen, [15, 10, 20, 20, 20])
        for _ in range(5):
            material = self.library.redo(material.id, material.revision)
        self.assertEqual(self.overlap(), 25)

    def test_a_change_after_undo_cuts_the_way_forward_but_loses_no_step(self) -> None:
        self.edit({"tile.join.overlap_x": 10})
        self.library.undo(self.material.id, self.library.get(self.material.id).revision)
        self.edit({"tile.join.overlap_x": 33})
        self.assertEqual(self.library.steps(self.library.get(self.material.id))[1], None)
        self.assertEqual(Step.select().where(Step.material == self.material.id).count(), 3)

    def test_one_drag_is_one_step(self) -> None:
        for value in (21, 22, 23):
            self.edit({"tile.join.overlap_x": value}, gesture="drag-1")
        self.edit({"tile.join.overlap_x": 30}, gesture="drag-2")
        material = self.library.get(self.material.id)
        self.library.undo(material.id, material.revision)
        self.assertEqual(self.overlap(), 23)
        material = self.library.get(self.material.id)
        self.library.undo(material.id, material.revision)
        self.assertEqual(self.overlap(), 20)

    def test_the_real_width_follows_the_crop(self) -> None:
        with temporary_library() as library:
            material = library.add(
                [encoded(photograph("gravel"))], "gravel.png", changes={"square.size.sample_mm": 200.0}
            )

            def width(changes: dict) -> float:
                nonlocal material
                material = library.edit(material.id, material.revision, changes, label="", gesture="")
                return library.recipe(material).settings("square.size").sample_mm

            half = {
                "square.crop.left": 25.0,
                "square.crop.right": 75.0,
                "square.crop.top": 25.0,
                "square.crop.bottom": 75.0,
            }
            self.assertAlmostEqual(width(half), 100.0, delta=0.01)
            self.assertAlmostEqual(width({"square.crop.left": 50.0}), 50.0, delta=0.01)
            # What is said in the same change counts; what does not crop changes nothing.
            self.assertEqual(width({"square.crop.left": 25.0, "square.size.sample_mm": 80.0}), 80.0)
            self.assertEqual(width({"tile.join.feather": 3.0}), 80.0)
            material = library.undo(material.id, material.revision)
            material = library.undo(material.id, material.revision)
            self.assertAlmostEqual(library.recipe(material).settings("square.size").sample_mm, 50.0, delta=0.01)

    def test_stale_edit_is_refused(self) -> None:
        self.edit({"tile.join.overlap_x": 10})
        with self.assertRaises(StaleEdit) as caught:
            self.library.edit(
                self.material.id, self.material.revision, {"tile.join.overlap_x": 40}, label="", gesture=""
            )
        self.assertEqual(caught.exception.details["revision"], self.material.revision + 1)
        self.assertEqual(self.overlap(), 10)

    def test_a_change_sent_behind_another_waits_for_it(self) -> None:
        later = threading.Timer(0.2, lambda: self.edit({"tile.join.overlap_x": 11}))
        later.start()
        self.addCleanup(later.join)
        self.library.edit(
            self.material.id, self.material.revision + 1, {"tile.join.overlap_y": 12}, label="", gesture=""
        )
        settings = self.library.recipe(self.library.get(self.material.id)).settings("tile.join")
        self.assertEqual((settings.overlap_x, settings.overlap_y), (11, 12))

    def test_a_change_whose_forerunner_was_broken_off_is_made_all_the_same(self) -> None:
        with mock.patch("amber_thicket.service.library._PATIENCE", 0.1):
            self.library.edit(
                self.material.id, self.material.revision + 1, {"tile.join.overlap_x": 13}, label="", gesture=""
            )
            self.assertEqual(self.overlap(), 13)
            with self.assertRaises(StaleEdit):
                self.library.edit(
                    self.material.id, self.material.revision + 5, {"tile.join.overlap_x": 14}, label="", gesture=""
                )

    def test_bad_edit_changes_nothing(self) -> None:
        with self.assertRaises(BadSetting):
            self.edit({"tile.join.overlap_x": 10, "tile.join.overlap_y": 99})
        self.assertEqual((self.overlap(), self.library.get(self.material.id).revision), (20, self.material.revision))

    def test_archive_hides_and_restores(self) -> None:
        self.library.archive(self.material.id, True)
        self.assertEqual((len(Material.listed(archived=False)), len(Material.listed(archived=True))), (0, 1))
        self.library.archive(self.material.id, False)
        self.assertEqual(len(Material.listed(archived=False)), 1)


class StrokesFollowTest(unittest.TestCase):
    """What must not be used is drawn on the flattened picture; it stays on the same stain when the picture is flattened
    another way."""

    def test_strokes_stay_on_the_capture(self) -> None:
        ways = {
            "corners": {"square.flat.upper_left_x": 8.0, "square.flat.lower_right_y": 91.0},
            "level": {"square.flat.turn": 7.5},
            "bend": {"square.lens.k1": -0.06},
            "turned": {"gather.orient.turn": "90", "gather.orient.mirror": True},
        }
        strokes = [stroke(0.05, 0.4, 0.45, 0.6, 0.5), stroke(0, 0.3, 0.3, 0.7, 0.35, 0.5, 0.6)]
        drawn = tuple(Stroke(**one) for one in strokes)
        for name, changes in ways.items():
            with self.subTest(name), temporary_library() as library:
                material = library.add([PHOTO], "wall.png")
                material = library.edit(
                    str(material.id), material.revision, {"tile.join.excluded": strokes}, label="x", gesture=""
                )
                before = library.evaluation(material)
                material = library.edit(str(material.id), material.revision, changes, label="y", gesture="")
                after = library.evaluation(material)
                moved = after.recipe.settings("tile.join").excluded
                for old, new in zip(drawn, moved, strict=True):
                    here, there = (
                        upright(one.view().to_capture(one_stroke.places), one.recipe.settings("gather.orient"))
                        for one, one_stroke in ((before, old), (after, new))
                    )
                    np.testing.assert_allclose(here, there, atol=1e-5)
                self.assertGreater(float(np.abs(moved[0].places - drawn[0].places).max()), 1e-4)
                self.assertEqual(moved[1].radius, 0)
                library.undo(str(material.id), material.revision)
                undone = library.recipe(library.get(str(material.id)))
                self.assertEqual(undone.settings("tile.join").excluded, drawn)
