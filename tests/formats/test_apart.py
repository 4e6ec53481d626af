"""Strangers' files in a process of their own: the same pixels as here, and nothing a file does reaches this process."""

import io
import os
import resource
import signal
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR
import psutil
import tifffile
from PIL import Image, ImageCms

from amber_thicket.errors import ServiceAway, ThicketError, TooLarge, UnreadableFile
from amber_thicket.formats import apart, limits
from amber_thicket.formats.apart import Apart
from amber_thicket.formats.limits import check_size
from amber_thicket.formats.picture import Picture, read_picture
from tests import hostile
from tests.support import encoded, within

RNG = np.random.default_rng(9)
RGBA = RNG.integers(0, 256, (40, 56, 4), np.uint8)


def _exr() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, {"RGB": RNG.random((20, 24, 3)).astype(np.float16)}) as file:
            file.write(str(path))
        return path.read_bytes()


def _tiff() -> bytes:
    stream = io.BytesIO()
    tifffile.imwrite(stream, RNG.integers(0, 65536, (20, 24, 3), np.uint16), photometric="rgb")
    return stream.getvalue()


class ApartTest(unittest.TestCase):
    def setUp(self) -> None:
        self.apart = Apart(helpers=1)
        self.addCleanup(self.apart.stop)
        patched = mock.patch.object(apart, "_apart", self.apart)
        patched.start()
        self.addCleanup(patched.stop)

    def here(self, data: bytes, **how: bool) -> Picture:
        with mock.patch.object(apart, "_apart", None):
            return read_picture(data, "p", **how)

    def test_the_same_pixels_as_here(self) -> None:
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB"))
        files = {
            "png": encoded(RGBA),
            "jpeg": encoded(RGBA[..., :3], "JPEG"),
            "grey": encoded(RGBA[..., 0]),
            "tiff": _tiff(),
            "exr": _exr(),
            "rubbish profile": encoded(RGBA[..., :3], icc_profile=profile.tobytes()),
        }
        for name, data in files.items():
            for as_stored in (False, True):
                with self.subTest(name=name, as_stored=as_stored):
                    there, here = read_picture(data, "p", as_stored=as_stored), self.here(data, as_stored=as_stored)
                    np.testing.assert_array_equal(there.pixels, here.pixels)
                    self.assertEqual((there.alpha is None, there.bits, there.floating, there.notes),
                                     (here.alpha is None, here.bits, here.floating, here.notes))  # fmt: skip
                    if here.alpha is not None:
                        np.testing.assert_array_equal(there.alpha, here.alpha)
        self.assertEqual(len(self.apart.pids), 1)

    def test_errors_are_told_as_here(self) -> None:
        for data, kind in ((hostile.jpeg_of_size(65_535, 65_535), TooLarge), (encoded(RGBA)[:90], UnreadableFile)):
            with self.assertRaises(kind) as there:
                read_picture(data, "p")
            with self.assertRaises(kind) as here:
                self.here(data)
            self.assertEqual((there.exception.message, there.exception.details), (here.exception.message, here.exception.details))  # fmt: skip

    def test_a_helper_that_died_is_followed_by_another_and_the_file_is_read(self) -> None:
        read_picture(encoded(RGBA), "p")
        (first,) = self.apart.pids
        os.kill(first, signal.SIGKILL)
        psutil.Process(first).wait(5)
        self.assertEqual(read_picture(encoded(RGBA), "p").pixels.shape, (40, 56, 3))
        self.assertNotEqual(self.apart.pids, [first])

    def test_a_file_no_helper_survives_is_refused(self) -> None:
        def killed(*_: object) -> None:
            for pid in self.apart.pids:
                os.kill(pid, signal.SIGKILL)

        with mock.patch.object(apart, "send", side_effect=killed), self.assertRaises(UnreadableFile) as refused:
            read_picture(encoded(RGBA), "felt.png")
        self.assertIn("felt.png", refused.exception.message)
        # The place is free for the next one.
        self.assertEqual(read_picture(encoded(RGBA), "p").pixels.shape, (40, 56, 3))

    def test_a_file_that_takes_too_long_is_given_up(self) -> None:
        read_picture(encoded(RGBA), "p")
        (pid,) = self.apart.pids
        os.kill(pid, signal.SIGSTOP)
        began = time.monotonic()
        with mock.patch.object(apart, "_SECONDS", 0.5), self.assertRaises(UnreadableFile) as refused:
            read_picture(encoded(RGBA), "p")
        self.assertIn("longer", refused.exception.message)
        self.assertTrue(within(time.monotonic() - began, 4))
        self.assertFalse(psutil.pid_exists(pid) and psutil.Process(pid).status() != "zombie")

    def test_a_helper_that_cannot_be_started_takes_no_place(self) -> None:
        for _ in range(3):
            with (
                mock.patch.object(apart.subprocess, "Popen", side_effect=OSError(12, "Cannot allocate memory")),
                self.assertRaises(ServiceAway),
            ):
                read_picture(encoded(RGBA), "p")
        self.assertEqual(read_picture(encoded(RGBA), "p").pixels.shape, (40, 56, 3))

    def test_a_helper_may_take_no_more_than_its_file_needs(self) -> None:
        read_picture(encoded(RGBA), "p")
        soft, hard = resource.prlimit(self.apart.pids[0], resource.RLIMIT_AS)
        taken = psutil.Process(self.apart.pids[0]).memory_info().vms
        self.assertLess(soft, taken + 700_000_000)
        self.assertLess(hard, taken + 7_000_000_000)

    def test_nothing_of_a_file_stays_open(self) -> None:
        def read() -> None:
            read_picture(encoded(RGBA), "p")
            with self.assertRaises(ThicketError):
                read_picture(encoded(RGBA)[:90], "p")

        read()
        here, there = psutil.Process(), psutil.Process(self.apart.pids[0])
        before = here.num_fds(), there.num_fds()
        for _ in range(20):
            read()
        self.assertEqual((here.num_fds(), there.num_fds()), before)

    def test_zips_entry_by_entry(self) -> None:
        good = encoded(RGBA)
        data = hostile.zipped(("a.png", good), ("../b.png", good), ("deep/c.png", good))
        found = list(apart.entries(data, "maps.zip"))
        self.assertEqual([(path, content == good) for path, content in found], [("a.png", True), ("../b.png", False), ("deep/c.png", True)])  # fmt: skip
        self.assertIn("leaves the archive", found[1][1].message)  # type: ignore[union-attr]
        # Whoever stops listening in the middle costs a helper, not the next file.
        for path, _ in apart.entries(data, "maps.zip"):
            self.assertEqual(path, "a.png")
            break
        self.assertEqual(len(list(apart.entries(data, "maps.zip"))), 3)

    def test_helpers_leave_with_their_process(self) -> None:
        helper = apart._Helper()
        pid = helper.pid
        helper._line.close()
        psutil.Process(pid).wait(5)


class HostileTest(unittest.TestCase):
    """Each is drawn or refused with a sentence a photographer understands."""

    def test_every_one_is_answered_in_words(self) -> None:
        helpers = Apart(helpers=1)
        self.addCleanup(helpers.stop)
        answered = 0
        with mock.patch.object(apart, "_apart", helpers):
            for name, data in hostile.hostile_files().items():
                with self.subTest(name=name[:40]):
                    began = time.monotonic()
                    try:
                        if name.endswith(".zip"):
                            told = [c.message for _, c in apart.entries(data, name) if isinstance(c, UnreadableFile)]
                        else:
                            picture = read_picture(data, name)
                            self.assertTrue(np.isfinite(picture.pixels).all())
                            told = []
                    except ThicketError as error:
                        told = [error.message]
                        self.assertTrue(error.remedy)
                    answered += 1
                    self.assertTrue(within(time.monotonic() - began, 20))
                    for sentence in told:
                        for odd in ("<_io", "0x", "/tmp", "division", "Errno", "Error", "None", "()"):
                            self.assertNotIn(odd, sentence)
        self.assertGreaterEqual(answered, 70)
        # Two places at most were lost to files that break their reader.
        self.assertLessEqual(len(helpers.pids), 1)

    def test_words_for_what_people_meet(self) -> None:
        files = hostile.hostile_files()
        for name, words in (
            ("jpeg_65500.jpg", "holds only"),
            ("tiff_samples.tif", "65535 values a pixel"),
            ("zip_in_zip.zip", "only other archives"),
            ("png_no_header.png", "damaged or cut short"),
            ("nothing.png", "is empty"),
            ("raw_rubbish.cr2", "cannot be developed"),
        ):
            with self.assertRaises(UnreadableFile) as refused:
                list(apart.entries(files[name], name)) if name.endswith(".zip") else read_picture(files[name], name)
            self.assertIn(words, refused.exception.message)

    def test_a_zip_entry_that_lies_about_its_size_takes_no_memory(self) -> None:
        import tracemalloc

        data = hostile.hostile_files()["zip_bomb_said_small.zip"]
        tracemalloc.start()
        ((_, content),) = apart.entries(data, "a.zip")
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        self.assertIsInstance(content, UnreadableFile)
        self.assertLess(peak, 20_000_000)


class PlausibleTest(unittest.TestCase):
    """Sizes are judged by decoded bytes, against what a file of its kind can hold at most."""

    def test_just_inside_and_just_outside(self) -> None:
        # A JPEG spends a bit on each 8 × 8 block at least: 1,000,000 px are 15,625 blocks, 1,954 bytes.
        check_size(1000, 1000, "a", length=1954, densest=limits.JPEG_BLOCKS)
        with self.assertRaises(UnreadableFile):
            check_size(1000, 1000, "a", length=1952, densest=limits.JPEG_BLOCKS)
        # 1.25 GB decoded, whatever the pixels.
        check_size(12_500, 12_500, "a", samples=4, depth=2)
        with self.assertRaises(TooLarge):
            check_size(12_501, 12_500, "a", samples=4, depth=2)
        # Above a hundred megapixels a file is believed to 400 : 1.
        check_size(12_500, 8_000, "a", length=1)
        check_size(12_501, 8_000, "a", length=760_000)
        with self.assertRaises(UnreadableFile):
            check_size(12_501, 8_000, "a", length=740_000)

    def test_a_flat_map_of_8192_is_believed(self) -> None:
        stream = io.BytesIO()
        Image.new("L", (8192, 8192)).save(stream, "PNG")
        self.assertLess(len(stream.getvalue()), 120_000)
        self.assertEqual(read_picture(stream.getvalue(), "metallic.png", as_stored=True).pixels.shape[:2], (8192, 8192))
