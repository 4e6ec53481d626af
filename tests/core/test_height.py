"""Height from banded tone: every setting by a value worked out beforehand."""

import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from amber_thicket.core.gather.maps import Settings as Maps
from amber_thicket.core.raster import Raster
from amber_thicket.core.relief.height import (
    Decided,
    decide_given,
    decide_height,
    decide_integrated,
    given_height,
    height,
    height_of_normals,
)
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.shading.slope import slopes, typical_slope
from tests.support import frame

SIDE = 64
PLAIN = {"invert": False, "low": 0.0, "high": 100.0, "middle": 1.0, "maps": Maps()}
FRAME = frame(SIDE)


def waves(amplitude: float = 1.0) -> np.ndarray:
    y, x = np.mgrid[0:SIDE, 0:SIDE] * (2 * np.pi / SIDE)
    return (amplitude * (np.sin(2 * x) + np.cos(3 * y)) / 2).astype(np.float32)


def made(field: np.ndarray, decided: Decided, **settings: Any) -> Raster:
    return height(Raster(field), frame=FRAME, decided=decided, steepness=0.45, **{**PLAIN, **settings})


class LevelsTest(unittest.TestCase):
    def values(self, *field: float, **settings: Any) -> list[float]:
        pixels = np.tile(np.float32(field), (SIDE, 1))
        return [round(float(v), 4) for v in made(pixels, Decided(0.0, 2.0, 0.1), **settings).pixels[0]]

    def test_the_range_becomes_0_to_1(self) -> None:
        self.assertEqual(self.values(0.5, 1.0, 1.5), [0.25, 0.5, 0.75])

    def test_inverted(self) -> None:
        self.assertEqual(self.values(0.5, 1.0, 1.5, invert=True), [0.75, 0.5, 0.25])

    def test_lowest_and_highest(self) -> None:
        # (v − .2) / (.8 − .2) of .25, .5 and .75.
        self.assertEqual(self.values(0.5, 1.0, 1.5, low=20.0, high=80.0), [0.0833, 0.5, 0.9167])
        self.assertEqual(self.values(0.5, 1.0, low=10.0), [0.1667, 0.4444])
        self.assertEqual(self.values(0.5, 1.0, high=60.0), [0.4167, 0.8333])

    def test_lowest_above_highest_is_a_hundredth_apart(self) -> None:
        self.assertEqual(self.values(1.0, low=50.0, high=50.0), self.values(1.0, low=50.0, high=51.0))

    def test_the_middle_bends(self) -> None:
        self.assertEqual(self.values(0.5, 1.0, middle=2.0), [0.5, 0.7071])
        self.assertEqual(self.values(0.5, 1.0, middle=0.5), [0.0625, 0.25])

    def test_the_ends_are_bent_not_cut(self) -> None:
        """A knee of .03: at the limit itself (1 − e⁻¹)·.03 inside of it; far beyond, at it."""
        ends = self.values(-4.0, 0.0, 2.0, 6.0)
        self.assertEqual(ends[0], 0.0)
        self.assertAlmostEqual(ends[1], 0.03 * np.exp(-1), places=4)
        self.assertAlmostEqual(ends[2], 1 - 0.03 * np.exp(-1), places=4)
        self.assertEqual(ends[3], 1.0)


class DepthTest(unittest.TestCase):
    def test_the_range_leaves_out_a_thousandth_and_adds_room(self) -> None:
        field = (
            np.random.default_rng(1).permutation(np.linspace(0, 1, SIDE * SIDE).astype(np.float32)).reshape(SIDE, SIDE)
        )
        floor, top, _ = decide_height(Raster(field), frame=FRAME, steepness=0.45, **PLAIN)
        seen = np.sort(field[::2, ::2].ravel())
        low, high = seen[round(0.001 * (seen.size - 1))], seen[round(0.999 * (seen.size - 1))]
        self.assertAlmostEqual(floor, low - 0.03 * (high - low), places=5)
        self.assertAlmostEqual(top, high + 0.03 * (high - low), places=5)

    def test_the_depth_gives_the_steepness(self) -> None:
        for steepness in (0.1, 0.45, 0.9):
            decided = decide_height(Raster(waves()), frame=FRAME, steepness=steepness, **PLAIN)
            pixels = made(waves(), decided).pixels
            self.assertAlmostEqual(typical_slope(pixels) * decided.span * SIDE, steepness, places=3)

    def test_never_deeper_than_the_tile_is_wide(self) -> None:
        decided = decide_height(Raster(waves(1e-9)), frame=FRAME, steepness=3.0, **PLAIN)
        self.assertEqual(decided.span, 1.0)
        steep = decide_height(Raster(waves()), frame=FRAME, steepness=3.0, **PLAIN)
        self.assertLess(steep.span, 1.0)

    def test_the_depth_is_told(self) -> None:
        plain = made(waves(), Decided(-1.0, 1.0, 0.0321))
        self.assertEqual((plain.span, plain.evidence), (0.0321, {"depth_percent_of_tile": 3.21}))
        known = height(Raster(waves(), evidence={"bearing": 5.0}), frame=frame(SIDE, tile_mm=400.0),
                       decided=Decided(-1.0, 1.0, 0.0321), steepness=0.45, **PLAIN)  # fmt: skip
        self.assertEqual(known.evidence, {"depth_percent_of_tile": 3.21, "depth_mm": 12.84, "bearing": 5.0})


class BroughtTest(unittest.TestCase):
    def test_values_stay_as_they_are(self) -> None:
        field = np.random.default_rng(2).random((SIDE, SIDE)).astype(np.float32)
        decided = decide_given(Raster(field), None, frame=FRAME, steepness=0.45, **PLAIN)
        kept = given_height(Raster(field), None, frame=FRAME, decided=decided, steepness=0.45, **PLAIN)
        np.testing.assert_array_equal(kept.pixels, field)
        self.assertEqual(kept.span, decided.span)
        turned = given_height(Raster(field), None, frame=FRAME, decided=decided, **{**PLAIN, "invert": True})
        np.testing.assert_allclose(turned.pixels, 1 - field, atol=1e-6)

    def test_levels_are_plain_there(self) -> None:
        field = np.tile(np.float32([0.1, 0.25, 0.5, 0.9]), (4, 1))
        for settings, expected in (
            ({"low": 20.0, "high": 80.0}, [0, 0.0833, 0.5, 1]),
            ({"low": 20.0}, [0, 0.0625, 0.375, 0.875]),
            ({"high": 50.0}, [0.2, 0.5, 1, 1]),
            ({"middle": 2.0}, [0.3162, 0.5, 0.7071, 0.9487]),
        ):
            made = given_height(
                Raster(field), None, frame=FRAME, decided=Decided(0.0, 1.0, 0.1), **{**PLAIN, **settings}
            )
            np.testing.assert_allclose(made.pixels[0], expected, atol=1e-4)

    def test_the_normal_beside_it_says_the_depth(self) -> None:
        field = (0.5 + 0.4 * waves()).astype(np.float32)
        for depth in (2.0, 5.0):
            vectors = Raster(from_height(field, depth=depth))
            decided = decide_given(Raster(field), vectors, frame=FRAME, steepness=0.45, **PLAIN)
            self.assertAlmostEqual(decided.span * SIDE, depth, places=3)
        self.assertEqual(decided[:2], (0.0, 1.0))

    def test_what_somebody_said_is_the_depth(self) -> None:
        field = (0.5 + 0.4 * waves()).astype(np.float32)
        vectors = Raster(from_height(field, depth=3.0))
        told = {**PLAIN, "maps": Maps(height_mm=12.0)}
        known = replace(FRAME, tile_mm=240.0)
        self.assertEqual(decide_given(Raster(field), vectors, frame=known, steepness=0.45, **told), (0.0, 1.0, 0.05))
        # Without a real width it says nothing.
        decided = decide_given(Raster(field), vectors, frame=FRAME, steepness=0.45, **told)
        self.assertAlmostEqual(decided.span * SIDE, 3.0, places=3)

    def test_a_normal_alone_is_integrated(self) -> None:
        field = (0.5 + 0.4 * waves()).astype(np.float32)
        vectors = Raster(from_height(field, depth=6.0))
        decided = decide_integrated(vectors, frame=FRAME)
        extent = 6.0 * float(field.max() - field.min()) / SIDE
        self.assertAlmostEqual(decided.top - decided.floor, 1.04 * extent, places=3)
        made = height_of_normals(vectors, frame=FRAME, decided=decided, steepness=0.45, **PLAIN)
        self.assertAlmostEqual(made.span, 1.04 * extent, places=3)
        right, up = slopes(made.pixels * np.float32(made.span * SIDE), wraps=True)
        expected = slopes(field * np.float32(6.0), wraps=True)
        inside = (made.pixels > 0.1) & (made.pixels < 0.9)
        np.testing.assert_allclose(right[inside], expected[0][inside], atol=0.02)
        np.testing.assert_allclose(up[inside], expected[1][inside], atol=0.02)


if __name__ == "__main__":
    unittest.main()
