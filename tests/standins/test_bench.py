"""The simulated capture bench: its light obeys the physics it claims."""

import unittest

import numpy as np

from amber_thicket.demo.library import CAPTURES
from amber_thicket.standins.bench.camera import Shot, cast_shadow, light_field


class BenchTest(unittest.TestCase):
    def test_shadow_length(self) -> None:
        # A wall of height h under light of elevation e casts a shadow of h / tan(e): elementary geometry.
        height = np.zeros((40, 200), np.float32)
        height[:, 100:130] = 20
        for elevation in (30.0, 45.0, 60.0):
            lit = cast_shadow(height, 0.0, elevation, 120)
            shadow = int((lit[20, :100] < 0.5).sum())
            self.assertAlmostEqual(shadow, 20 / np.tan(np.radians(elevation)), delta=3)

    def test_fall_off_follows_its_bearing(self) -> None:
        field = light_field((64, 64), Shot(fall_off=0.6, fall_off_bearing=0, vignette=0))
        self.assertGreater(float(field[32, -1]), 1.5 * float(field[32, 0]))

    def test_surfaces_are_seeded_and_structured(self) -> None:
        for capture in CAPTURES:
            surface, again = capture.make(256, 5), capture.make(256, 5)
            np.testing.assert_array_equal(surface.albedo, again.albedo)
            self.assertFalse(np.array_equal(surface.albedo, capture.make(256, 6).albedo))
            # Structure at several scales: no octave of the height is empty.
            spectrum = np.abs(np.fft.rfft2(surface.height - surface.height.mean())) ** 2
            radius = np.hypot(np.fft.fftfreq(256)[:, None], np.fft.rfftfreq(256)[None]) * 256
            for low in (4, 8, 16, 32, 64):
                self.assertGreater(
                    float(spectrum[(radius >= low) & (radius < 2 * low)].sum() / spectrum.sum()),
                    1e-4,
                    (capture.name, low),
                )
