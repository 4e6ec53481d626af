"""Curvature of waves, whose difference of Gaussians is known in closed form."""

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.raster import Raster
from amber_thicket.core.relief.curvature import curvature, decide_curvature, given_curvature
from tests.support import frame

SIDE, CYCLES, SPAN = 256, 3, 0.04
TURN = 2 * np.pi * CYCLES / SIDE
WAVE = np.tile((0.5 + 0.3 * np.cos(TURN * np.arange(SIDE))).astype(np.float32), (SIDE, 1))
PLAIN = {"side": "both", "width": 3.0, "contrast": 1.0, "softness": 0.0, "in_pack": False}


def bend(width: float) -> float:
    """The amplitude of the bends: what a Gaussian of .6 σ leaves more than one of 1.6 σ, in rise per run."""
    sigma = max(width / 100 * SIDE / 2, 0.5)
    left = [np.exp(-0.5 * (part * sigma * TURN) ** 2) for part in (0.6, 1.6)]
    return 0.3 * (left[0] - left[1]) * SPAN * SIDE / sigma


def made(field: np.ndarray = WAVE, **settings: Any) -> np.ndarray:
    layer, chosen = Raster(field, span=SPAN), {**PLAIN, **settings}
    decided = decide_curvature(layer, frame=frame(SIDE), **{k: chosen[k] for k in ("width",)})
    return curvature(layer, frame=frame(SIDE), decided=decided, **chosen).pixels[0]


class CurvatureTest(unittest.TestCase):
    def test_how_far_bends_go(self) -> None:
        """The mean of |cos| is 2/π."""
        for width in (1.0, 3.0):
            found = decide_curvature(Raster(WAVE, span=SPAN), frame=frame(SIDE), width=width)
            self.assertAlmostEqual(found / (bend(width) * 2 / np.pi), 1, delta=0.02)
        self.assertEqual(decide_curvature(Raster(np.full((32, 32), 0.5, np.float32)), frame=frame(32), width=1.0), 1e-6)

    def test_both_sides_about_grey(self) -> None:
        for contrast in (1.0, 2.5):
            expected = 0.5 + 0.5 * np.tanh(0.4 * contrast * np.pi / 2 * np.cos(TURN * np.arange(SIDE)))
            np.testing.assert_allclose(made(contrast=contrast), expected, atol=0.01)

    def test_edges_and_grooves_alone(self) -> None:
        both = 2 * made() - 1
        np.testing.assert_allclose(made(side="convex"), np.maximum(both, 0), atol=1e-5)
        np.testing.assert_allclose(made(side="concave"), np.maximum(-both, 0), atol=1e-5)

    def test_softness(self) -> None:
        """A Gaussian leaves exp(−σ²ω²/2) of the ground wave."""
        along = np.cos(TURN * np.arange(SIDE))
        hard, soft = (float((2 * made(softness=s) - 1) @ along) for s in (0.0, 2.0))
        self.assertAlmostEqual(soft / hard, np.exp(-0.5 * (0.02 * SIDE * TURN) ** 2), delta=0.01)

    def test_a_brought_map_stays(self) -> None:
        brought = Raster(WAVE)
        self.assertIs(given_curvature(brought, frame=frame(SIDE)), brought)


if __name__ == "__main__":
    unittest.main()
