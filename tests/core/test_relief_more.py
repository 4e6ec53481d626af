"""Height from one photograph, detail by size, normal, occlusion and curvature."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from amber_thicket.core.even.hues import BANDS as HUES
from amber_thicket.core.even.hues import shares
from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.bands import BANDS, EDGES
from amber_thicket.core.relief.curvature import curvature, decide_curvature
from amber_thicket.core.relief.hued import hued_of, tone_with
from amber_thicket.core.relief.normal import laid_on, normal, steeper
from amber_thicket.core.relief.surfaces import STARTS
from amber_thicket.standins.capture_rig.camera import Shot
from amber_thicket.standins.capture_rig.coir_matting import coir_matting
from amber_thicket.standins.capture_rig.deck_planks import deck_planks
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.lime_render import lime_render
from bench.relief import LIGHTS, agreement, photographed
from tests.support import bumps, evaluation, frame, linear_photograph, size_of

SIDE = 512
SIZE = (SIDE, SIDE)
NORMAL = {
    "strength": 1.0,
    "kernel": "even",
    "crispness": 0.0,
    "crisp_size": 0.4,
    "detail": 1.0,
    "y_in_files": "profile",
}


class FromOnePhotographTest(unittest.TestCase):
    """Against the true height of simulated surfaces that were not used to choose any number."""

    def test_shading_counts_where_light_comes_from_one_side(self) -> None:
        for make, floor in ((lime_render, 0.6), (embossed_hide, 0.55)):
            with self.subTest(surface=make.__name__):
                surface = make(SIDE, 31)
                ready = photographed(surface, LIGHTS["low sun"])
                layer = ready.layer("formed", SIZE)
                found = agreement(layer.pixels, surface.height).correlation
                tone = photographed(surface, LIGHTS["low sun"], **{"relief.cues.estimator": "tone"})
                self.assertGreater(found, floor)
                self.assertGreater(
                    found, agreement(tone.layer("formed", SIZE).pixels, surface.height).correlation + 0.1
                )
                self.assertLess(abs(layer.evidence["bearing"] - 120), 15)

    def test_tone_counts_under_an_overcast_sky(self) -> None:
        for make in (coir_matting, deck_planks):
            with self.subTest(surface=make.__name__):
                surface = make(SIDE, 31)
                layer = photographed(surface, LIGHTS["overcast"]).layer("formed", SIZE)
                self.assertEqual(layer.evidence["shading"], 0)
                self.assertGreater(agreement(layer.pixels, surface.height).correlation, 0.7)

    def test_light_from_the_other_side_turns_what_shading_told(self) -> None:
        surface = lime_render(SIDE, 31)
        options = {"relief.cues.estimator": "shading"}
        one, other = (photographed(surface, LIGHTS["low sun"], **options, **{"relief.cues.other_end": end}) for end in (False, True))  # fmt: skip
        a, b = (e.layer("cue", SIZE).pixels for e in (one, other))
        np.testing.assert_allclose(a, -b, atol=1e-3 * float(np.abs(a).max()))

    def test_what_even_took_away_is_still_read(self) -> None:
        """Relief shading taken out of the colour still tells the height, from the photograph as it was."""
        surface = lime_render(SIDE, 31)
        shot = Shot(bearing=120, elevation=30, sky=0.4)
        kept, gone = (photographed(surface, shot, **{"even.raking.amount": amount}) for amount in (0.0, 100.0))
        a, b = (agreement(e.layer("formed", SIZE).pixels, surface.height).correlation for e in (kept, gone))
        self.assertGreater(b, a - 0.05)
        named = photographed(surface, shot, **{"even.raking.amount": 100.0, "relief.cues.source": "photograph"})
        np.testing.assert_array_equal(gone.layer("cue", SIZE).pixels, named.layer("cue", SIZE).pixels)

    def test_a_hue_can_lie_higher(self) -> None:
        codes = np.full((256, 256, 3), 0.2, np.float32)
        codes[:, 128:] = (0.34, 0.155, 0.155)
        plain, lifted = (
            evaluation(codes, **{"tile.join.method": "none", "relief.cues.estimator": "tone", "relief.cues.red": red, **size_of(256)})
            for red in (0.0, 80.0)
        )  # fmt: skip
        steps = [float(e.layer("cue", (256, 256)).pixels[:, 160:220].mean() - e.layer("cue", (256, 256)).pixels[:, 30:90].mean()) for e in (plain, lifted)]  # fmt: skip
        self.assertGreater(steps[1], steps[0] + 0.2)

    def test_hues_are_looked_at_once_however_often_they_are_lifted(self) -> None:
        """Lifted by the layer of hues and at a size that has none alike; as written out pixel by pixel."""
        first = evaluation(linear_photograph("gravel"), **size_of(256))
        asked: list[tuple[int, int]] = []

        def watched(colour: Pixels) -> Pixels:
            asked.append(colour.shape[:2])
            return hued_of(colour)

        with mock.patch("amber_thicket.core.relief.hued.hued_of", watched):
            for red in (0.0, 20.0, 40.0, 60.0):
                recipe = first.recipe.with_changes({"relief.cues.red": red, "relief.cues.blue": -0.5 * red})
                ready = Evaluation(recipe, first.source, first.memory)
                ready.layer("cue", (256, 256))
        self.assertEqual(asked, [(PLAN_SIDE, PLAN_SIDE)])
        colour = ready.layer("tiled", (256, 256)).pixels
        hues = {**dict.fromkeys(HUES, 0.0), "red": 60.0, "blue": -30.0}
        lab = to_oklab(colour)
        chroma = np.hypot(lab[..., 1], lab[..., 2])
        hue = np.rint(np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360)
        lift = shares(hue) @ np.array([hues[name] for name in HUES], np.float32) / 200
        wanted = coded_luminance(colour) + lift * chroma / (chroma + 0.02)
        np.testing.assert_allclose(tone_with(hued_of(colour), hues), wanted, atol=0.004)
        self.assertLess(float(np.abs(tone_with(hued_of(colour), hues) - wanted).mean()), 1e-4)


class BandTest(unittest.TestCase):
    def test_a_band_left_out_takes_its_size_out(self) -> None:
        ready = evaluation(
            linear_photograph("gravel"), **size_of(256), **{f"relief.bands.{name}": 1.0 for name in BANDS}
        )
        cue, banded = (ready.layer(name, (256, 256)).pixels for name in ("cue", "banded"))
        np.testing.assert_allclose(banded, cue - cue.mean(), atol=1e-3 * float(np.abs(cue).max()))
        without = evaluation(linear_photograph("gravel"), **size_of(256), **{f"relief.bands.{n}": float(n != "medium") for n in BANDS})  # fmt: skip
        spectra = [np.abs(np.fft.rfft2(e.layer("banded", (256, 256)).pixels)) ** 2 for e in (ready, without)]
        radius = np.hypot(*np.meshgrid(np.fft.fftfreq(256), np.fft.rfftfreq(256), indexing="ij"))
        inside = np.abs(np.log(radius * 2 * np.pi * np.sqrt(EDGES[2] * EDGES[3]) * 256 + 1e-9)) < 0.2
        far = radius > 0.3
        self.assertLess(spectra[1][inside].sum(), 0.5 * spectra[0][inside].sum())
        self.assertGreater(spectra[1][far].sum(), 0.95 * spectra[0][far].sum())

    def test_contrast_evens_out_or_sets_apart(self) -> None:
        def kurtosis(contrast: float) -> float:
            only = {f"relief.bands.{name}": float(name == "medium") for name in BANDS}
            ready = evaluation(linear_photograph("gravel"), **size_of(256), **only, **{"relief.bands.medium_contrast": contrast})  # fmt: skip
            field = ready.layer("banded", (256, 256)).pixels
            return float(np.mean(field**4) / np.mean(field**2) ** 2)

        self.assertLess(kurtosis(0.5), kurtosis(1.0))
        self.assertLess(kurtosis(1.0), kurtosis(2.0))

    def test_every_start_is_a_recipe(self) -> None:
        for start in STARTS:
            self.assertEqual(len(Recipe().with_changes(start.changes).changed) > 0, bool(start.changes))


class NormalTest(unittest.TestCase):
    def test_kernels_agree_on_a_gentle_wave(self) -> None:
        """A sine of known slope; the operators differ only by their smoothing of it."""
        x = np.arange(128) / 128
        wave = np.tile(0.5 + 0.5 * np.sin(2 * np.pi * 2 * x), (128, 1)).astype(np.float32)
        true = np.cos(2 * np.pi * 2 * x) * 2 * np.pi * 2 / 128 * 0.5 * 20
        for kernel in ("even", "crisp", "calm"):
            made = normal(Raster(wave, span=20 / 128), None, frame=frame(128), **{**NORMAL, "kernel": kernel}).pixels
            np.testing.assert_allclose(-made[64, :, 0] / made[64, :, 2], true, atol=0.02 * np.abs(true).max())

    def test_crispness_takes_the_finest_away_or_lifts_it(self) -> None:
        rough = Raster(np.random.default_rng(1).random((128, 128)).astype(np.float32), span=0.02)
        tilt = [float(np.abs(normal(rough, None, frame=frame(128), **{**NORMAL, "crispness": c}).pixels[..., :2]).mean()) for c in (-100, 0, 100)]  # fmt: skip
        self.assertLess(tilt[0], 0.75 * tilt[1])
        self.assertGreater(tilt[2], 1.2 * tilt[1])

    def test_detail_is_laid_on_with_the_surface(self) -> None:
        """Barré-Brisebois & Hill, "Blending in detail", 2012: a flat map changes nothing on either side, and a detail
        on a tilted plane is that detail turned by the turn that takes straight up to the plane's normal."""
        rng = np.random.default_rng(2)
        detail = unit(np.dstack([rng.normal(0, 0.3, (16, 16, 2)), np.ones((16, 16))]).astype(np.float32))
        flat = np.zeros_like(detail)
        flat[..., 2] = 1
        np.testing.assert_allclose(laid_on(flat, detail), detail, atol=1e-5)
        np.testing.assert_allclose(laid_on(detail, flat), detail, atol=1e-5)
        angle = np.radians(35)
        plane = np.broadcast_to(np.array([np.sin(angle), 0, np.cos(angle)], np.float32), detail.shape)
        turn = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0], [-np.sin(angle), 0, np.cos(angle)]])
        np.testing.assert_allclose(laid_on(plane, detail), detail @ turn.T, atol=1e-5)

    def test_slopes_are_multiplied(self) -> None:
        leaning = unit(np.array([[[0.3, -0.2, 1.0]]], np.float32))
        twice = steeper(leaning, 2.0)[0, 0]
        np.testing.assert_allclose(twice[:2] / twice[2], [0.6, -0.4], atol=1e-5)


class OcclusionTest(unittest.TestCase):
    def ready(self, **changes: object) -> Evaluation:
        return evaluation(linear_photograph("gravel"), **size_of(256), **changes)

    def test_tight_looks_nearer_and_lift_raises_the_darkest(self) -> None:
        wide, tight, lifted = (
            self.ready(**change).layer("ambient_occlusion", (256, 256)).pixels
            for change in ({}, {"relief.occlusion.tight": 100.0}, {"relief.occlusion.lift": 0.5})
        )
        self.assertGreater(tight.mean(), wide.mean())
        self.assertGreaterEqual(float(lifted.min()), 0.5)
        np.testing.assert_allclose(lifted, 0.5 + 0.5 * wide, atol=1e-5)

    def test_pinned_it_stays_when_the_height_changes(self) -> None:
        before = self.ready(**{"relief.height.steepness": 0.3})
        pin = {"relief.height": {"steepness": 0.3}}
        after = self.ready(**{"relief.height.steepness": 1.2, "relief.occlusion.pinned": pin})
        np.testing.assert_array_equal(
            before.layer("ambient_occlusion", (256, 256)).pixels, after.layer("ambient_occlusion", (256, 256)).pixels
        )
        self.assertGreater(after.layer("height", (256, 256)).span, before.layer("height", (256, 256)).span)


class CurvatureTest(unittest.TestCase):
    OPTIONS = {"side": "both", "width": 3.0, "contrast": 1.0, "softness": 0.0, "in_pack": False}

    def of(self, height: np.ndarray, **changes: object) -> np.ndarray:
        layer, options = Raster(height, span=0.1), {**self.OPTIONS, **changes}
        decided = decide_curvature(layer, frame=frame(128), **options)
        return curvature(layer, frame=frame(128), decided=decided, **options).pixels

    def test_bumps_are_bright_and_hollows_dark_by_as_much(self) -> None:
        field = bumps()
        up, down = self.of(field), self.of(1 - field)
        np.testing.assert_allclose(up + down, 1, atol=1e-4)
        top = np.unravel_index(field.argmax(), field.shape)
        self.assertGreater(up[top], 0.8)

    def test_one_side_alone_is_black_where_it_is_flat(self) -> None:
        ridge = np.zeros((128, 128), np.float32)
        ridge[:, 60:68] = 1
        convex, concave = self.of(ridge, side="convex"), self.of(ridge, side="concave")
        self.assertAlmostEqual(float(convex[64, 10]), 0, places=3)
        self.assertGreater(float(convex[64, 62]), 0.5)
        self.assertGreater(float(concave[64, 57]), 0.3)
        self.assertEqual(float(concave[64, 64]), 0.0)


if __name__ == "__main__":
    unittest.main()
