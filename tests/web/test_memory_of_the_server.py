"""What the server keeps in memory: by the machine's size, little of large captures, nothing for long when nobody works."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from amber_thicket import blocks
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.formats.picture import Picture
from amber_thicket.service.sources import StoredSource
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.support import encoded, photograph


class BudgetTest(unittest.TestCase):
    def test_results_take_an_eighth_of_what_is_there(self) -> None:
        with mock.patch("amber_thicket.blocks.memory_there", return_value=16_000_000_000):
            self.assertEqual(blocks.results_budget(), 2_000_000_000)
        with mock.patch("amber_thicket.blocks.memory_there", return_value=1_000_000_000):
            self.assertEqual(blocks.results_budget(), 256_000_000)
        with mock.patch("amber_thicket.blocks.memory_there", return_value=512_000_000_000):
            self.assertEqual(blocks.results_budget(), 8_000_000_000)

    def test_a_container_may_use_what_it_is_allowed(self) -> None:
        """memory.max as the kernel writes it: Documentation/admin-guide/cgroup-v2.rst, "max" or bytes."""
        with (
            tempfile.TemporaryDirectory() as name,
            mock.patch("amber_thicket.blocks._CGROUP", Path(name) / "memory.max"),
        ):
            whole = blocks.memory_there()
            blocks._CGROUP.write_text("1073741824\n")
            self.assertEqual(blocks.memory_there(), 1 << 30)
            blocks._CGROUP.write_text("max\n")
            self.assertEqual(blocks.memory_there(), whole)


class PassingTest(unittest.TestCase):
    def source(self, memory: Memory, side: int = 512) -> StoredSource:
        rng = np.random.default_rng(0)
        self.read = 0
        data = encoded(rng.integers(0, 256, (side, side, 3), np.uint8))

        def bytes_of() -> bytes:
            self.read += 1
            return data

        info = {"blob": "a", "width": side, "height": side, "file": "a.png", "format": "png"}
        return StoredSource(info, bytes_of, memory)

    def test_a_large_picture_is_not_kept_for_the_small_one_made_of_it(self) -> None:
        memory = Memory(100_000_000, largest_passing=1_000_000)
        source = self.source(memory)
        small = source.read(2)
        # 512 × 512 × 3 floats are 3.1 MB, the half of it .8, the quarter .2.
        self.assertEqual(memory.held, 256 * 256 * 12 + 128 * 128 * 12)
        whole = source.read(0)
        self.assertEqual((self.read, whole.pixels.shape), (2, (512, 512, 3)))
        # One that was asked for itself stays.
        self.assertIs(source.read(0), whole)
        np.testing.assert_array_equal(source.read(2).pixels, small.pixels)

    def test_all_sizes_are_kept_where_nothing_else_is_said(self) -> None:
        memory = Memory(100_000_000)
        source = self.source(memory)
        source.read(1)
        source.read(0)
        self.assertEqual(self.read, 1)

    def test_a_picture_just_read_is_looked_at_without_reading_it_again(self) -> None:
        for bits, codes in (
            (8, np.random.default_rng(1).integers(0, 256, (512, 512, 3), np.uint8)),
            (16, np.random.default_rng(2).integers(0, 65536, (511, 512, 3)).astype(np.uint16)),
        ):
            first = Picture(codes, bits, "png")
            whole, half = first.pixels, shrink(first.pixels, 2)
            np.testing.assert_array_equal(whole, decode_srgb(codes))
            np.testing.assert_array_equal(Picture(codes, bits, "png").halved(), half)
            np.testing.assert_array_equal(Picture(codes, bits, "png").every(3), whole[::3, ::3])
            for passing, level in ((1_000_000, 1), (100_000_000, 0)):
                source = self.source(Memory(100_000_000, largest_passing=passing))
                picture = Picture(codes, bits, "png")
                held = source.hold(picture)
                np.testing.assert_array_equal(held, (whole, half)[level])
                # All the light of a large one was never made.
                self.assertEqual("pixels" in vars(picture), level == 0 or bits == 16)
                np.testing.assert_array_equal(source.read(1).pixels, half)
                self.assertEqual(self.read, 0)


class RestTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        app = create_app(Config(Path(folder.name), worker=False, idle_seconds=600))
        self.services, self.client = app.extensions["thicket"], app.test_client()
        self.addCleanup(self.services.close)

    def test_what_is_kept_goes_when_nobody_works(self) -> None:
        id = self.client.post("/api/materials?file=a.png", data=encoded(photograph("gravel"))).get_json()["id"]
        key = self.client.get(f"/api/materials/{id}").get_json()["keys"]["evened"]
        path = f"/api/materials/{id}/picture/evened.jpg?key={key}&side=256&follow=1"
        before = self.client.get(path).data
        keeping, memory = self.services.housekeeping, self.services.library.memory
        began, held = keeping._used, memory.held
        self.assertGreater(held, 1_000_000)
        with mock.patch("amber_thicket.web.housekeeping.give_back") as given:
            keeping.rest(began + 5)
            self.assertEqual(given.call_count, 0)
            keeping.rest(began + 30)
            keeping.rest(began + 40)
            self.assertEqual((given.call_count, memory.held), (1, held))
            keeping.rest(began + 601)
            keeping.rest(began + 700)
            self.assertEqual((given.call_count, memory.held), (2, 0))
        # It is made anew, the same.
        self.assertEqual(self.client.get(path).data, before)

    def test_watchers_and_listeners_are_nobody_who_works(self) -> None:
        keeping = self.services.housekeeping
        keeping._used = 0.0
        self.client.get("/healthz")
        self.assertEqual(keeping._used, 0.0)
        self.client.get("/api/library")
        self.assertGreater(keeping._used, 0.0)


if __name__ == "__main__":
    unittest.main()
