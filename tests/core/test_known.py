"""Known relief: the light that the height explains is found and taken out; against the bench's true albedo."""

import unittest

import cv2
import numpy as np

from amber_thicket.core.even.known_shading import remove_known_shading
from amber_thicket.core.even.sun import Ground, _fine, found_light, sun
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb, luminance
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from tests.support import ArraySource, bumps, evaluation, linear_photograph, rig_surface, size_of

SIDE = 768
FRAME = Frame(SIDE, SIDE, float(SIDE), False)
# Surfaces whose relief is broad enough at this size to show how high the sun stood and how deep they are.
FOUND_WHOLE = ("tide_pebbles", "embossed_hide", "lime_render", "slate_shingles")


def off(pixels: np.ndarray, albedo: np.ndarray) -> float:
    """Rms difference of log tone from the true albedo, without large-scale light."""
    difference = np.log(np.maximum(luminance(pixels), 1e-3)) - np.log(np.maximum(luminance(albedo), 1e-3))
    return float(np.sqrt(np.mean(_fine(difference.astype(np.float32), SIDE) ** 2)))


class KnownTest(unittest.TestCase):
    def test_shading_and_shadow_go_and_the_colour_stays(self) -> None:
        # QUALITY.md, shading removal: with known height at least .7 of the error goes. The truth is the albedo as
        # sharp as the lens shows it: no division sharpens a picture, and even by the exact light .67 to .89 of the
        # error against the sharp albedo go at this size (./run bench shading). Metal mirrors its surroundings.
        for kind, bearing in zip(
            (name for name in KINDS if name != "verdigris_copper"), (60, 118, 60, 75, 60, 118, 60, 60), strict=True
        ):
            surface = rig_surface(kind, SIDE, 11 if kind in FOUND_WHOLE else 5)
            with self.subTest(kind, bearing=bearing):
                shot = Shot(bearing=bearing, elevation=30, sky=0.35)
                lit = Raster(decode_srgb(photograph(surface, shot, np.random.default_rng(1))))
                height = Raster((surface.height / surface.height.max()).astype(np.float32))
                light = sun(lit, height, frame=FRAME)
                made = remove_known_shading(lit, light, FRAME)
                truth = cv2.GaussianBlur(surface.albedo, (0, 0), shot.focus)
                self.assertLess(off(made.pixels, truth), (1 - 0.7) * off(lit.pixels, truth))
                self.assertAlmostEqual(made.evidence["bearing"], bearing, delta=3)
                # Hue is not touched: every channel gets the same gain.
                seen = lit.pixels.min(-1) > 0.01
                ratio = (made.pixels / np.maximum(lit.pixels, 1e-6))[seen]
                np.testing.assert_allclose(ratio, ratio[:, :1] * np.ones(3), rtol=1e-3)
                if kind in FOUND_WHOLE:
                    found = light.evidence
                    self.assertAlmostEqual(np.degrees(np.arctan2(1, np.hypot(found["x"], found["y"]))), 30, delta=4)
                    self.assertAlmostEqual(
                        found["depth"] * SIDE, surface.height.max(), delta=0.2 * surface.height.max()
                    )
                    self.assertAlmostEqual(found["blur"] * SIDE, shot.focus, delta=0.16)

    def test_lambert(self) -> None:
        # A plane that leans by 30 degrees toward a sun 40 degrees high: cos(20°) / sin(40°) of a flat one's light.
        x = np.arange(SIDE, dtype=np.float32)[None].repeat(64, 0)
        slope = -np.tan(np.radians(30)).astype(np.float32) * x
        light = Ground(slope, 1 / SIDE, SIDE).light(1 / np.tan(np.radians(40)), 0.0, sky=0.0, soft=1.0, blur=0.0)
        wanted = np.cos(np.radians(20)) / np.sin(np.radians(40))
        self.assertAlmostEqual(float(light[32, SIDE // 2]), wanted, delta=0.01)

    def test_a_flat_height_changes_nothing_and_none_passes(self) -> None:
        lit = Raster(linear_photograph("gravel"))
        flat = Raster(np.full((512, 512), 0.5, np.float32))
        frame = Frame(512, 512, 512.0, False)
        made = remove_known_shading(lit, sun(lit, flat, frame=frame), frame)
        np.testing.assert_allclose(made.pixels, lit.pixels, rtol=0.02, atol=1e-4)
        unknown = evaluation(linear_photograph("gravel"), **size_of(256), even__known_shading__amount=100)
        plain = evaluation(linear_photograph("gravel"), **size_of(256))
        np.testing.assert_array_equal(*(e.layer("evened", (256, 256)).pixels for e in (unknown, plain)))

    def test_depth_comes_out_of_the_tones(self) -> None:
        height = bumps(256)
        tile, depth = 256.0, 0.06
        light = Ground(height, depth, tile).light(0.6, 0.8, sky=0.0, soft=0.8, blur=0.0) * 0.7 + 0.3
        found = found_light(np.maximum(light, 1e-3).astype(np.float32), height, tile)
        self.assertAlmostEqual(found.bearing, np.degrees(np.arctan2(0.8, 0.6)), delta=3)
        self.assertGreater(found.explained, 0.5)


class ThroughTheStagesTest(unittest.TestCase):
    def test_a_height_that_came_along_is_used(self) -> None:
        side = 1024
        surface = rig_surface("embossed_hide", side, 11)
        lit = decode_srgb(photograph(surface, Shot(bearing=60, elevation=30), np.random.default_rng(1)))
        field = np.repeat((surface.height / surface.height.max())[..., None], 3, -1)
        changes = {
            "square.size.width": side,
            "square.size.height": side,
            "tile.join.method": "none",
            "even.light.amount": 0,
            "even.known_shading.amount": 100,
            "gather.maps.height": f"{1:016x}",
        }
        files = {f"{1:016x}": ArraySource(field, "height")}
        made = Evaluation(Recipe().with_changes(changes), ArraySource(lit), Memory(900_000_000), files=files)
        large = made.layer("base_color", (side, side)).pixels
        # The light is found at the sharpness of the capture, not at plan size, where it would be less than half as good.
        self.assertLess(off(large, surface.albedo), 0.3 * off(lit, surface.albedo))
        # And a preview shows what is baked: QUALITY.md, preview = bake.
        small = made.layer("base_color", (512, 512)).pixels
        shrunk = cv2.resize(large, (512, 512), interpolation=cv2.INTER_AREA)
        rms = float(np.sqrt(np.mean((encode_srgb(small) - encode_srgb(shrunk)) ** 2)))
        self.assertGreater(-20 * np.log10(rms), 36)
