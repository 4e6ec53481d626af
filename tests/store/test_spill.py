"""Maps too large for the memory: steps lie in files meanwhile, and the maps are the very same."""

import errno
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import psutil
from numba import typeof

from amber_thicket.blocks import most_in_memory
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import multiplied
from amber_thicket.core.numeric.filters import enlarge
from amber_thicket.core.numeric.mapped import release_pages
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.synthesis.regrow import _window_on
from amber_thicket.core.tile.seam_warp import apply_warp
from amber_thicket.errors import BadSetting, WriteFailed
from amber_thicket.service import bake
from amber_thicket.service.bake import kept_of, pack, pack_cost
from amber_thicket.service.pace import measured_pace
from amber_thicket.store.database import open_database
from amber_thicket.store.models import Job
from amber_thicket.store.spill import SpillFiles
from tests.recipes.examples import EXAMPLES, evaluation_of_example

SIZE = {"square.size.width": 256, "square.size.height": 256}
LEAST = "amber_thicket.core.memory.LEAST_SPILLED"


class SpillTest(unittest.TestCase):
    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)

    def test_pixels_come_back_as_they_were(self) -> None:
        pixels = np.random.default_rng(1).random((37, 53, 3), np.float32)
        files = SpillFiles(self.folder / "spill")
        found = files.write(pixels).open()
        np.testing.assert_array_equal(found, pixels)
        # Kernels take them for what they are compiled for: another type would be compiled anew.
        self.assertEqual(typeof(found), typeof(pixels))
        self.assertEqual(list((self.folder / "spill").iterdir()), [], "they have no name")
        # What is no block of its own is put down as it is seen.
        np.testing.assert_array_equal(files.write(pixels[::2, ::-1]).open(), pixels[::2, ::-1])

    def test_files_go_with_the_last_who_knows_of_them(self) -> None:
        before = psutil.Process().num_fds()
        held = SpillFiles(self.folder).write(np.ones((4, 4), np.float32))
        pixels = held.open()
        del held
        self.assertEqual(float(pixels.sum()), 16.0, "who has the pixels has them still")
        self.assertEqual(psutil.Process().num_fds(), before + 2, "the file and its mapping")
        del pixels
        self.assertEqual(psutil.Process().num_fds(), before)

    def test_what_comes_from_a_file_is_not_written_again(self) -> None:
        files = SpillFiles(self.folder)
        held = files.write(np.arange(12, dtype=np.float32).reshape(3, 4))
        with mock.patch("tempfile.TemporaryFile", side_effect=tempfile.TemporaryFile) as made:
            self.assertIs(files.write(held.open()), held)
            self.assertIs(files.write(held.open()[:, :]), held)
            self.assertEqual(made.call_count, 0)
            # A part of it, or the other way round, is something else.
            for seen in (held.open()[1:], held.open()[::-1]):
                np.testing.assert_array_equal(files.write(seen).open(), seen)
            self.assertEqual(made.call_count, 2)

    def test_without_room_it_is_said_where_and_how_much(self) -> None:
        with mock.patch("tempfile.TemporaryFile") as made:
            made.return_value.write.side_effect = OSError(errno.ENOSPC, "full")
            with self.assertRaises(WriteFailed) as caught:
                SpillFiles(self.folder).write(np.zeros((1000, 1000, 3), np.float32))
        self.assertIn(str(self.folder), caught.exception.message)
        self.assertIn("12.0 MB", caught.exception.message)

    def test_pages_are_given_back(self) -> None:
        pixels = np.ones((4096, 4096), np.float32)
        found = SpillFiles(self.folder).write(pixels).open()
        process = psutil.Process()
        self.assertEqual(float(found[::64].sum()), 64 * 4096)
        found.max()
        before = process.memory_info().rss
        release_pages(found)
        self.assertGreater(before - process.memory_info().rss, 0.9 * found.nbytes)
        self.assertEqual(float(found.min()), 1.0, "and read again")
        before = process.memory_info().rss
        release_pages(pixels)
        self.assertLess(before - process.memory_info().rss, 0.1 * pixels.nbytes)
        self.assertEqual(float(pixels.min()), 1.0, "those that are in no file stay")


class MemoryTest(unittest.TestCase):
    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.files = SpillFiles(Path(place.name))
        self.made = 0

    def layer(self) -> Raster:
        self.made += 1
        pixels = np.arange(5000, dtype=np.float32).reshape(50, 100)
        return Raster(pixels, span=0.25, vectors=True, evidence={"steps": 3})

    def test_what_is_large_is_spilled_once_more_was_asked_for_than_there_is(self) -> None:
        with mock.patch(LEAST, 20_000), mock.patch.object(self.files, "write", wraps=self.files.write) as write:
            memory = Memory(40_000, spill=self.files, most_in_memory=60_000)
            memory.get("a", self.layer)
            memory.at_least(60_000)
            memory.get("b", self.layer)
            self.assertFalse(memory.is_spilling)
            self.assertEqual(write.call_count, 0)
            memory.at_least(60_001)
            self.assertTrue(memory.is_spilling)
            first = memory.get("c", self.layer)
            self.assertEqual(write.call_count, 1)
            again = memory.get("c", self.layer)
            self.assertEqual(self.made, 3, "made once")
        for found in (first, again, memory.known("c")):
            np.testing.assert_array_equal(found.pixels, self.layer().pixels)
            self.assertEqual((found.span, found.vectors, found.evidence), (0.25, True, {"steps": 3}))
        self.assertIsNot(first.pixels, again.pixels, "nobody keeps what nobody looks at")

    def test_what_is_small_or_no_layer_stays(self) -> None:
        with mock.patch(LEAST, 20_001), mock.patch.object(self.files, "write") as write:
            memory = Memory(10**6, spill=self.files, most_in_memory=0)
            memory.get("layer", self.layer)
            memory.get("decision", lambda: np.zeros(10_000))
        write.assert_not_called()
        self.assertFalse(Memory(10**6, most_in_memory=0).is_spilling, "there is nowhere to")

    def test_they_count_and_leave_as_others_do(self) -> None:
        with mock.patch(LEAST, 1):
            memory = Memory(50_000, spill=self.files, most_in_memory=0)
            for key in "abc":
                memory.get(key, self.layer)
            self.assertEqual(memory.held, 40_000)
            memory.get("a", self.layer)
        self.assertEqual(self.made, 4, "the first had left")


class PackTest(unittest.TestCase):
    """Packs whose every layer is spilled, of small sizes, against those that keep all in memory."""

    def files(self, example: str, memory: Memory) -> dict[str, bytes]:
        recipe = Recipe().with_changes({**SIZE, **EXAMPLES[example][1]})
        ready = evaluation_of_example(example, recipe, memory)
        return {written.name: written.data for written in pack(ready, example, lambda *_: None)}

    def test_the_very_same_files(self) -> None:
        for example in ("light_out", "cut_out", "covers"):
            with self.subTest(example), tempfile.TemporaryDirectory() as folder, mock.patch(LEAST, 1):
                kept = self.files(example, Memory(10**9))
                spilled = self.files(example, Memory(10**9, spill=SpillFiles(Path(folder)), most_in_memory=0))
                self.assertEqual(kept.keys(), spilled.keys())
                for name, data in kept.items():
                    self.assertEqual(spilled[name], data, name)

    def test_nothing_is_written_while_the_next_map_is_made(self) -> None:
        writing, beside = threading.Event(), []
        written, stored = bake._written, bake.stored

        def noted(*arguments: Any, **more: Any) -> Any:
            writing.set()
            try:
                return written(*arguments, **more)
            finally:
                writing.clear()

        def looked(*arguments: Any) -> Any:
            # Checks look at a corner of every file meanwhile, in a thread of their own.
            if threading.current_thread() is threading.main_thread():
                beside.append(writing.is_set())
            return stored(*arguments)

        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch(LEAST, 1),
            mock.patch.multiple(bake, _written=noted, stored=looked),
        ):
            self.files("blend", Memory(10**9, spill=SpillFiles(Path(folder)), most_in_memory=0))
        self.assertGreaterEqual(len(beside), 5)
        self.assertFalse(any(beside))


class BandTest(unittest.TestCase):
    """What is done in bands gives the very numbers it gives in one go."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(3)

    def test_enlarging_gains_and_warps(self) -> None:
        small, gain = self.rng.random((24, 36, 3), np.float32), self.rng.random((120, 90), np.float32)
        picture, shifts = self.rng.random((120, 90, 3), np.float32), self.rng.normal(0, 0.02, (30, 24, 2))
        ways = {
            "numeric.filters._BAND_VALUES": (lambda: enlarge(small, 96, 144, wraps=True, cubic=True), 1, 10**9),
            "numeric.colour._BAND_PIXELS": (lambda: multiplied(picture, gain), 90 * 7, 10**9),
            "tile.seam_warp._ROWS": (lambda: apply_warp(picture, shifts.astype(np.float32), 80), 7, 10**6),
        }
        for name, (made, few, many) in ways.items():
            with self.subTest(name):
                found = []
                for size in (few, many):
                    with mock.patch(f"amber_thicket.core.{name}", size):
                        found.append(made())
                np.testing.assert_array_equal(*found)

    def test_a_window_on_the_largest_part_wherever_it_lies(self) -> None:
        shown = np.zeros((60, 80), bool)
        shown[20:30, 40:60] = True
        shown[2:5, 2:9] = True
        self.assertEqual(_window_on(shown, 100, 6).as_tuple, (34, 14, 32, 22))
        # Round an edge it is one part, the larger one.
        shown[20:35, :12] = shown[20:35, 70:] = True
        self.assertEqual(_window_on(shown, 100, 6).as_tuple, (64, 14, 34, 27))

    def test_a_quarter_of_the_memory_is_for_steps(self) -> None:
        with mock.patch("amber_thicket.blocks.memory_there", return_value=24_000_000_000):
            self.assertEqual(most_in_memory(), 6_000_000_000)


class CostTest(unittest.TestCase):
    def test_what_a_pack_takes(self) -> None:
        large = Recipe().with_changes({"square.size.width": 16384, "square.size.height": 16384})
        # Twelve channels of four bytes.
        self.assertEqual(kept_of(16384, 16384), 48 * 2**28)
        cost = pack_cost(large, "a", 6e9)
        self.assertEqual(cost.spilled, 48 * 2**28)
        self.assertAlmostEqual(cost.bytes, 10 * 0.6 * 2**28, delta=1)
        self.assertAlmostEqual(cost.seconds, 1.5e-6 * 2**28)
        roomy = pack_cost(large, "a", 48 * 2**28)
        self.assertEqual(roomy.spilled, 0)
        # As it was measured here, of packs of the same kind; half sizes are a quarter more, tiles of a set one each.
        told = pack_cost(large, "a", 6e9, lambda spilled: 4e-6 if spilled else 1.0)
        self.assertAlmostEqual(told.seconds, 4e-6 * 2**28)
        both = large.with_changes({"pack.files.sizes": "half"})
        self.assertAlmostEqual(pack_cost(both, "a", 6e9).seconds, 1.25 * cost.seconds)
        tiles = large.with_changes({"tile.tileset.count": 4, "pack.files.tiles": "sets"})
        self.assertAlmostEqual(pack_cost(tiles, "a", 6e9).seconds, 4 * cost.seconds)

    def test_pictures_larger_than_their_format_are_refused_before(self) -> None:
        sides = {"square.size.width": 16384, "square.size.height": 256}
        with self.assertRaisesRegex(BadSetting, "WebP holds at most 16383 px a side.*16384 × 256"):
            pack_cost(Recipe().with_changes({**sides, "pack.files.format": "webp"}), "a", 6e9)
        for format in ("png", "tiff", "exr", "tga"):
            pack_cost(Recipe().with_changes({**sides, "pack.files.format": format}), "a", 6e9)
        atlas = {"square.size.width": 8192, "square.size.height": 256, "tile.tileset.count": 4}
        wide = Recipe().with_changes({**atlas, "pack.files.tiles": "atlas", "pack.files.format": "webp"})
        with self.assertRaisesRegex(BadSetting, "WebP"):
            pack_cost(wide, "a", 6e9)

    def test_the_pace_of_the_packs_made_here(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(Path(folder))
            self.addCleanup(database.close)
            self.assertIsNone(measured_pace(6e9, False))

            def done(number: int, side: int, seconds: float, tiles: int = 1) -> None:
                files = [
                    {"file": f"{role}_{tile}.png", "bytes": 1, "width": side, "height": side, "tile": tile}
                    for tile in range(tiles)
                    for role in ("base_color", "normal")
                ]
                result = {"bytes": 1, "file": "a.zip", "files": [*files, {"file": "m.json", "bytes": 1}]}
                Job.create(
                    kind="pack", title="a", state="done", created=float(number), result={**result, "seconds": seconds}
                )

            done(1, 2048, 99.0)
            for number, seconds in enumerate((4.0, 8.0, 6.0, 8.0), 2):
                done(number, 2048, seconds)
            done(6, 2048, 12.0, tiles=2)
            # Of none of these: too small, without a time, by way of the disk.
            done(7, 512, 50.0)
            done(8, 2048, 0.0)
            done(9, 16384, 800.0)
            self.assertAlmostEqual(measured_pace(6e9, False) or 0, 6.0 / 2048**2)
            self.assertAlmostEqual(measured_pace(6e9, True) or 0, 800 / 2**28)


if __name__ == "__main__":
    unittest.main()
