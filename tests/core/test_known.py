"""Known relief: the light that the height explains is found and taken out; against the bench's true albedo."""

import unittest

import numpy as np

from amber_thicket.core.even.known import _fine, decide_known, found_light, known, sunlight
from amber_thicket.core.numeric.colour import decode_srgb, luminance
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.standins.bench.camera import Shot, photograph
from amber_thicket.standins.bench.kinds import KINDS
from tests.support import ArraySource, bumps, evaluation, linear_photograph, size_of

SIDE = 768
FRAME = Frame(SIDE, SIDE, float(SIDE), False)


def off(pixels: np.ndarray, albedo: np.ndarray) -> float:
    """Rms difference of log tone from the true albedo, without large-scale light."""
    difference = np.log(np.maximum(luminance(pixels), 1e-3)) - np.log(np.maximum(luminance(albedo), 1e-3))
    return float(np.sqrt(np.mean(_fine(difference.astype(np.float32), SIDE) ** 2)))


class KnownTest(unittest.TestCase):
    def test_shading_and_shadow_go_and_the_colour_stays(self) -> None:
        # Least share of the error that goes; the goal for known heights is .7 (QUALITY.md), reached on two of these.
        for name, least in (
            ("tide_pebbles", 0.65),
            ("embossed_hide", 0.65),
            ("lime_render", 0.6),
            ("slate_shingles", 0.55),
        ):
            surface = KINDS[name](SIDE, 11)
            for bearing in (60.0, 118.0):
                with self.subTest(name, bearing=bearing):
                    shot = Shot(bearing=bearing, elevation=30, sky=0.35)
                    lit = Raster(decode_srgb(photograph(surface, shot, np.random.default_rng(1))))
                    height = Raster((surface.height / surface.height.max()).astype(np.float32))
                    light = decide_known(lit, height, frame=FRAME, amount=100)
                    assert light
                    self.assertLess(abs((light.bearing - bearing + 180) % 360 - 180), 8)
                    made = known(lit, height, frame=FRAME, decided=light, amount=100.0)
                    before, after = off(lit.pixels, surface.albedo), off(made.pixels, surface.albedo)
                    self.assertLess(after, (1 - least) * before)
                    self.assertEqual(made.evidence["bearing"], round(light.bearing, 1))
                    # Hue is not touched: every channel gets the same gain.
                    seen = lit.pixels.min(-1) > 0.01
                    ratio = (made.pixels / np.maximum(lit.pixels, 1e-6))[seen]
                    np.testing.assert_allclose(ratio, ratio[:, :1] * np.ones(3), rtol=1e-3)

    def test_lambert(self) -> None:
        # A plane that leans by 30 degrees toward a sun 40 degrees high: cos(20°) / sin(40°) of a flat one's light.
        x = np.arange(SIDE, dtype=np.float32)[None].repeat(64, 0)
        slope = -np.tan(np.radians(30)).astype(np.float32) * x
        light = sunlight(np.ascontiguousarray(slope), 1 / np.tan(np.radians(40)), 0.0, SIDE)
        wanted = np.cos(np.radians(20)) / np.sin(np.radians(40))
        self.assertAlmostEqual(float(light[32, SIDE // 2]), wanted, delta=0.01)

    def test_a_flat_height_changes_nothing_and_none_passes(self) -> None:
        lit = Raster(linear_photograph("gravel"))
        flat = Raster(np.full((512, 512), 0.5, np.float32))
        frame = Frame(512, 512, 512.0, False)
        made = known(lit, flat, frame=frame, decided=decide_known(lit, flat, frame=frame, amount=100), amount=100.0)
        np.testing.assert_allclose(made.pixels, lit.pixels, rtol=0.02, atol=1e-4)
        self.assertIsNone(decide_known(lit, None, frame=frame, amount=100))
        without = evaluation(linear_photograph("gravel"), **size_of(256), even__known__amount=100)
        plain = evaluation(linear_photograph("gravel"), **size_of(256))
        np.testing.assert_array_equal(*(e.layer("evened", (256, 256)).pixels for e in (without, plain)))

    def test_depth_comes_out_of_the_tones(self) -> None:
        height = bumps(256)
        tile, depth = 256.0, 0.06
        light = 0.7 * sunlight(height * np.float32(depth * tile), 0.6, 0.8, tile) + 0.3
        found = found_light(np.maximum(light, 1e-3).astype(np.float32), height, tile)
        self.assertAlmostEqual(found.bearing, np.degrees(np.arctan2(0.8, 0.6)), delta=3)
        self.assertGreater(found.explained, 0.5)


class ThroughTheStagesTest(unittest.TestCase):
    def test_a_height_that_came_along_is_used(self) -> None:
        from amber_thicket.core.graph import Evaluation
        from amber_thicket.core.memory import Memory
        from amber_thicket.core.recipe import Recipe

        surface = KINDS["embossed_hide"](512, 11)
        lit = decode_srgb(photograph(surface, Shot(bearing=60, elevation=30), np.random.default_rng(1)))
        field = np.repeat((surface.height / surface.height.max())[..., None], 3, -1)
        changes = {
            "square.size.width": 512,
            "square.size.height": 512,
            "tile.join.method": "none",
            "even.light.amount": 0,
        }
        made = {}
        for amount in (0, 100):
            recipe = Recipe().with_changes({**changes, "even.known.amount": amount, "gather.maps.height": f"{1:016x}"})
            files = {f"{1:016x}": ArraySource(field, "height")}
            made[amount] = Evaluation(recipe, ArraySource(lit), Memory(400_000_000), files=files)
        before, after = (luminance(e.layer("base_color", (512, 512)).pixels) for e in made.values())
        self.assertLess(float(np.log(after + 1e-3).std()), 0.8 * float(np.log(before + 1e-3).std()))
