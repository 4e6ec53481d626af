"""Stills against an independent path tracer, against what can be worked out by hand, and against the lit view's look."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from amber_thicket.core.lit.still import Look, Passed, SurfaceMaps, developed, followed, neutral
from amber_thicket.core.lit.surroundings import radiance
from bench.lit import LOOKS, difference, kept, made_up


def plain(base: float, roughness: float = 1.0, metallic: float = 0.0, span: float = 0.0, side: int = 16) -> SurfaceMaps:
    one = np.ones((side, side), np.float32)
    normal = np.zeros((side, side, 3), np.float32)
    normal[..., 2] = 1
    return SurfaceMaps(base * np.ones_like(normal), normal, roughness * one, metallic * one, 0.5 * one, span)


def last(maps: SurfaceMaps, look: Look, sky: np.ndarray, paths: int = 64) -> Passed:
    *_, done = followed(maps, look, sky, paths)
    return done


EVEN = np.ones((16, 32, 3), np.float32)
SMALL = Look(size=(48, 36), lamp=0.0, displacement=0.0)


class Stills(unittest.TestCase):
    def test_it_is_what_another_path_tracer_makes_of_the_same_set(self) -> None:
        """Mitsuba 3.9.1 (Jakob et al., 2022), its `principled` surface: mean ΔE00 ≤ 3 is asked; see bench/lit.py."""
        reference, maps = kept(), made_up()
        for name, (look, sky) in LOOKS.items():
            made = last(maps, look, radiance(sky, 512, 256), 64)
            with self.subTest(name):
                self.assertGreater(float((made.cover > 0.99).mean()), 0.25)
                self.assertAlmostEqual(float(made.cover.mean()), float(reference[name].cover.mean()), delta=0.004)
                right = difference(made, reference[name], look)
                self.assertLess(right, 2.2)
                # And it can tell: another roughness, green the other way, or the lamp elsewhere is further off.
                flipped = maps._replace(normal=maps.normal * np.float32([1, -1, 1]))
                for wrong, seen in (
                    (maps._replace(roughness=1 - maps.roughness), look),
                    (flipped, look),
                    (maps, replace(look, bearing=look.bearing + 60)),
                ):
                    other = last(wrong, seen, radiance(sky, 512, 256), 64)
                    self.assertGreater(difference(other, reference[name], look), 1.4 * right)

    def test_white_under_an_even_sky_is_no_brighter_than_the_sky(self) -> None:
        # The furnace: what a white matte slab sends back of even light is what falls on it, less what gloss loses.
        for roughness, least in ((1.0, 0.85), (0.3, 0.95)):
            done = last(plain(1.0, roughness), SMALL, EVEN)
            seen = done.linear[done.cover > 0.99]
            with self.subTest(roughness=roughness):
                self.assertLess(float(seen.mean()), 1.005)
                self.assertGreater(float(seen.mean()), least)
        # A smooth metal gives all of it back.
        done = last(plain(1.0, 0.1, 1.0), SMALL, EVEN)
        self.assertAlmostEqual(float(done.linear[done.cover > 0.99].mean()), 1.0, delta=0.01)

    def test_a_lamp_falls_off_with_the_cosine(self) -> None:
        dark = np.zeros((16, 32, 3), np.float32)
        seen = {}
        for elevation in (90.0, 30.0):
            done = last(plain(0.5), replace(SMALL, lamp=1.0, elevation=elevation), dark, 16)
            seen[elevation] = float(done.linear[done.cover > 0.99].mean())
        # Lambert: half the light at 30°. Base 0.5 under a lamp of one gives a half, less Fresnel's 4 %.
        self.assertAlmostEqual(seen[30.0] / seen[90.0], 0.5, delta=0.03)
        self.assertAlmostEqual(seen[90.0], 0.5, delta=0.03)

    def test_relief_casts_shadows_as_long_as_it_is_high(self) -> None:
        maps = plain(0.5, side=256)
        height = np.zeros((256, 256), np.float32)
        height[:, 100:120] = 1
        maps = maps._replace(height=height, span=0.05)
        # Light from the left at 30°: a wall of .05 of the tile throws .05 / tan 30° = .087 tiles = 22 px to its right.
        look = Look(size=(256, 256), repeat=1, tilt=89.0, bearing=180.0, elevation=30.0, lamp=1.0, displacement=1.0)
        done = last(maps, look, np.zeros((16, 32, 3), np.float32), 8)
        covered = np.flatnonzero(done.cover[128] > 0.99)
        row = done.linear[120:136, covered[0] : covered[-1]].mean((0, 2))
        dark = np.flatnonzero(row < 0.05)
        width = covered[-1] - covered[0]
        shadow = dark[dark > 0.45 * width]
        self.assertAlmostEqual(len(shadow) / width, 0.087, delta=0.012)
        # Without displacement there is none.
        flat = last(maps, replace(look, displacement=0.0), np.zeros((16, 32, 3), np.float32), 8)
        self.assertGreater(float(flat.linear[128, covered[4:-4]].min()), 0.15)

    def test_surroundings_turn_as_the_lit_view_turns_them(self) -> None:
        # One bright patch to the right; turned by −90° it stands before the ball, by 90° behind it (the shader's
        # turned(): x' = x cos − z sin, z' = x sin + z cos).
        sky = np.zeros((32, 64, 3), np.float32)
        sky[14:18, 46:50] = 40
        look = Look(shape="ball", size=(60, 60), tilt=42.0, lamp=0.0)
        seen = {}
        for turn in (0.0, -90.0, 90.0):
            done = last(plain(0.5), replace(look, sky_turn=turn), sky, 32).linear.mean(-1)
            seen[turn] = (
                float(done[25:35, 25:35].mean()),
                float(done[25:35, 40:46].mean() - done[25:35, 14:20].mean()),
            )
        self.assertGreater(seen[0.0][1], 0.2)
        self.assertGreater(seen[-90.0][0], 3 * seen[0.0][0])
        self.assertLess(abs(seen[-90.0][1]), 0.1 * seen[-90.0][0])
        self.assertLess(seen[90.0][0], 0.02 * seen[-90.0][0])
        # And light that is twice as bright is twice as much; a stop is as well.
        dim, bright = (last(plain(0.5), replace(look, sky_light=by), sky, 4).linear.mean() for by in (1.0, 2.0))
        self.assertAlmostEqual(float(bright / dim), 2.0, delta=0.001)
        half, whole = (
            Passed(np.full((1, 1, 3), by, np.float32), np.ones((1, 1), np.float32), 1.0) for by in (0.2, 0.4)
        )
        np.testing.assert_allclose(developed(half, Look(exposure=1.0)), developed(whole, Look(exposure=0.0)), atol=1e-6)

    def test_more_paths_come_nearer_and_the_same_seed_is_the_same_picture(self) -> None:
        look, sky = LOOKS["ball/studio"]
        passes = list(followed(made_up(), look, radiance(sky, 512, 256), 33))
        self.assertEqual([round(33 * one.share) for one in passes], [1, 2, 4, 8, 16, 32, 33])
        errors = [difference(one, kept()["ball/studio"], look) for one in passes]
        self.assertGreater(errors[0], 2 * errors[-1])
        again = last(made_up(), look, radiance(sky, 512, 256), 33)
        np.testing.assert_array_equal(again.linear, passes[-1].linear)

    def test_tones_are_the_published_ones(self) -> None:
        """Khronos PBR neutral tone mapper: greys under .8 − .04 lose .04 alone, brighter ones come near to 1."""
        grey = neutral(np.float32([[0.5] * 3, [0.18] * 3, [50.0] * 3, [0.02] * 3]))
        np.testing.assert_allclose(grey[:2], [[0.46] * 3, [0.14] * 3], atol=1e-6)
        self.assertGreater(float(grey[2].min()), 0.98)
        np.testing.assert_allclose(grey[3], 6.25 * 0.02 * 0.02, atol=1e-6)
        shown = developed(
            Passed(np.full((2, 2, 3), 0.5, np.float32), np.float32([[1, 0], [1, 0]]), 1.0), Look(exposure=0)
        )
        np.testing.assert_allclose(shown[:, 1], 119 / 255, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
