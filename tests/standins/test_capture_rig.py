"""The simulated capture bench: its light obeys the physics it claims."""

import unittest

import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb
from amber_thicket.standins.capture_rig.camera import Shot, cast_shadow, light_field, photograph, ring
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface


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

    def test_a_ring_of_lamps_obeys_lambert(self) -> None:
        # Lambert's cosine law: a plane leaning by 20 degrees to the right shows cos(angle to the lamp).
        side, lean = 128, np.radians(20)
        x = np.arange(side, dtype=np.float32)[None].repeat(side, 0)
        grey, half = np.full((side, side), 0.9, np.float32), np.full((side, side, 3), 0.4, np.float32)
        plane = Surface((np.tan(lean) * (side - x)).astype(np.float32), half, grey, grey * 0, 100.0)
        base = Shot(sky=0.0, noise=0.0, vignette=0.0, warmth=0.0, gloss=0.0, white=2.0)
        shots = ring(8, first=30, clockwise=True, elevation=50, shot=base)
        self.assertEqual([round(s.bearing) for s in shots], [30, 345, 300, 255, 210, 165, 120, 75])
        normal = np.array([np.sin(lean), 0, np.cos(lean)])
        seen, wanted = [], []
        for shot in shots:
            bearing, up = np.radians(shot.bearing), np.radians(shot.elevation)
            lamp = np.array([np.cos(bearing) * np.cos(up), np.sin(bearing) * np.cos(up), np.sin(up)])
            wanted.append(float(normal @ lamp))
            codes = photograph(plane, shot, np.random.default_rng(1))
            seen.append(float(decode_srgb(codes)[48:80, 48:80].mean()))
        np.testing.assert_allclose(np.array(seen) / np.mean(seen), np.array(wanted) / np.mean(wanted), rtol=0.05)

    def test_metal_has_no_body_colour(self) -> None:
        copper = KINDS["verdigris_copper"](256, 5)
        self.assertGreater(float((copper.metallic > 0.9).mean()), 0.2)
        self.assertGreater(float((copper.metallic < 0.1).mean()), 0.2)
        # Metal base colours are bright: at least 180 of 255 in the brightest channel where it is bare and clean
        # (common practice, no source); patina is a plain dielectric.
        bare = copper.albedo[copper.metallic > 0.95].max(-1)
        self.assertGreater(float(np.median(encode_srgb(bare))) * 255, 150)

    def test_surfaces_are_seeded_and_structured(self) -> None:
        self.assertGreaterEqual(len(KINDS), 8)
        for name, make in KINDS.items():
            surface, again = make(256, 5), make(256, 5)
            np.testing.assert_array_equal(surface.albedo, again.albedo)
            self.assertFalse(np.array_equal(surface.albedo, make(256, 6).albedo))
            # Structure at several scales: no octave of the height is empty.
            spectrum = np.abs(np.fft.rfft2(surface.height - surface.height.mean())) ** 2
            radius = np.hypot(np.fft.fftfreq(256)[:, None], np.fft.rfftfreq(256)[None]) * 256
            for low in (4, 8, 16, 32, 64):
                self.assertGreater(
                    float(spectrum[(radius >= low) & (radius < 2 * low)].sum() / spectrum.sum()),
                    1e-4,
                    (name, low),
                )
