"""Pictures at the edge of what can be: each makes maps without a hole in them, or is refused with the reason."""

import unittest

import numpy as np

from amber_thicket.core.roles import MADE
from amber_thicket.errors import UnreadableFile
from tests.support import encoded, temporary_library

RNG = np.random.default_rng(8)


class OddPictureTest(unittest.TestCase):
    def test_all_maps_are_finite(self) -> None:
        noise = RNG.integers(0, 256, (96, 96, 3), np.uint8)
        for name, codes in {
            "smallest": RNG.integers(0, 256, (16, 16, 3), np.uint8),
            "upright": RNG.integers(0, 256, (700, 20, 3), np.uint8),
            "transparent": np.dstack([noise, np.zeros((96, 96), np.uint8)]),
            "one bit": np.where(noise[..., 0] > 127, 255, 0).astype(np.uint8),
        }.items():
            with self.subTest(name), temporary_library() as library:
                made = library.evaluation(library.add([encoded(codes)], f"{name}.png"))
                for role in MADE:
                    pixels = made.layer(role, (64, 64)).pixels
                    self.assertTrue(np.isfinite(pixels).all(), role)
                    self.assertEqual(pixels.shape[:2], (64, 64), role)

    def test_what_is_no_sample_is_refused(self) -> None:
        for width, height in ((1, 1), (1, 400), (3, 5000), (65_535, 16), (15, 200)):
            codes = np.full((height, width, 3), 80, np.uint8)
            with self.subTest(width=width, height=height), temporary_library() as library:
                with self.assertRaises(UnreadableFile) as caught:
                    library.add([encoded(codes)], "thin.png")
                self.assertIn(f"{width} × {height}", caught.exception.message)
                self.assertTrue(caught.exception.remedy)
