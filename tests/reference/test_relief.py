"""Normals and occlusion against closed forms."""

import unittest

import numpy as np
from scipy.ndimage import map_coordinates

from amber_thicket.core.relief import normal
from amber_thicket.core.shading import horizon
from tests.support import bumps


class NormalTest(unittest.TestCase):
    def test_sine_surface(self) -> None:
        # z = A sin(kx): the normal leans by atan(A k cos kx) against x; elementary calculus.
        side, amplitude, waves = 256, 3.0, 2
        x = np.arange(side)
        k = 2 * np.pi * waves / side
        height = np.tile(amplitude * np.sin(k * x), (side, 1)).astype(np.float32)
        vectors = normal.from_height(height, depth=1.0)
        slope = amplitude * k * np.cos(k * x)
        wanted = np.stack([-slope, np.zeros(side), np.ones(side)], -1) / np.sqrt(1 + slope**2)[:, None]
        degrees = np.degrees(np.arccos(np.clip((vectors[40] * wanted).sum(-1), -1, 1)))
        self.assertLess(float(degrees.max()), 0.05)

    def test_green_points_up(self) -> None:
        # A slope that rises toward the bottom of the picture faces its top: +Y (glTF 2.0, 3.9.3).
        rows = np.tile(np.arange(32, dtype=np.float32)[:, None], (1, 32))
        vectors = normal.from_height(rows, depth=1.0, wraps=False)
        np.testing.assert_allclose(vectors[16, 16], [0, 2**-0.5, 2**-0.5], atol=1e-5)

    def test_unit_length(self) -> None:
        vectors = normal.from_height(bumps(), depth=20.0)
        np.testing.assert_allclose(np.linalg.norm(vectors, axis=-1), 1, atol=1e-5)


def brute_force(height: np.ndarray, depth: float, reach: float, rings: int = 16) -> np.ndarray:
    """Cosine-weighted open part of the hemisphere about the normal, by stratified rays over a wrapped height field."""
    rng = np.random.default_rng(0)
    scaled = height * depth
    vectors = normal.from_height(height, depth=depth)
    side = height.shape[0]
    y, x = np.mgrid[0:side, 0:side].astype(np.float64)
    total, weight = np.zeros_like(scaled, np.float64), np.zeros_like(scaled, np.float64)
    for ring, sector in np.ndindex(rings, 2 * rings):
        z, phi = 2 * (ring + rng.random()) / rings - 1, (sector + rng.random()) * np.pi / rings
        flat = np.sqrt(1 - z * z)
        toward = np.array([flat * np.cos(phi), flat * np.sin(phi), z])
        facing = np.maximum(vectors @ toward, 0)
        open_sky = np.ones_like(scaled, bool)
        distance = 0.75
        while distance * flat < reach and distance < 4 * reach:
            there = map_coordinates(
                scaled, [y - toward[1] * distance, x + toward[0] * distance], order=1, mode="grid-wrap"
            )
            open_sky &= there <= scaled + z * distance + 0.01
            distance += 0.5 + 0.04 * distance
        total += facing * open_sky
        weight += facing
    return total / np.maximum(weight, 1e-9)


class OcclusionTest(unittest.TestCase):
    def test_flat_is_open(self) -> None:
        open_sky = horizon.open_sky(np.full((64, 64), 0.3, np.float32), depth=10, reach=20)
        np.testing.assert_allclose(open_sky, 1, atol=1e-5)

    def test_foot_of_a_wall(self) -> None:
        # At the foot of a wall without end half of the cosine-weighted sky is hidden; Howell, "A Catalog of
        # Radiation Heat Transfer Configuration Factors", B-5 in the limit of an infinite plate at right angles.
        height = np.zeros((128, 128), np.float32)
        height[:, 64:] = 1
        open_sky = horizon.open_sky(height, depth=4000, reach=60, wraps=False)
        # The last floor pixel before the wall has a slope of its own; the one before it has none.
        self.assertAlmostEqual(float(open_sky[64, 62]), 0.5, delta=0.02)

    def test_groove(self) -> None:
        # Two plates of one width with a common edge at angle α see each other by 1 - sin(α/2), so on average the
        # sky by sin(α/2). Howell, configuration C-16.
        for degrees in (60, 90, 120):
            half = np.radians(degrees / 2)
            x = np.abs(np.arange(512) - 255.5)
            profile = np.minimum(x, 100) / np.tan(half)
            height = np.tile(profile, (400, 1)).astype(np.float32)
            open_sky = horizon.open_sky(height, depth=1.0, reach=390, wraps=False)
            wall = (x > 2) & (x < 98)
            self.assertAlmostEqual(float(open_sky[200, wall].mean()), float(np.sin(half)), delta=0.03)

    def test_against_brute_force(self) -> None:
        height = bumps(64, 30)
        ours = horizon.open_sky(height, depth=8.0, reach=14)
        error = ours - brute_force(height, 8.0, 14)
        self.assertLess(float(np.sqrt(np.mean(error**2))), 0.02)
        self.assertLess(abs(float(error.mean())), 0.01)
