"""What gives a repeat away: planted spots are found where they are, as large as they are, and as strong as they stand out."""

import unittest

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.tile.repeat_artifacts import ALARM, RepeatArtifact, find_repeat_artifacts, unfit

SIDE = 512


def ground(seed: int = 3) -> np.ndarray:
    """Grain that differs nowhere from itself, of unit mean tone."""
    noise = np.random.default_rng(seed).standard_normal((SIDE, SIDE)).astype(np.float32)
    grain = blur(noise, 1.5, wraps=True)
    return np.repeat((0.3 * (1 + 0.25 * grain / grain.std()))[..., None], 3, -1).clip(0.01, 1).astype(np.float32)


def spot(x: float, y: float, radius: float, by: tuple[float, float, float], seed: int = 3) -> np.ndarray:
    """The ground with a round soft place times a colour; x, y in tiles, radius in px."""
    v, u = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    away = np.hypot((u - x * SIDE + SIDE / 2) % SIDE - SIDE / 2, (v - y * SIDE + SIDE / 2) % SIDE - SIDE / 2)
    weight = np.exp(-0.5 * (away / radius) ** 2)[..., None]
    return (ground(seed) * (1 + weight * (np.float32(by) - 1))).astype(np.float32)


class PlantedTest(unittest.TestCase):
    def test_found_where_it_is_and_as_large_as_it_is(self) -> None:
        for x, y, radius, sigma in ((0.3, 0.6, 8, 10), (0.8, 0.2, 20, 20)):
            first = find_repeat_artifacts(spot(x, y, radius, (0.2, 0.2, 0.2)))[0]
            self.assertLess(np.hypot(first.x - x, first.y - y), 0.02)
            self.assertAlmostEqual(first.radius, 2 * sigma / SIDE)
            self.assertGreater(first.strength, ALARM)

    def test_a_tile_wider_than_high_or_the_other_way_to_the_pixel(self) -> None:
        # An almost even ground, and a place of the same luminance (BT.709 weights) but redder: its middle alone decides.
        for width, height, column, row in ((512, 256, 400, 60), (256, 512, 70, 380)):
            grain = np.random.default_rng(1).standard_normal((height, width)).astype(np.float32)
            v, u = np.mgrid[0:height, 0:width]
            red = 0.1 * np.exp(-((u - column) ** 2 + (v - row) ** 2) / (2 * 20**2))
            tone = 0.3 * (1 + 0.004 * grain)
            tile = np.stack([tone + red, tone - red * 0.2126 / 0.7152, tone], -1).astype(np.float32)
            first = find_repeat_artifacts(tile)[0]
            with self.subTest(width=width):
                self.assertAlmostEqual(first.x, (column + 0.5) / width, delta=1 / width / 100)
                self.assertAlmostEqual(first.y, (row + 0.5) / height, delta=1 / height / 100)
                self.assertIn(round(first.radius * width, 6), (20, 40, 80), "twice a size that is looked at")

    def test_bright_dark_and_coloured_places_alike(self) -> None:
        for by in ((1.8, 1.8, 1.8), (0.5, 0.5, 0.5), (1.3, 0.9, 0.8), (0.85, 1.0, 1.5), (0.85, 1.2, 0.85)):
            first = find_repeat_artifacts(spot(0.4, 0.7, 20, by))[0]
            with self.subTest(by=by):
                self.assertLess(np.hypot(first.x - 0.4, first.y - 0.7), 0.02)
                self.assertGreater(first.strength, ALARM)

    def test_grain_alone_accuses_nothing(self) -> None:
        found = find_repeat_artifacts(ground())
        self.assertLess(found[0].strength, ALARM)
        self.assertAlmostEqual(float(np.median([place.strength for place in found[5:14]])), 1, delta=0.35)

    def test_strongest_first_and_each_place_once(self) -> None:
        found = find_repeat_artifacts(spot(0.02, 0.5, 20, (0.4, 0.4, 0.4)))
        strengths = [place.strength for place in found]
        self.assertEqual(strengths, sorted(strengths, reverse=True))
        self.assertLessEqual(len(found), 14)
        for number, one in enumerate(found):
            for other in found[:number]:
                away = [abs((a - b + 0.5) % 1 - 0.5) for a, b in ((one.x, other.x), (one.y, other.y))]
                # Three times the size of the stronger one lies between them, round the edges too.
                self.assertGreater(np.hypot(*away), 1.5 * other.radius - 2 / SIDE)

    def test_the_edge_is_no_other_place(self) -> None:
        middle, edge = (find_repeat_artifacts(spot(at, at, 20, (0.5, 0.5, 0.5)))[0] for at in (0.5, 0.0))
        self.assertLess(min(edge.x, 1 - edge.x) + min(edge.y, 1 - edge.y), 0.02)
        self.assertAlmostEqual(middle.strength / edge.strength, 1, delta=0.25)

    def test_it_does_not_matter_how_many_pixels_show_it(self) -> None:
        tile = spot(0.3, 0.6, 20, (0.5, 0.5, 0.5))
        small, large = (find_repeat_artifacts(one)[0] for one in (tile, np.repeat(np.repeat(tile, 2, 0), 2, 1)))
        self.assertAlmostEqual(small.strength, large.strength, delta=0.03)
        self.assertAlmostEqual(small.x, large.x, delta=0.003)

    def test_an_even_tile_has_no_place_that_stands_out(self) -> None:
        found = find_repeat_artifacts(np.full((128, 128, 3), 0.3, np.float32))
        self.assertEqual([place for place in found if place.strength >= 0.5], [])


class UnfitTest(unittest.TestCase):
    def test_what_comes_near_the_alarm_fills_nothing(self) -> None:
        found = [RepeatArtifact(0.1, 0.2, 0.05, strength) for strength in (3.0, 1.4626, 1.4624, 0.2)]
        self.assertEqual(unfit(found), [(0.1, 0.2, 0.05)] * 2, "three quarters of 1.95")


if __name__ == "__main__":
    unittest.main()
