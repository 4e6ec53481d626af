"""Seam and drift figures against plain sums over every line, worked examples and closed forms."""

import unittest

import numpy as np

from amber_thicket.core.check.figures import Seam, coded, drift, roughness_of_lines, seam, seams
from amber_thicket.core.numeric.colour import encode_srgb

RNG = np.random.default_rng(5)


def plain_roughness(values: np.ndarray, axis: int) -> np.ndarray:
    """The formula of QUALITY.md as it stands: |step(x) − ½(step(x−1) + step(x+1))|, mean over everything else."""
    along = 1 - axis
    step = values.astype(np.float64) - np.roll(values, 1, along)
    bend = np.abs(step - 0.5 * (np.roll(step, 1, along) + np.roll(step, -1, along)))
    return bend.mean(axis=(axis, 2))


def plain_z(values: np.ndarray, axis: int, scale: int) -> np.ndarray:
    rows, columns, channels = (n // scale for n in (*values.shape[:2], scale * values.shape[2]))
    part = values[: rows * scale, : columns * scale].astype(np.float64)
    e = plain_roughness(part.reshape(rows, scale, columns, scale, channels).mean(axis=(1, 3)), axis)
    middle = np.median(e)
    return (e - middle) / (1.4826 * np.median(np.abs(e - middle)) + 0.02 * middle + 1e-9)


def plain_seam(values: np.ndarray, axis: int) -> Seam:
    """The worst over scales 1, 2, 4, 8, as long as 16 px are left; lines of its own wherever they come to lie."""
    border, inner, at = -np.inf, -np.inf, 0.0
    scales = [scale for scale in (1, 2, 4, 8) if min(values.shape[:2]) // scale >= 16]
    for scale in scales:
        z = plain_z(values, axis, scale)
        border = max(border, z[0])
        if z[2:-1].max() > inner:
            inner, at = z[2:-1].max(), (z[2:-1].argmax() + 2) / len(z)
    if border >= 4 and 4 < inner < border:
        for scale in scales[1:]:
            for by in range(0, scale, max(scale // 4, 1)):
                inner = max(inner, plain_z(np.roll(values, by, 1 - axis), axis, scale)[3:-1].max())
    return Seam(border, inner, at)


class RoughnessTest(unittest.TestCase):
    def test_against_the_formula(self) -> None:
        for shape in ((33, 21, 3), (16, 40, 1), (5, 4, 2)):
            values = RNG.random(shape).astype(np.float32)
            for axis in (0, 1):
                np.testing.assert_allclose(
                    roughness_of_lines(values, axis=axis), plain_roughness(values, axis), rtol=2e-5
                )

    def test_a_single_step_by_hand(self) -> None:
        """A picture that is 0 left and 1 right has a step of 1 in the middle and of −1 at the edge: 1 there, ½ beside."""
        values = np.zeros((4, 12, 1), np.float32)
        values[:, 6:] = 1
        expected = [1, 0.5, 0, 0, 0, 0.5, 1, 0.5, 0, 0, 0, 0.5]
        np.testing.assert_allclose(roughness_of_lines(values, axis=0), expected, atol=1e-6)
        np.testing.assert_allclose(
            roughness_of_lines(np.ascontiguousarray(values.swapaxes(0, 1)), axis=1), expected, atol=1e-6
        )

    def test_a_slope_that_goes_on_evenly_has_none(self) -> None:
        ramp = np.tile(np.arange(16, dtype=np.float32)[None, :, None], (3, 1, 1))
        np.testing.assert_allclose(roughness_of_lines(ramp, axis=0)[2:-1], 0, atol=1e-6)


class SeamTest(unittest.TestCase):
    def test_against_the_formula(self) -> None:
        # 64 × 48: scale 4 leaves 16 × 12, which no longer counts. 136 × 128 counts at all four.
        for shape in ((48, 64, 3), (128, 136, 1)):
            values = RNG.random(shape).astype(np.float32)
            values[:, : shape[1] // 2] += 0.3
            for axis in (0, 1):
                found, expected = seam(values, axis=axis), plain_seam(values, axis)
                np.testing.assert_allclose(found, expected, atol=0.011)
            np.testing.assert_allclose(seams(values), [plain_seam(values, 0), plain_seam(values, 1)], atol=0.011)

    def test_joints_that_fall_among_px_otherwise_than_the_one_at_the_border_count_as_lines_like_it(self) -> None:
        # Joints 4 px wide, all alike. That at the border fills half of a block of 8, the others lie across two blocks.
        values = (0.5 + 0.02 * RNG.random((128, 256, 1))).astype(np.float32)
        for first in (1, 70, 134, 198):
            values[:, first : first + 4] = 0.1
        for axis in (0, 1):
            found = seam(np.ascontiguousarray(values.swapaxes(0, axis)), axis=axis)
            self.assertGreater(found.border, 8)
            self.assertTrue(found.passes, found)
        # A step at the border is no joint: nothing inside is like it, wherever it lies.
        ramp = values * np.linspace(0.2, 2.2, 256, dtype=np.float32)[None, :, None]
        self.assertFalse(seam(ramp, axis=0).passes)
        # What crosses the border alone is never taken for a line inside.
        lone = (0.5 + 0.02 * RNG.random((128, 256, 1))).astype(np.float32)
        lone[:, :64] += 0.1
        lone[:, 64:] += np.linspace(0.1, 0, 192, dtype=np.float32)[None, :, None]
        found = seam(lone, axis=0)
        self.assertLess(found.inner, 4)
        self.assertFalse(found.passes, found)

    def test_lines_of_a_tile_are_set_against_the_spread_of_the_picture_it_comes_from(self) -> None:
        calm = (0.5 + 0.02 * RNG.random((96, 96, 1))).astype(np.float32)
        calm[:, 40:44] = 0.3
        lively = (0.5 + 0.02 * RNG.random((128, 128, 1)) * np.linspace(0, 4, 128)[None, :, None]).astype(np.float32)
        alone, beside = seams(calm), seams(calm, like=lively)
        self.assertLess(beside[0].inner, 0.6 * alone[0].inner)
        # The other way round nothing is made larger.
        np.testing.assert_array_equal(seams(lively), seams(lively, like=calm))

    def test_a_line_inside_is_found_where_it_is(self) -> None:
        values = RNG.random((64, 80, 1)).astype(np.float32)
        values[:, 20:] += 2
        values[:, 40:] -= 2
        found = seam(values, axis=0)
        self.assertIn(found.at, (0.25, 0.5))
        self.assertGreater(found.inner, 20)
        self.assertLess(found.border, 4)

    def test_levels_at_their_limits(self) -> None:
        for border, inner, level in (
            (3.99, 0.0, "pass"), (4.0, 0.0, "attention"), (8.0, 0.0, "attention"), (8.01, 0.0, "blocked"),
            # No worse than the surface's own lines, where it has some.
            (6.0, 6.0, "pass"), (6.0, 5.99, "attention"), (9.0, 9.5, "pass"), (4.0, 4.0, "attention"), (4.01, 4.02, "pass"),
        ):  # fmt: skip
            with self.subTest(border=border, inner=inner):
                self.assertEqual(Seam(border, inner, 0.5).level, level)
                self.assertEqual(Seam(border, inner, 0.5).passes, level == "pass")

    def test_colours_are_compared_as_the_eye_sees_them(self) -> None:
        colour, grey = RNG.random((4, 5, 3)).astype(np.float32), RNG.random((4, 5)).astype(np.float32)
        np.testing.assert_array_equal(coded(colour, "base_color"), encode_srgb(colour))
        np.testing.assert_array_equal(coded(colour, "normal"), colour)
        np.testing.assert_array_equal(coded(grey, "height"), grey[..., None])


class DriftTest(unittest.TestCase):
    def test_a_wave_by_its_closed_form(self) -> None:
        """A Gaussian of σ = 1/8 leaves exp(−2π²σ²) of a wave as long as the tile; its deviation is amplitude / √2."""
        for width, height in ((96, 96), (400, 400), (192, 384)):
            wave = 0.3 * np.cos(2 * np.pi * (np.arange(width) + 0.5) / width)
            values = np.tile(wave.astype(np.float32)[None, :, None], (height, 1, 1))
            self.assertAlmostEqual(drift(values) / (0.3 * np.exp(-2 * np.pi**2 / 64) / np.sqrt(2)), 1, delta=0.02)

    def test_channels_count_alike_and_evenness_is_none(self) -> None:
        self.assertLess(drift(np.full((64, 64, 3), 0.4, np.float32)), 1e-4)
        wave = np.cos(2 * np.pi * np.arange(64) / 64).astype(np.float32)
        one = np.tile(wave[None, :, None], (64, 1, 1))
        three = np.concatenate([one, 0 * one, 0 * one], -1)
        self.assertAlmostEqual(drift(three), drift(one) / 3, places=5)


if __name__ == "__main__":
    unittest.main()
