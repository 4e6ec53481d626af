"""Colour targets: published values, found in photographs, and the matrix that follows, against the bench's camera."""

from __future__ import annotations

import unittest

import colour
import numpy as np

from amber_thicket.core.chart.find import chart_at, find_chart
from amber_thicket.core.chart.fit import fit_chart, lab_of
from amber_thicket.core.chart.reference import PATCHES, reference_linear
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.difference import ciede2000
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.standins.capture_rig.colour_target import CAMERA, photograph_target
from tests.support import evaluation, rig_surface


class Published(unittest.TestCase):
    def test_values_of_the_patches(self) -> None:
        """McCamy, Marcus & Davidson 1976, as the data sets of colour-science give them."""
        chart = colour.CCS_COLOURCHECKERS["ColorChecker 1976"]
        for (_, *ours), theirs in zip(PATCHES, chart.data.values(), strict=True):
            np.testing.assert_allclose(ours, theirs, atol=1e-9)
        xyz = np.array([colour.xyY_to_XYZ(value) for value in chart.data.values()])
        theirs = colour.XYZ_to_RGB(xyz, "sRGB", chart.illuminant, chromatic_adaptation_transform="Bradford")
        np.testing.assert_allclose(reference_linear(), theirs, atol=2e-4)

    def test_difference_of_colours(self) -> None:
        """Sharma, Wu & Dalal 2005, table 1 (rows 1, 7, 13, 17 and 24), and colour-science on many more."""
        for one, other, wanted in (
            ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
            ((50, 0, 0), (50, -1, 2), 2.3669),
            ((50, -0.001, 2.49), (50, 0.0009, -2.49), 4.8045),
            ((50, 2.5, 0), (73, 25, -18), 27.1492),
            ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ):
            self.assertAlmostEqual(float(ciede2000(np.array(one), np.array(other))), wanted, places=3)
        rng = np.random.default_rng(1)
        one = rng.uniform([0, -100, -100], [100, 100, 100], (400, 3))
        other = one + rng.normal(0, 9, (400, 3))
        np.testing.assert_allclose(ciede2000(one, other), colour.delta_E(one, other, method="CIE 2000"), atol=1e-9)


class Photographed(unittest.TestCase):
    def test_found_wherever_it_lies_and_its_matrix_undoes_the_camera(self) -> None:
        for kind, turn, size in (("cork_board", 8, 0.5), ("tide_pebbles", -25, 0.35), ("deck_planks", 172, 0.6)):
            background = rig_surface(kind, 800, 5).albedo
            shot = photograph_target(background, np.random.default_rng(3), turn=turn, size=size)
            pixels = decode_srgb(shot.codes)
            found = find_chart(pixels)
            np.testing.assert_allclose(found.corners, shot.corners, atol=0.0025, err_msg=kind)
            fit = fit_chart(found.colours)
            self.assertLess(float(fit.after.mean()), 1.0)
            self.assertGreater(float(fit.before.mean()), 6.0)
            # Brought back through the matrix, camera and lamp are gone.
            light = np.array([[0.3, 0.2, 0.1], [0.1, 0.3, 0.2], [0.2, 0.2, 0.2]])
            seen = light * np.array([1.08, 1.0, 0.78]) * 0.8 @ CAMERA.T
            made = seen @ fit.matrix.T * 2.0**fit.stops
            self.assertLess(float(ciede2000(lab_of(made), lab_of(light)).max()), 2.0)

    def test_no_surface_is_taken_for_a_target(self) -> None:
        for kind in ("cork_board", "tide_pebbles", "slate_shingles", "deck_planks"):
            with self.subTest(kind), self.assertRaisesRegex(UnreadableFile, "No colour target"):
                find_chart(rig_surface(kind, 800, 5).albedo)

    def test_marked_by_hand(self) -> None:
        shot = photograph_target(np.full((500, 500, 3), 0.2, np.float32), np.random.default_rng(3))
        marked = chart_at(decode_srgb(shot.codes), shot.corners + 0.003)
        self.assertLess(float(fit_chart(marked.colours).after.mean()), 1.0)

    def test_burnt_out_patches_are_left_aside_and_too_many_are_told(self) -> None:
        shot = photograph_target(np.full((500, 500, 3), 0.2, np.float32), np.random.default_rng(3), exposure=1.25)
        fit = fit_chart(chart_at(decode_srgb(shot.codes), shot.corners).colours)
        self.assertFalse(fit.used[18])
        self.assertLess(float(fit.after[fit.used].mean()), 1.2)
        with self.assertRaisesRegex(UnreadableFile, "burnt out or lost"):
            fit_chart(np.ones((24, 3)))

    def test_the_matrix_is_a_setting_like_any_other(self) -> None:
        grey = np.full((64, 64, 3), 0.3, np.float32)
        made = evaluation(grey, gather__camera__matrix=[2, 0, 0, 0, 1, 0, 0, 0, 0.5]).gathered(64).pixels
        np.testing.assert_allclose(made[32, 32], [0.6, 0.3, 0.15], atol=1e-6)
        half = {"gather__camera__matrix": [2, 0, 0, 0, 1, 0, 0, 0, 0.5], "gather__camera__amount": 50}
        np.testing.assert_allclose(evaluation(grey, **half).gathered(64).pixels[32, 32], [0.45, 0.3, 0.225], atol=1e-6)
        with self.assertRaises(BadSetting):
            evaluation(grey, gather__camera__matrix=[1, 2, 3])


if __name__ == "__main__":
    unittest.main()
