"""Normals of planes and waves, whose slopes are known in closed form, for every setting."""

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.raster import Raster
from amber_thicket.core.relief.normal import from_height, given_normal, laid_on, normal, steeper
from tests.support import frame

SIDE, CYCLES, DEPTH = 64, 4, 3.0
TURN = 2 * np.pi * CYCLES / SIDE
X = np.arange(SIDE)
WAVE = np.tile((0.5 + 0.25 * np.sin(TURN * X)).astype(np.float32), (SIDE, 1))
PLAIN = {"strength": 1.0, "kernel": "even", "crispness": 0.0, "crisp_size": 0.4, "detail": 1.0}


def made(
    field: np.ndarray = WAVE, laid: np.ndarray | None = None, span: float = DEPTH / SIDE, **settings: Any
) -> np.ndarray:
    brought = None if laid is None else Raster(laid, vectors=True)
    return normal(Raster(field, span=span), brought, frame=frame(SIDE), **{**PLAIN, **settings}).pixels


def slope_of(vectors: np.ndarray) -> np.ndarray:
    """Rise per run toward the right of each column."""
    return (-vectors[..., 0] / vectors[..., 2])[0]


def unit(*vector: float) -> np.ndarray:
    return np.float32(vector) / np.linalg.norm(vector)


class PlaneTest(unittest.TestCase):
    def test_planes_lean_as_they_rise(self) -> None:
        """Rising by a to the right and by b to the top, a plane has the normal (−a, −b, 1), of unit length."""
        y, x = np.mgrid[0:16, 0:16].astype(np.float32)
        for a, b in ((0.5, 0.0), (0.0, 0.5), (-0.25, 1.5)):
            vectors = from_height((a * x - b * y) / 10, depth=10.0, wraps=False)
            np.testing.assert_allclose(vectors[8, 8], unit(-a, -b, 1), atol=1e-5)

    def test_edges_meet_where_they_should(self) -> None:
        wrapped = from_height(WAVE, depth=DEPTH)
        np.testing.assert_allclose(wrapped[:, 0], from_height(np.roll(WAVE, 5, 1), depth=DEPTH)[:, 5], atol=1e-6)


class KernelTest(unittest.TestCase):
    def test_waves_by_each_kernel(self) -> None:
        """Of sin(ωx) central differences give sin(ω)·cos(ωx), five points (Savitzky & Golay 1964) (2 sin ω + 4 sin 2ω)/10
        of it; the Scharr operator sees what runs straight down as central differences do."""
        crisp = np.sin(TURN)
        calm = (2 * np.sin(TURN) + 4 * np.sin(2 * TURN)) / 10
        for kernel, gain in (("even", crisp), ("crisp", crisp), ("calm", calm)):
            expected = 0.25 * DEPTH * gain * np.cos(TURN * X)
            np.testing.assert_allclose(slope_of(made(kernel=kernel)), expected, atol=2e-5, err_msg=kernel)

    def test_up_is_up_for_each_kernel(self) -> None:
        """Green points up where the surface falls toward the top (+Y up, rows downwards)."""
        for kernel in ("even", "crisp", "calm"):
            vectors = made(np.ascontiguousarray(WAVE.T), kernel=kernel)
            falling = np.cos(TURN * X) > 0.5
            self.assertTrue((vectors[falling, :, 1] > 0).all(), kernel)
            np.testing.assert_allclose(
                vectors[..., 1].T / vectors[..., 2].T,
                -made(kernel=kernel)[..., 0] / made(kernel=kernel)[..., 2],
                atol=1e-5,
            )


class SettingTest(unittest.TestCase):
    def test_strength_multiplies_slopes(self) -> None:
        for strength in (0.0, 0.5, 3.0):
            np.testing.assert_allclose(slope_of(made(strength=strength)), strength * slope_of(made()), atol=1e-5)

    def test_depth_and_size_of_the_tile_count(self) -> None:
        np.testing.assert_allclose(slope_of(made(span=2 * DEPTH / SIDE)), 2 * slope_of(made()), atol=1e-5)

    def test_crispness_by_the_closed_form(self) -> None:
        """A Gaussian leaves g = exp(−σ²ω²/2) of a wave: crispness c makes g + (1 + c)(1 − g) of it."""
        sigma = 0.02 * SIDE
        g = np.exp(-0.5 * (sigma * TURN) ** 2)
        for crispness in (-100.0, -50.0, 200.0):
            gain = g + (1 + crispness / 100) * (1 - g)
            found = slope_of(made(crispness=crispness, crisp_size=2.0))
            np.testing.assert_allclose(found, gain * slope_of(made()), atol=4e-3)

    def test_a_detail_lies_on_the_surface(self) -> None:
        lean = np.tile(unit(0.3, -0.2, 1), (SIDE, SIDE, 1))
        flat = np.full((SIDE, SIDE), 0.5, np.float32)
        np.testing.assert_allclose(made(flat, lean)[4, 4], unit(0.3, -0.2, 1), atol=1e-5)
        np.testing.assert_allclose(made(flat, lean, detail=2.0)[4, 4], unit(0.6, -0.4, 1), atol=1e-5)
        np.testing.assert_allclose(made(flat, lean, detail=0.0)[4, 4], (0, 0, 1), atol=1e-6)


class VectorTest(unittest.TestCase):
    def test_laid_on_by_the_published_formula(self) -> None:
        """Barré-Brisebois & Hill 2012: t = base + (0, 0, 1), u = detail · (−1, −1, 1), r = t·(t·u)/t.z − u."""
        base, detail = unit(0.4, 0.1, 0.9), unit(-0.2, 0.5, 0.8)
        t, u = base + np.float32([0, 0, 1]), detail * [-1, -1, 1]
        expected = unit(*(t * np.dot(t, u) / t[2] - u))
        found = laid_on(base.reshape(1, 1, 3), detail.reshape(1, 1, 3))[0, 0]
        np.testing.assert_allclose(found, expected, atol=1e-5)

    def test_flat_changes_nothing(self) -> None:
        lean, flat = unit(0.4, 0.1, 0.9).reshape(1, 1, 3), np.float32([[[0, 0, 1]]])
        np.testing.assert_allclose(laid_on(lean, flat), lean, atol=1e-6)
        np.testing.assert_allclose(laid_on(flat, lean), lean, atol=1e-6)

    def test_a_brought_normal_keeps_its_numbers_and_takes_strength(self) -> None:
        lean = Raster(np.tile(unit(0.3, -0.6, 1), (2, 2, 1)), vectors=True)
        self.assertIs(given_normal(lean, frame=frame(2), strength=1.0), lean)
        np.testing.assert_allclose(
            given_normal(lean, frame=frame(2), strength=0.5).pixels[0, 0], unit(0.15, -0.3, 1), atol=1e-6
        )
        np.testing.assert_allclose(steeper(lean.pixels, 3.0)[1, 1], unit(0.9, -1.8, 1), atol=1e-6)


if __name__ == "__main__":
    unittest.main()
