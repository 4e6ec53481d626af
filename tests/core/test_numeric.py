"""Filters and sampling against plain scipy."""

import unittest

import numpy as np
from scipy import ndimage

from amber_thicket.core.numeric import filters, sampling
from amber_thicket.core.numeric.arctan import degrees_of
from amber_thicket.core.numeric.levels import soft_clip

RNG = np.random.default_rng(4)


class FilterTest(unittest.TestCase):
    def test_blur_against_scipy(self) -> None:
        field = RNG.random((128, 128)).astype(np.float32)
        for sigma in (0.7, 3, 9, 20):
            for wraps, mode in ((True, "wrap"), (False, "reflect")):
                wanted = ndimage.gaussian_filter(field, sigma, mode=mode, truncate=6)
                found = filters.blur(field, sigma, wraps=wraps)
                self.assertLess(float(np.abs(found - wanted).max()), 0.008 * float(field.std()), (sigma, wraps))

    def test_periodic_filters_do_not_know_where_the_edge_is(self) -> None:
        field = RNG.random((128, 128)).astype(np.float32)
        rolled = np.roll(field, (37, 64), (0, 1))
        np.testing.assert_allclose(
            np.roll(filters.blur(field, 2.5, wraps=True), (37, 64), (0, 1)),
            filters.blur(rolled, 2.5, wraps=True),
            atol=1e-5,
        )

    def test_enlarged_edges_meet(self) -> None:
        field = RNG.random((16, 16)).astype(np.float32)
        large = filters.enlarge(field, 128, 128, wraps=True)
        step = np.abs(large[:, 0] - large[:, -1]).max()
        self.assertLessEqual(float(step), float(np.abs(np.diff(large, axis=1)).max()) + 1e-6)


class SamplingTest(unittest.TestCase):
    def test_whole_pixels_are_copied(self) -> None:
        field = RNG.random((40, 50, 3)).astype(np.float32)
        np.testing.assert_array_equal(sampling.region(field, (5, 7, 25, 27), (20, 20), mode="sharp"), field[7:27, 5:25])

    def test_smooth_picture_survives_resampling(self) -> None:
        y, x = np.mgrid[0:200, 0:200] / 200
        field = (0.5 + 0.3 * np.sin(4 * x + 1) * np.cos(3 * y)).astype(np.float32)
        for mode in ("smooth", "sharp"):
            found = sampling.region(field, (20.5, 30.25, 150.5, 160.25), (333, 333), mode=mode)
            at = (np.arange(333) + 0.5) * 130 / 333
            wanted = (
                0.5
                + 0.3
                * np.sin(4 * (at + 20.5 - 0.5 + 0.0) / 200 + 1)[None, :]
                * np.cos(3 * (at + 30.25 - 0.5) / 200)[:, None]
            )
            self.assertLess(float(np.abs(found - wanted)[8:-8, 8:-8].max()), 2e-3, mode)

    def test_reduction_does_not_alias(self) -> None:
        fine = np.tile(np.array([0, 1], np.float32), (256, 128))
        small = sampling.region(fine, (0, 0, 256, 256), (96, 96), mode="smooth")
        self.assertLess(float(np.abs(small[8:-8, 8:-8] - 0.5).max()), 0.12)

    def test_soft_clip_is_monotone_and_bounded(self) -> None:
        values = np.linspace(-1, 2, 500).astype(np.float32)
        soft = soft_clip(values)
        self.assertTrue((np.diff(soft) >= 0).all())
        self.assertGreaterEqual(float(soft.min()), 0)
        self.assertLessEqual(float(soft.max()), 1)
        np.testing.assert_allclose(
            soft[(values > 0.05) & (values < 0.95)], values[(values > 0.05) & (values < 0.95)], atol=1e-6
        )


class ArcTest(unittest.TestCase):
    def test_directions_in_degrees(self) -> None:
        """Against the C library's atan2, all round and on the axes."""
        around = np.linspace(0, 2 * np.pi, 721)[:-1]
        for y, x in np.float32([*np.stack([np.sin(around), np.cos(around)], -1), (0, 1), (1, 0), (0, -1), (-1, 0)]):
            off = degrees_of(y, x) - np.degrees(np.arctan2(y, x)) % 360
            self.assertLess(abs((off + 180) % 360 - 180), 2e-3, (y, x))
        self.assertEqual(degrees_of(np.float32(0), np.float32(0)), 0)
