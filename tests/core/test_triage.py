"""Triage against photographs of the bench with known faults: each fault found, clean photographs not accused."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from amber_thicket.core.gather.features import count_features
from amber_thicket.core.gather.orient import turned_box
from amber_thicket.core.gather.triage import noise_of, triage
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb
from amber_thicket.core.shading.raking import ONE_SIDE, raking
from amber_thicket.demo.library import CAPTURES
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph
from tests.support import linear_photograph, rig_surface, wall


class TriageTest(unittest.TestCase):
    def accused(self, pixels: np.ndarray) -> set[str]:
        return {f["what"] for f in triage(pixels, bits=8, floating=False) if f["level"] == "attention"}

    def test_each_fault_is_found_and_clean_ones_are_not_accused(self) -> None:
        for capture in (CAPTURES[0], CAPTURES[2], CAPTURES[4]):
            surface = capture.make(1024, capture.seed)
            clean = Shot(bearing=capture.shot.bearing, elevation=45, sky=0.7, fall_off=0.05, noise=0.004)
            for fault, shot in (
                (None, clean),
                ("Soft", replace(clean, focus=3.0)),
                ("Noise", replace(clean, noise=0.05)),
                ("Burnt out", replace(clean, exposure=2.2)),
                ("Uneven light", replace(clean, fall_off=0.85)),
            ):
                with self.subTest(surface=capture.name, fault=fault):
                    codes = photograph(surface, shot, np.random.default_rng(2))
                    found = self.accused(decode_srgb(codes))
                    self.assertEqual(found & {"Soft", "Noise", "Burnt out", "Uneven light"}, {fault} - {None})

    def test_clean_photographs_of_other_surfaces_are_not_accused(self) -> None:
        # None of these served to set the limits.
        for name in ("verdigris_copper", "deck_planks", "tide_pebbles", "tarred_felt", "embossed_hide"):
            shot = Shot(bearing=110, elevation=45, sky=0.7, fall_off=0.05, noise=0.004)
            codes = photograph(rig_surface(name, 1024, 11), shot, np.random.default_rng(1))
            # Seven boards, one and a half times as long as the picture is wide, are few.
            few = {"Few features"} if name == "deck_planks" else set()
            # A lamp stands on one side of all of them; on some it shows.
            self.assertEqual(self.accused(decode_srgb(codes)) - {"Light from one side"}, few, name)

    def test_views_from_an_angle_are_found_and_straight_ones_are_not_accused(self) -> None:
        slanted = Stand(tilt=-35, pan=9, roll=2, picture=(1600, 1200), distance=1.35)
        straight = Stand(distance=1.3, picture=(1200, 1200))
        for capture in (CAPTURES[0], CAPTURES[3]):
            surface = capture.make(1536, capture.seed)
            for stand in (slanted, straight):
                with self.subTest(surface=capture.name, tilt=stand.tilt):
                    codes = photograph(surface, capture.shot, np.random.default_rng(1), stand)
                    found = {f["what"]: f for f in triage(decode_srgb(codes), bits=8, floating=False)}
                    self.assertEqual("Tilt" in found, stand is slanted, found.get("Tilt") or found.get("Straight on"))
                    if stand is slanted and found["Tilt"]["box"]:
                        self.assertLess(found["Tilt"]["box"][1], 0.01, "the far side is the upper one")
        # Photographs of scikit-image, CC0: gravel and grass from above; the bricks fan out.
        for name, tilted in (("gravel", False), ("grass", False), ("brick", True)):
            found = self.accused(linear_photograph(name))
            self.assertEqual("Tilt" in found, tilted, name)

    def test_plain_margins_are_found(self) -> None:
        codes = photograph(CAPTURES[0].make(512, 3), Shot(), np.random.default_rng(2))
        self.assertNotIn("Plain margin", self.accused(decode_srgb(codes)))
        framed = cv2.copyMakeBorder(codes, 20, 60, 0, 40, cv2.BORDER_CONSTANT, value=(250, 250, 250))
        found = {f["what"]: f for f in triage(decode_srgb(framed), bits=8, floating=False)}
        left, top, right, bottom = found["Plain margin"]["box"]
        for have, wanted in ((left, 0), (top, 20 / 592), (right, 512 / 552), (bottom, 532 / 592)):
            self.assertAlmostEqual(have, wanted, delta=0.01)

    def test_findings_show_where(self) -> None:
        codes = photograph(CAPTURES[2].make(512, 3), Shot(exposure=0.6), np.random.default_rng(2))
        cv2.circle(codes, (200, 120), 40, (255, 255, 255), -1)
        found = {f["what"]: f for f in triage(decode_srgb(codes), bits=8, floating=False)}
        for what in ("Glare", "Burnt out"):
            left, top, right, bottom = found[what]["box"]
            self.assertAlmostEqual((left + right) / 2, 200 / 512, delta=0.03)
            self.assertAlmostEqual((top + bottom) / 2, 120 / 512, delta=0.03)
        self.assertEqual(turned_box((0.1, 0.2, 0.3, 0.5), "90", False), (0.5, 0.1, 0.8, 0.3))

    def test_noise_is_measured(self) -> None:
        # White noise of a known spread on a flat card: Immerkær's estimate is that spread.
        rng = np.random.default_rng(1)
        for sigma in (2.0, 6.0):
            codes = np.float32(0.5) + rng.normal(0, sigma / 255, (512, 512, 3)).astype(np.float32)
            self.assertAlmostEqual(noise_of(codes), sigma, delta=0.15 * sigma)

    def test_features_are_counted(self) -> None:
        for across, down in ((4, 8), (6, 10), (12, 24)):
            found = count_features(wall(across=across, down=down))
            with self.subTest(across=across):
                self.assertAlmostEqual(found.across or 0, across, delta=0.25 * across)
                self.assertAlmostEqual(found.down or 0, down, delta=0.25 * down)
        half = count_features(np.ascontiguousarray(wall(across=12, down=24)[:300, :300]))
        self.assertAlmostEqual(half.across or 0, 6, delta=1.5)
        for name in ("grass", "gravel"):
            self.assertIsNone(count_features(linear_photograph(name)).across, "grown over or lying on each other")

    def test_few_large_ones_are_told_and_what_cannot_be_told_is_not_guessed(self) -> None:
        def told(pixels: np.ndarray) -> dict[str, str]:
            return {f["what"]: f["measured"] for f in triage(pixels, bits=8, floating=False)}

        self.assertIn("4 down", told(wall(across=2, down=4))["Few features"])
        self.assertIn("down", told(wall(across=6, down=12))["Features"])
        self.assertEqual(told(linear_photograph("grass"))["Features"], "cannot tell")

    def test_size_speaks_of_what_a_tile_keeps(self) -> None:
        # A fifth of the picture is spent where its copies overlap: of 1024 px are left 853.
        finding = next(
            f for f in triage(np.full((1024, 1024, 3), 0.2, np.float32), bits=8, floating=False) if f["what"] == "Size"
        )
        self.assertEqual(finding["advice"], "Enough for maps of 512 px; 1024 px would be enlarged 1.2 ×.")

    def test_strips_that_were_not_photographed_are_named(self) -> None:
        pixels = linear_photograph("gravel")
        for name, turn in (("top", 0), ("left", 1), ("bottom", 2), ("right", 3)):
            for what, strip in (("Mirrored edge", pixels[:60][::-1]), ("Smeared edge", np.repeat(pixels[:1], 60, 0))):
                made = np.ascontiguousarray(np.rot90(np.concatenate([strip, pixels]), turn))
                found = {f["what"]: f for f in triage(made, bits=8, floating=False)}
                with self.subTest(what, side=name):
                    self.assertIn(f"at the {name}", found[what]["measured"])
                    left, top, right, bottom = found[what]["box"]
                    deep = (right - left) if name in ("left", "right") else (bottom - top)
                    self.assertAlmostEqual(deep, 60 / 572, delta=0.02)
        self.assertFalse({what for what in self.accused(pixels) if "edge" in what})

    def test_light_that_check_finds_is_found_here_by_the_same_figure(self) -> None:
        surface = rig_surface("lime_render", 512, 3)
        lit = decode_srgb(photograph(surface, Shot(bearing=100, elevation=25, sky=0.3), np.random.default_rng(1)))
        found = {f["what"]: f["measured"] for f in triage(lit, bits=8, floating=False)}
        light = raking(lit)
        self.assertGreater(light.weight, ONE_SIDE)
        self.assertIn("along", found["Light from one side"])
        self.assertAlmostEqual(float(found["Light from one side"].split()[-1].rstrip("°")), light.bearing, delta=5)
        self.assertNotIn("Light from one side", self.accused(linear_photograph("gravel")))

    def test_glare_and_size(self) -> None:
        codes = photograph(CAPTURES[0].make(512, 3), Shot(), np.random.default_rng(2))
        cv2.circle(codes, (200, 200), 40, (255, 255, 255), -1)
        self.assertIn("Glare", self.accused(decode_srgb(codes)))
        self.assertIn("Small", self.accused(decode_srgb(codes[:300, :300])))

    def test_any_size_is_looked_at(self) -> None:
        for shape in ((16, 16, 3), (17, 300, 3), (64, 64, 3)):
            self.assertTrue(triage(np.full(shape, 0.2, np.float32), bits=16, floating=False))
        self.assertTrue(np.isfinite(encode_srgb(np.zeros((4, 4), np.float32))).all())
