"""What repeats is found with its true period; what does not is left alone; and a tile of whole repeats meets itself."""

import unittest
from functools import lru_cache

import cv2
import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8
from amber_thicket.core.synthesis.lattice import Axis, Lattice, find
from amber_thicket.core.tile.fit import whole_repeats
from amber_thicket.core.tile.seam_warp import apply_warp, seam_warp
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from tests.support import evaluation, linear_photograph, psnr, rig_surface, size_of

SIDE = 1024


@lru_cache(maxsize=8)
def shot(name: str, seed: int = 11) -> np.ndarray:
    pixels = decode_srgb(photograph(rig_surface(name, SIDE, seed), Shot(), np.random.default_rng(1)))
    pixels.setflags(write=False)
    return pixels


class LatticeTest(unittest.TestCase):
    def test_rounding_is_no_pattern(self) -> None:
        """An even picture that differs by rounding alone, in a regular way, does not repeat; one code in 8 bits does."""
        stripes = np.tile(np.float32([0, 0, 0, 0, 1, 1, 1, 1]), (256, 32))[..., None]
        for step, returns in ((1e-5, False), (4e-3, True)):
            found = find(np.repeat(0.2 + np.float32(step) * stripes, 3, -1))
            self.assertEqual(found.across.returns, returns, step)

    def test_true_periods(self) -> None:
        # The surfaces are built with these: slates 6 across, courses 9 down in half-bond; 7 boards; 5 lozenges each way.
        for name, across, down in (
            ("slate_shingles", SIDE / 6, 2 * SIDE / 9),
            ("deck_planks", None, 2 * SIDE / 7),
            ("embossed_hide", SIDE / 5, SIDE / 5),
        ):
            found = find(shot(name))
            for axis, period in zip(found.axes, (across, down), strict=True):
                with self.subTest(name, period=period):
                    self.assertEqual(axis.returns, period is not None, axis)
                    if period:
                        # The finest period to half a pixel; what comes from several of them is finer still.
                        self.assertAlmostEqual(axis.finest, period, delta=0.5)

    def test_what_does_not_repeat_is_left_alone(self) -> None:
        # Photographs of scikit-image, CC0, and loose or even surfaces of the bench.
        pictures = {name: linear_photograph(name) for name in ("gravel", "grass")}
        pictures |= {name: shot(name) for name in ("lime_render", "cork_board", "tide_pebbles", "verdigris_copper")}
        for name, pixels in pictures.items():
            self.assertEqual([axis.returns for axis in find(pixels).axes], [False, False], name)

    def test_a_drawn_grid_to_a_tenth_of_a_pixel(self) -> None:
        y, x = np.mgrid[0:600, 0:600]
        rng = np.random.default_rng(2)
        for across, down in ((83.4, 57.7), (41.0, 120.5)):
            grid = (np.cos(2 * np.pi * x / across) > 0.93) | (np.cos(2 * np.pi * y / down) > 0.93)
            noisy = np.where(grid, 0.1, 0.5) + rng.normal(0, 0.05, (600, 600))
            found = find(np.repeat(noisy[..., None], 3, -1).clip(0, 1).astype(np.float32))
            self.assertAlmostEqual(found.across.finest, across, delta=0.25)
            self.assertAlmostEqual(found.down.finest, down, delta=0.25)

    def test_fit_takes_whole_repeats_and_little_stretch(self) -> None:
        axes = [Axis(tuple(p * n for n in range(1, 9)), (0.5,) * 8, 0.5) for p in (100.0, 130.0)]
        fit = whole_repeats(Lattice(*axes), (1000, 1000), 1.0)
        assert fit
        self.assertEqual((fit.tile[0] % 100, fit.tile[1] % 130), (0, 0))
        self.assertAlmostEqual(fit.stretch, fit.tile[1] / fit.tile[0], places=9)
        self.assertLess(abs(fit.stretch - 1), 0.05)
        self.assertLessEqual(fit.tile[0] * (1 + fit.overlap[0]), 1000.001)
        wide = whole_repeats(Lattice(*axes), (1000, 1000), 2.0)
        assert wide
        self.assertAlmostEqual(wide.tile[0] / wide.tile[1] * wide.stretch, 2.0, places=9)
        self.assertIsNone(whole_repeats(Lattice(Axis((), (), 0.0), Axis((), (), 0.0)), (1000, 1000), 1.0))


class MeetTest(unittest.TestCase):
    def test_sides_that_are_off_by_a_little_meet(self) -> None:
        pixels = shot("slate_shingles", 5)
        period, over = 640, 160
        # The right copy of the overlap is the left one, drawn 3 px lower and 2 px further right.
        sample = pixels[:, : period + over].copy()
        shifted = cv2.warpAffine(
            pixels, np.array([[1.0, 0, 2], [0, 1, 3]]), (SIDE, SIDE), borderMode=cv2.BORDER_REFLECT
        )
        sample[:, period:] = shifted[:, :over]
        moved = apply_warp(sample, seam_warp(sample, period, SIDE - 16), period)
        inner = np.s_[60:-60, 20:-20]
        before = np.abs(sample[:, :over] - sample[:, period:])[inner].mean()
        after = np.abs(moved[:, :over] - moved[:, period:])[inner].mean()
        self.assertLess(after, 0.45 * before)
        middle = np.s_[200:-200, over + 150 : period - 150]
        np.testing.assert_allclose(moved[middle], sample[middle], atol=0.02, err_msg="the inside stays where it is")

    def test_whole_repeats_join_better_than_any_cut(self) -> None:
        # QUALITY: a lattice differs along its joins by at most .15 of random places, in squared differences (decision
        # 19), on the axes on which it returns.
        surfaces = {"slate_shingles": (0, 1), "coir_matting": (0, 1), "embossed_hide": (0, 1)}
        for name, axes in surfaces.items():
            with self.subTest(name):
                pixels = shot(name)
                plain = evaluation(pixels, **size_of(SIDE))
                found = suggestion(plain)
                self.assertEqual(found.method, "lattice")
                self.assertIn("returns every", found.reason)
                ready = evaluation(
                    pixels, **size_of(SIDE), **{k.replace(".", "__"): v for k, v in found.changes.items()}
                )
                joined = [e.layer("base_color", (768, 768)).evidence for e in (plain, ready)]
                before, after = ([one["join_costs"][axis] for axis in axes] for one in joined)
                self.assertLess(np.mean(after), 0.15)
                self.assertLess(sum(after), 0.8 * sum(before))
                plain_share, share = (one["join_mismatch"] for one in joined)
                self.assertLess(share, 0.85 * plain_share)
                self.assertLessEqual(share, 0.4)
                settled = suggestion(ready)
                self.assertEqual((settled.method, settled.changes), ("lattice", {}), settled.reason)

    def test_preview_equals_bake(self) -> None:
        # QUALITY asks 38 dB. The edges of slates are sharp: a copy off by a quarter of a pixel would fail.
        pixels = shot("slate_shingles")
        changes = {k.replace(".", "__"): v for k, v in suggestion(evaluation(pixels, **size_of(SIDE))).changes.items()}
        for method in ("cut", "lattice"):
            ready = evaluation(
                pixels, **{**size_of(SIDE), **changes, "tile__join__method": method, "tile__join__overlap_x": 19.9}
            )
            large, small = (ready.layer("base_color", (side, side)).pixels for side in (SIDE, 640))
            shrunk = cv2.resize(large, (640, 640), interpolation=cv2.INTER_AREA)
            self.assertGreater(psnr(encode_srgb8(shrunk), encode_srgb8(small)), 38, method)

    def test_nothing_to_suggest_where_nothing_returns(self) -> None:
        # Gravel has pieces, which are not to be cut; blades of grass are none.
        for name, method in (("gravel", "regrow"), ("grass", "strew")):
            found = suggestion(evaluation(linear_photograph(name), **size_of(512)))
            self.assertEqual((found.method, found.grid), (method, None))
            self.assertEqual(found.changes, {"tile.join.method": method, "tile.join.whole": True})
            self.assertIn("Nothing in it returns", found.reason)
            self.assertIn("loose pieces", found.reason)
            self.assertIn("not noise-like", found.against_mixing)

    def test_mixing_is_suggested_for_render_and_cuts_that_would_show_are_not(self) -> None:
        lime = suggestion(evaluation(shot("lime_render"), **size_of(SIDE)))
        self.assertEqual((lime.method, lime.against_mixing), ("stochastic", ""))
        cork = suggestion(evaluation(shot("cork_board"), **size_of(SIDE)))
        self.assertEqual(cork.method, "regrow", cork.reason)
        self.assertIn("along its joins", cork.reason)
        self.assertTrue(cork.against_mixing)
