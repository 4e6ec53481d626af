"""Filters and sampling against plain scipy."""

import unittest

import cv2
import numpy as np
from scipy import ndimage

from amber_thicket.core.numeric import filters, sampling
from amber_thicket.core.numeric.arctan import arctan, degrees_of
from amber_thicket.core.numeric.colour import cube_root, extremes, log_luminance, luminance
from amber_thicket.core.numeric.levels import smooth_step, soft_clip
from amber_thicket.core.numeric.mix import mix, tint
from amber_thicket.core.numeric.quantiles import quantiles

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

    def test_smoothing_all_shapes_as_the_libraries_do(self) -> None:
        """Against OpenCV's GaussianBlur with the same taps: one to nine channels, odd sizes, kernels as long as the
        picture."""
        for shape in ((61, 47), (61, 47, 1), (40, 90, 3), (33, 35, 9), (7, 9), (5, 40, 3)):
            field = RNG.random(shape).astype(np.float32)
            for sigma in (0.3, 0.7, 1.4, 2.9):
                margin = max(1, int(np.ceil(3.5 * sigma)))
                for wraps, mode in ((True, "wrap"), (False, "symmetric")):
                    room = [(margin, margin), (margin, margin)] + [(0, 0)] * (len(shape) - 2)
                    wide = cv2.GaussianBlur(np.pad(field, room, mode=mode), (2 * margin + 1,) * 2, sigma)
                    found = filters.blur(field, sigma, wraps=wraps)
                    self.assertEqual(found.shape, shape if shape[2:] != (1,) else shape[:2])
                    wanted = wide[margin:-margin, margin:-margin].reshape(found.shape)
                    np.testing.assert_allclose(found, wanted, atol=2e-6, err_msg=f"{shape} {sigma} {wraps}")

    def test_area_average_against_opencv(self) -> None:
        for shape, factor in (((921, 611, 3), 2), ((100, 101), 2), ((97, 203, 3), 8), ((5, 7, 3), 4), ((50, 33, 2), 7)):
            field = RNG.random(shape).astype(np.float32)
            small = filters.shrink(field, factor)
            size = (-(-shape[1] // factor), -(-shape[0] // factor))
            wanted = cv2.resize(field, size, interpolation=cv2.INTER_AREA)
            np.testing.assert_allclose(small, wanted, atol=2e-6, err_msg=f"{shape} {factor}")
            self.assertAlmostEqual(float(small.mean()), float(field.mean()), delta=1e-5)

    def test_enlarged_edges_meet(self) -> None:
        field = RNG.random((16, 16)).astype(np.float32)
        large = filters.enlarge(field, 128, 128, wraps=True)
        step = np.abs(large[:, 0] - large[:, -1]).max()
        self.assertLessEqual(float(step), float(np.abs(np.diff(large, axis=1)).max()) + 1e-6)


class SamplingTest(unittest.TestCase):
    def test_whole_pixels_are_copied(self) -> None:
        field = RNG.random((40, 50, 3)).astype(np.float32)
        np.testing.assert_array_equal(sampling.region(field, (5, 7, 25, 27), (20, 20), mode="sharp"), field[7:27, 5:25])

    def test_enlarging_is_the_same_whichever_way_comes_first(self) -> None:
        """Against the sums written out: each output pixel from 6 × 6 of the picture (Lanczos, Turkowski 1990)."""
        field = RNG.random((30, 41, 3)).astype(np.float32)
        box = (0.3, 1.2, 40.1, 28.9)
        for size in ((90, 75), (45, 75), (90, 29)):
            weights = []
            for count, extent, low, high in ((size[0], 41, box[0], box[2]), (size[1], 30, box[1], box[3])):
                at = low + (np.arange(count) + 0.5) * (high - low) / count - 0.5
                matrix = np.zeros((count, extent))
                for row, place in enumerate(at):
                    near = np.arange(np.floor(place) - 2, np.floor(place) + 4)
                    share = np.sinc(place - near) * np.sinc((place - near) / 3)
                    mirrored = np.abs(near.astype(int))
                    mirrored = np.where(mirrored >= extent, 2 * extent - 2 - mirrored, mirrored)
                    np.add.at(matrix[row], mirrored, share / share.sum())
                weights.append(matrix)
            wanted = np.einsum("xi,yj,jic->yxc", weights[0], weights[1], field)
            found = sampling.region(field, box, size, mode="sharp")
            np.testing.assert_allclose(found, wanted, atol=2e-5)
            held = sampling.region(field, box, size, mode="sharp", least=0.2)
            np.testing.assert_array_equal(held, np.maximum(found, np.float32(0.2)))

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

    def test_soft_clip_bends_over_as_written_out(self) -> None:
        """Within the knee it nears its limit as e to the way there; the closed form in double precision."""
        values = np.linspace(-1.5, 2.5, 4001).astype(np.float32)
        for low, high, knee in ((0.0, 1.0, 0.03), (0.2, 0.7, 0.2), (-1.0, 2.0, 0.5)):
            room = knee * (high - low)
            floor, top = low + room, high - room
            exact = np.float64(values)
            wanted = exact.clip(floor, top)
            wanted = wanted + room * np.exp(np.minimum((exact - floor) / room, 0))
            wanted = wanted - room * np.exp(np.minimum((top - exact) / room, 0))
            np.testing.assert_allclose(soft_clip(values, low, high, knee=knee), wanted, atol=2e-5 * room + 1e-7)
        np.testing.assert_array_equal(soft_clip(values, 0.4, 0.4), np.full_like(values, 0.4))


class RankTest(unittest.TestCase):
    def test_values_at_shares_as_sorting_gives_them(self) -> None:
        outlier = np.append(RNG.random(999), 1e6)
        for values in (
            RNG.standard_normal((81, 77)),
            outlier,
            np.full(50, 0.3),
            np.array([2.0]),
            RNG.random(99) * 1e-38,
            -(RNG.random(10) ** 9),
        ):
            field = values.astype(np.float32)
            shares = (0.0, 0.001, 0.25, 0.5, 0.9, 1.0)
            wanted = [float(np.sort(field, axis=None)[round(share * (field.size - 1))]) for share in shares]
            self.assertEqual(quantiles(field, shares), wanted)


class MixTest(unittest.TestCase):
    def test_led_over_by_a_mask(self) -> None:
        share = RNG.random((3, 45)).astype(np.float32)
        for shape in ((3, 45), (3, 45, 3)):
            one, other = (RNG.random(shape).astype(np.float32) for _ in range(2))
            by = share if len(shape) == 2 else share[..., None]
            colour = np.float32(0.4) if len(shape) == 2 else np.float32([0.1, 0.6, 0.9])
            for to in (other, colour):
                np.testing.assert_allclose(mix(one, to, share), one * (1 - by) + to * by, atol=1e-6)

    def test_tinted_is_mixed_with_what_the_shade_makes_of_a_colour(self) -> None:
        one, shade, share = RNG.random((9, 31, 3)), RNG.random((9, 31)), RNG.random((9, 31))
        one, shade, share = (values.astype(np.float32) for values in (one, shade, share))
        colour = np.float32([0.7, 0.2, 0.05])
        wanted = mix(one, shade[..., None] * colour, share)
        np.testing.assert_allclose(tint(one, shade, colour, share), wanted, atol=1e-6)

    def test_smooth_step_as_written_out(self) -> None:
        values = np.linspace(-1, 2, 301).astype(np.float32).reshape(7, 43)
        for low, high in ((0.2, 0.7), (0.5, 0.5)):
            t = ((values - low) / max(high - low, 1e-9)).clip(0, 1)
            np.testing.assert_allclose(smooth_step(low, high, values), t * t * (3 - 2 * t), atol=1e-6)

    def test_extremes_as_numpy_finds_them(self) -> None:
        colours = RNG.standard_normal((37, 23, 3)).astype(np.float32)
        high, low = extremes(colours)
        np.testing.assert_array_equal(high, colours.max(axis=-1))
        np.testing.assert_array_equal(low, colours.min(axis=-1))


class CarriedInTest(unittest.TestCase):
    def test_a_hole_goes_on_as_its_rim_and_nothing_lies_beyond_it(self) -> None:
        y, x = np.mgrid[0:96, 0:130].astype(np.float32)
        ramp = np.stack([x / 130, y / 96, np.full_like(x, 0.5)], -1)
        hole = np.hypot(x - 60, y - 50) < 22
        known = ramp.copy()
        known[hole] = 7
        found = filters.fill_by_normalized_convolution(known, 1 - hole.astype(np.float32), [40, 20, 10, 5, 2.5, 1.2])
        np.testing.assert_allclose(found[..., 2], 0.5, atol=1e-3)
        # It rises from left to right through the hole as it does around it, and is what it was where it was known.
        self.assertGreater(float(found[50, 72, 0] - found[50, 48, 0]), 0.2)
        self.assertTrue((found[hole] >= ramp[hole].min(axis=0) - 0.03).all())
        self.assertTrue((found[hole] <= ramp[hole].max(axis=0) + 0.03).all())
        self.assertLess(float(np.abs(found - ramp)[~hole].max()), 0.01)
        alone = filters.fill_by_normalized_convolution(
            known[..., 0], 1 - hole.astype(np.float32), [40, 20, 10, 5, 2.5, 1.2]
        )
        np.testing.assert_allclose(alone, found[..., 0], atol=1e-6)


class LogarithmTest(unittest.TestCase):
    def test_logarithm_of_the_luminance(self) -> None:
        """Against the C library's in double precision, over all that light may be."""
        light = (10 ** RNG.uniform(-7, 3, (50, 60))).astype(np.float32)
        grey = np.repeat(light[..., None], 3, -1)
        wanted = np.log(np.maximum(luminance(grey).astype(np.float64), 1e-5))
        np.testing.assert_allclose(log_luminance(grey, 1e-5), wanted, atol=1e-6)


class ArcTest(unittest.TestCase):
    def test_directions_in_degrees(self) -> None:
        """Against the C library's atan2, all round and on the axes."""
        around = np.linspace(0, 2 * np.pi, 721)[:-1]
        for y, x in np.float32([*np.stack([np.sin(around), np.cos(around)], -1), (0, 1), (1, 0), (0, -1), (-1, 0)]):
            off = degrees_of(y, x) - np.degrees(np.arctan2(y, x)) % 360
            self.assertLess(abs((off + 180) % 360 - 180), 2e-3, (y, x))
        self.assertEqual(degrees_of(np.float32(0), np.float32(0)), 0)

    def test_arctangent_and_cube_root_against_the_c_library(self) -> None:
        for value in np.float32([*np.linspace(-3, 3, 121), 1e3, -1e6]):
            self.assertLess(abs(arctan(value) - np.arctan(np.float64(value))), 2.2e-6, value)
        for value in np.float32([*np.linspace(-2, 2, 81), 1e-20, 3e-7, 1e6]):
            wanted = np.cbrt(np.float64(value))
            self.assertLessEqual(abs(cube_root(value) - wanted), 2.5e-7 * abs(wanted), value)
