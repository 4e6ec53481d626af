"""What gives a repeat away: planted spots are found where they are, as large as they are, and as strong as they stand out."""

import unittest

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.tile.repeat_artifacts import (
    ALARM,
    RepeatArtifact,
    find_repeat_artifacts,
    find_repeats,
    unfit,
)
from amber_thicket.core.tile.retouch import fill_strokes

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
        for x, y, radius in ((0.3, 0.6, 8), (0.8, 0.2, 20), (0.5, 0.5, 32)):
            first = find_repeat_artifacts(spot(x, y, radius, (0.2, 0.2, 0.2)))[0]
            with self.subTest(radius=radius):
                self.assertLess(np.hypot(first.x - x, first.y - y), 0.02)
                # A soft place is seen as far as one to three of its standard deviations.
                self.assertTrue(1 <= first.radius * SIDE / radius <= 3.2, first.radius * SIDE / radius)
                self.assertGreater(first.strength, ALARM)

    def test_a_tile_wider_than_high_or_the_other_way(self) -> None:
        # An almost even ground, and a place of the same luminance (BT.709 weights) but redder: its middle alone decides.
        for width, height, column, row in ((512, 256, 400, 60), (256, 512, 70, 380)):
            grain = np.random.default_rng(1).standard_normal((height, width)).astype(np.float32)
            v, u = np.mgrid[0:height, 0:width]
            red = 0.1 * np.exp(-((u - column) ** 2 + (v - row) ** 2) / (2 * 20**2))
            tone = 0.3 * (1 + 0.004 * grain)
            tile = np.stack([tone + red, tone - red * 0.2126 / 0.7152, tone], -1).astype(np.float32)
            first = find_repeat_artifacts(tile)[0]
            with self.subTest(width=width):
                # A step of the grid is 8 of 256 px at the most.
                self.assertAlmostEqual(first.x * width, column, delta=10)
                self.assertAlmostEqual(first.y * height, row, delta=10)
                self.assertTrue(20 <= first.radius * width <= 70, first.radius * width)

    def test_what_has_its_like_is_not_accused_and_what_has_none_is(self) -> None:
        # The very same dark place thrice, and once: it is not how dark it is that catches the eye.
        once = spot(0.3, 0.6, 12, (0.4, 0.4, 0.4))
        thrice = (
            once * (spot(0.75, 0.25, 12, (0.4, 0.4, 0.4)) / ground()) * (spot(0.2, 0.1, 12, (0.4, 0.4, 0.4)) / ground())
        )
        alone, among = (find_repeat_artifacts(tile)[0].strength for tile in (once, thrice))
        self.assertGreater(alone, 1.5 * ALARM)
        self.assertLess(among, 0.75 * alone)

    def test_a_crack_is_found_along_its_middle(self) -> None:
        v, u = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
        line = np.exp(-0.5 * ((v - 300 - 10 * np.sin(u / 30)) / 2.5) ** 2) * (np.abs(u - 200) < 110)
        first = find_repeat_artifacts((ground() * (1 - 0.75 * line[..., None])).astype(np.float32))[0]
        self.assertGreater(first.strength, ALARM)
        self.assertLess(abs(first.y * SIDE - 300), 20)
        self.assertLess(abs(first.x * SIDE - 200), 115)

    def test_a_fine_crack_is_told_as_a_line(self) -> None:
        # Too fine and pale to be a place that differs, and yet seen: it goes on where nothing else does.
        v, u = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
        path = 300 + 0.35 * (u - 200) + 6 * np.sin(u / 30)
        crack = np.exp(-0.5 * ((v - path) / 2.0) ** 2) * (np.abs(u - 200) < 110)
        tile = (ground() * (1 - 0.75 * crack[..., None])).astype(np.float32)
        for by, name in ((0, "as it is"), (250, "over an edge")):
            (line, *_) = [place for place in find_repeats(np.roll(tile, by, 1)).places if place.points]
            with self.subTest(name):
                self.assertGreater(line.strength, ALARM)
                x = (np.array(line.points)[:, 0] * SIDE - by) % SIDE
                off = np.array(line.points)[:, 1] * SIDE - (300 + 0.35 * (x - 200) + 6 * np.sin(x / 30))
                self.assertLess(float(np.abs(off).max()), 8)
                # All of it, from about one end to the other.
                self.assertLess(float(x.min()), 120)
                self.assertGreater(float(x.max()), 280)
                # Its strokes follow it, also over the edge.
                (stroke,) = fill_strokes(line.points, line.radius)
                self.assertLess(float(np.abs(np.diff(np.array(stroke.points)[:, 0])).max()), 0.1)
        self.assertEqual([place for place in find_repeats(ground()).places if place.points], [])

    def test_lines_that_have_their_like_are_not_told(self) -> None:
        # Joints of a wall, and scratches all over.
        v, u = np.mgrid[0:SIDE, 0:SIDE]
        courses = (v % 64 < 3) | ((u + 64 * (v // 64 % 2)) % 128 < 3)
        scratched = ground()
        rng = np.random.default_rng(8)
        for _ in range(40):
            x, y, turn = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(0, np.pi)
            along = (u - x) * np.cos(turn) + (v - y) * np.sin(turn)
            aside = (v - y) * np.cos(turn) - (u - x) * np.sin(turn)
            scratched = scratched * (1 - 0.5 * (np.exp(-0.5 * (aside / 1.6) ** 2) * (np.abs(along) < 90))[..., None])
        for tile in (ground() * np.where(courses, 0.3, 1.0)[..., None], scratched):
            found = find_repeats(np.ascontiguousarray(tile, np.float32)).places
            self.assertEqual([place for place in found if place.points], [])

    def test_slow_blotches_are_told_apart_from_places(self) -> None:
        v, u = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32) * (2 * np.pi / SIDE)
        plain, blotchy = ground(), ground() * (1 + 0.45 * np.sin(u + 1) * np.cos(v))[..., None]
        self.assertLess(find_repeats(plain).blotches, 0.3)
        found = find_repeats(blotchy.astype(np.float32))
        self.assertGreater(found.blotches, ALARM)
        self.assertLess(found.strongest, ALARM)
        self.assertGreaterEqual(found.figure, found.blotches)

    def test_bright_dark_and_coloured_places_alike(self) -> None:
        for by in ((1.8, 1.8, 1.8), (0.5, 0.5, 0.5), (1.3, 0.9, 0.8), (0.85, 1.0, 1.5), (0.85, 1.2, 0.85)):
            first = find_repeat_artifacts(spot(0.4, 0.7, 20, by))[0]
            with self.subTest(by=by):
                self.assertLess(np.hypot(first.x - 0.4, first.y - 0.7), 0.02)
                self.assertGreater(first.strength, ALARM)

    def test_grain_alone_accuses_nothing(self) -> None:
        found = find_repeat_artifacts(ground())
        self.assertLess(found[0].strength, ALARM)

    def test_strongest_first_and_each_place_once(self) -> None:
        found = find_repeat_artifacts(spot(0.02, 0.5, 20, (0.4, 0.4, 0.4)))
        strengths = [place.strength for place in found]
        self.assertEqual(strengths, sorted(strengths, reverse=True))
        self.assertLessEqual(len(found), 14)
        for number, one in enumerate(found):
            for other in found[:number]:
                away = [abs((a - b + 0.5) % 1 - 0.5) for a, b in ((one.x, other.x), (one.y, other.y))]
                # Half as much again as the stronger one reaches lies between them, round the edges too.
                self.assertGreater(np.hypot(*away), 1.5 * other.radius - 16 / 256)

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
        found = [RepeatArtifact(0.1, 0.2, 0.05, strength) for strength in (3.0, 0.8251, 0.8249, 0.2)]
        self.assertEqual(unfit(found), [(0.1, 0.2, 0.05)] * 2, "three quarters of what is seen")


if __name__ == "__main__":
    unittest.main()
