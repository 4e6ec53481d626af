"""Zones, what they change, strokes on maps, and covers."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.check.figures import coded, seam
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.alike import alike
from amber_thicket.core.numeric.colour import decode_srgb, linear_of_hex, luminance
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.response.compared import compared
from amber_thicket.core.response.zones import MOST
from amber_thicket.errors import BadSetting
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
from tests.support import evaluation, frame, size_of, stroke

SIDE = 256
SIZE = (SIDE, SIDE)


def halves() -> Pixels:
    """Red on the left, green on the right, each a little uneven."""
    rng = np.random.default_rng(1)
    codes = np.empty((320, 320, 3), np.uint8)
    codes[:, :160], codes[:, 160:] = (150, 60, 50), (70, 120, 60)
    return decode_srgb((codes + rng.integers(0, 12, codes.shape)).astype(np.uint8))


def made(pixels: Pixels | None = None, **changes: Any) -> Evaluation:
    whole = {"tile.join.method": "none", "even.light.amount": 0.0, **size_of(SIDE), **changes}
    return evaluation(halves() if pixels is None else pixels, **whole)


def zone(*parts: dict[str, Any], **more: Any) -> list[dict[str, Any]]:
    return [{"id": "a", "name": "one", "parts": list(parts), **more}]


def paint(kind: str, value: Any, radius: float, *places: float, **more: float) -> dict[str, Any]:
    """A stroke on a map, at full strength and with a hard edge where nothing else is said."""
    return stroke(radius, *places, **{"kind": kind, "value": value, "strength": 1, "soft": 0, **more})


RED = {"kind": "colour", "picks": ["#963c32"], "tolerance": 12}


class MaskTest(unittest.TestCase):
    def mask(self, rows: list[dict[str, Any]], **changes: Any) -> Pixels:
        return made(response__zones__zones=rows, **changes).layer("zones", SIZE).pixels[..., 0]

    def test_a_picked_colour_is_told_from_another(self) -> None:
        mask = self.mask(zone(RED))
        self.assertGreater(mask[:, 10:118].min(), 0.95)
        self.assertLess(mask[:, 138:246].max(), 0.05)

    def test_likeness_as_written_out_colour_by_colour(self) -> None:
        """Against the distances of all pixels to all colours in Oklab."""
        rng = np.random.default_rng(4)
        colours = rng.random((11, 5, 3)).astype(np.float32)
        picks, against = (list(rng.random((count, 3)).astype(np.float32)) for count in (3, 2))
        light, tolerance, soft = 0.4, 20.0, 0.3
        lab = compared(Raster(colours), frame=frame(16)).pixels
        weights = np.array([light, 1, 1])

        def nearest(side: list[Pixels]) -> Pixels:
            off = (lab[..., None, :] - 100 * to_oklab(np.array(side)[None])[0]) * weights
            return np.asarray(np.sqrt((off**2).sum(axis=-1)).min(axis=-1))

        def stepped(low: float, high: float, values: Pixels) -> Pixels:
            t = ((values - low) / (high - low)).clip(0, 1)
            return np.asarray(t * t * (3 - 2 * t))

        near, width = nearest(picks), 6 * soft + 0.05
        within = 1 - stepped(tolerance * (1 - soft), tolerance * (1 + soft) + 1e-3, near)
        options = {"light": light, "tolerance": tolerance, "soft": soft}
        np.testing.assert_allclose(alike(lab, picks, [], **options), within, atol=1e-4)
        bounded = within * stepped(-width, width, nearest(against) - near)
        np.testing.assert_allclose(alike(lab, picks, against, **options), bounded, atol=1e-4)
        self.assertEqual(float(alike(lab, [], against, **options).max()), 0)

    def test_what_a_colour_is_not_bounds_it(self) -> None:
        wide = {**RED, "tolerance": 90}
        self.assertGreater(self.mask(zone(wide))[:, 138:246].mean(), 0.9)
        self.assertLess(self.mask(zone({**wide, "against": ["#467840"]}))[:, 138:246].mean(), 0.05)

    def test_parts_add_take_away_and_bound(self) -> None:
        line = {"kind": "brush", "strokes": [stroke(0.1, 0.25, 0.5, 0.75, 0.5)], "soft": 0}
        added, less, both = (self.mask(zone(RED, {**line, "how": how})) for how in ("add", "subtract", "intersect"))
        for mask, left, right in ((added, 1, 1), (less, 0, 0), (both, 1, 1)):
            self.assertAlmostEqual(float(mask[128, 64]), left, delta=0.02)
            self.assertAlmostEqual(float(mask[128, 180]), right if mask is added else 0, delta=0.02)
        self.assertGreater(float(less[20, 64]), 0.95)
        self.assertLess(float(both[20, 64]), 0.05)

    def test_shares_of_recesses_and_edges_are_what_was_asked(self) -> None:
        for kind in ("recesses", "edges"):
            for share in (10, 40):
                rows = zone({"kind": kind, "share": share, "soft": 0})
                mask = made(response__zones__zones=rows).layer("zones", (768, 768)).pixels
                self.assertAlmostEqual(float((mask > 0.5).mean()) * 100, share, delta=3)

    def test_heights_from_to(self) -> None:
        ready = made(response__zones__zones=zone({"kind": "height", "low": 60, "soft": 0}))
        mask, height = ready.layer("zones", SIZE).pixels[..., 0], ready.layer("formed", SIZE).pixels
        np.testing.assert_array_equal(mask > 0.5, height > 0.6)

    def test_a_brush_goes_round_the_edges_and_holds_at_every_size(self) -> None:
        rows = zone({"kind": "brush", "strokes": [stroke(0.06, 0.98, 0.5, 1.04, 0.5)]})
        small, large = (made(response__zones__zones=rows, **size_of(512)).layer("zones", (s, s)).pixels[..., 0] for s in (256, 512))  # fmt: skip
        self.assertGreater(float(small[128, 2]), 0.9)
        shrunk = large.reshape(256, 2, 256, 2).mean(axis=(1, 3))
        self.assertLess(float(np.abs(shrunk - small).max()), 0.15)
        self.assertLess(float(np.abs(shrunk - small).mean()), 0.002)

    def test_turned_round(self) -> None:
        plain, round_ = self.mask(zone(RED)), self.mask(zone(RED, inverted=True))
        np.testing.assert_allclose(round_, 1 - plain, atol=1e-6)

    def test_bad_zones_are_refused_in_words(self) -> None:
        for rows, word in (
            ("[{]", "a list"),
            ([{"id": "A b"}], "id"),
            (zone({"kind": "colour", "picks": ["red"]}), "#rrggbb"),
            (zone({"kind": "colour", "tolerance": 1e9}), "tolerance"),
            (zone(RED) + zone(RED), "share an id"),
            ([{"id": f"z{n}"} for n in range(MOST + 1)], "at most"),
        ):
            with self.subTest(word=word), self.assertRaisesRegex(BadSetting, word):
                made(response__zones__zones=rows)


class EffectTest(unittest.TestCase):
    def test_roughness_level_and_spread(self) -> None:
        rows = zone({**RED, "soft": 0})
        ready = made(response__zones__zones=rows, response__on_roughness__in_zones={"a": {"level": 0.3, "spread": 0}})
        rough = ready.layer("roughness", SIZE).pixels
        self.assertLess(float(np.abs(rough[:, 10:118] - 0.3).max()), 0.02)
        plain = made().layer("roughness", SIZE).pixels
        np.testing.assert_allclose(rough[:, 138:246], plain[:, 138:246], atol=0.01)

    def test_metal_is_nearly_black_or_white(self) -> None:
        ready = made(response__zones__zones=zone({**RED, "soft": 100}), response__on_metallic__in_zones={"a": {"level": 1, "spread": 0}})  # fmt: skip
        metal = ready.layer("metallic", SIZE).pixels
        self.assertLess(float(((metal > 0.2) & (metal < 0.8)).mean()), 0.1)
        self.assertIn("metallic", ready.maps())

    def test_a_tint_changes_the_hue_and_keeps_light_and_dark(self) -> None:
        ready = made(response__zones__zones=zone(RED), response__on_base_color__in_zones={"a": {"colour": "#3246a0"}})
        before, after = (ready.layer(name, SIZE).pixels[:, 10:118] for name in ("tiled", "base_color"))
        wanted = to_oklab(linear_of_hex("#3246a0")[None, None])[0, 0]
        self.assertLess(float(np.abs(to_oklab(after).mean(axis=(0, 1)) - wanted).max()), 0.02)
        light = np.corrcoef(luminance(before).ravel(), luminance(after).ravel())[0, 1]
        self.assertGreater(light, 0.99)

    def test_a_raised_zone_stands_over_the_rest_and_the_depth_grows(self) -> None:
        ready = made(response__zones__zones=zone(RED), relief__shape__in_zones={"a": {"raised": 80}})
        before, after = ready.layer("formed", SIZE), ready.layer("height", SIZE)
        step = after.span * (after.pixels[:, 20:110].mean() - after.pixels[:, 146:236].mean())
        was = before.span * (before.pixels[:, 20:110].mean() - before.pixels[:, 146:236].mean())
        self.assertAlmostEqual(float((step - was) / before.span), 0.8, delta=0.03)
        self.assertGreater(after.span, before.span)
        self.assertTrue(after.pixels.min() >= 0 and after.pixels.max() <= 1)

    def test_alone_sinks_the_rest_to_the_floor(self) -> None:
        ready = made(response__zones__zones=zone({**RED, "soft": 0}), relief__shape__in_zones={"a": {"alone": True}})
        self.assertLess(float(ready.layer("height", SIZE).pixels[:, 146:236].max()), 0.02)

    def test_a_zone_elsewhere_changes_no_key_it_does_not_touch(self) -> None:
        one, other = (made(response__zones__zones=zone(RED), response__on_roughness__in_zones={"a": {"level": level}}) for level in (0.2, 0.4))  # fmt: skip
        for layer in ("zones", "height", "normal", "ambient_occlusion", "base_color", "metallic"):
            self.assertEqual(one.key(layer, SIZE), other.key(layer, SIZE), layer)
        self.assertNotEqual(one.key("roughness", SIZE), other.key("roughness", SIZE))

    def test_copper_and_patina_come_apart(self) -> None:
        """Against the simulated surface's own metal map."""
        surface = verdigris_copper(512, 5)
        pixels = decode_srgb(photograph(surface, Shot(sky=0.7, elevation=44), np.random.default_rng(1)))
        bare = zone(
            {"kind": "colour", "picks": ["#a07860", "#84583f"], "against": ["#80a890", "#6a9080"], "tolerance": 40}
        )
        ready = made(pixels, response__zones__zones=bare, response__on_metallic__in_zones={"a": {"level": 1, "spread": 0}}, **size_of(512))  # fmt: skip
        metal, true = ready.layer("metallic", (512, 512)).pixels > 0.5, surface.metallic > 0.5
        crust = surface.roughness > 0.75
        self.assertGreater((metal & true).sum() / true.sum(), 0.9)
        self.assertLess((metal & crust).sum() / crust.sum(), 0.12)


class PaintTest(unittest.TestCase):
    def test_set_add_and_smooth(self) -> None:
        strokes = [paint("set", 0.2, 0.1, 0.25, 0.25), paint("add", 0.1, 0.1, 0.75, 0.25)]
        plain, ready = made(), made(response__on_roughness__strokes=strokes)
        before, after = (e.layer("roughness", SIZE).pixels for e in (plain, ready))
        self.assertAlmostEqual(float(after[64, 64]), 0.2, places=4)
        self.assertAlmostEqual(float(after[64, 192] - before[64, 192]), 0.1, places=4)
        np.testing.assert_array_equal(after[128:], before[128:])
        smooth = (
            made(response__on_roughness__strokes=[paint("smooth", 0, 0.2, 0.5, 0.5)]).layer("roughness", SIZE).pixels
        )
        near = np.s_[110:146, 110:146]
        self.assertLess(smooth[near].std(), 0.6 * before[near].std() + 1e-6)

    def test_height_that_is_painted_beyond_the_range_gets_room(self) -> None:
        ready = made(relief__shape__strokes=[paint("add", 0.9, 0.15, 0.5, 0.5, soft=0.5)])
        before, after = ready.layer("formed", SIZE), ready.layer("height", SIZE)
        risen = after.span * after.pixels[128, 128] - before.span * before.pixels[128, 128]
        self.assertGreater(after.span, 1.2 * before.span)
        # The floor may have moved down by a hundredth to make room.
        self.assertAlmostEqual(float(risen / before.span), 0.9, delta=0.05)

    def test_a_soft_outline_ends_softly_on_every_side(self) -> None:
        outline = [0.3, 0.3, 0.7, 0.3, 0.7, 0.7, 0.3, 0.7]
        flat = {"response.roughness.spread": 0.0}
        painted = (
            made(response__on_roughness__strokes=[paint("set", 0.0, 0.0, *outline, soft=1)], **flat)
            .layer("roughness", SIZE)
            .pixels
        )
        brushed = made(response__zones__zones=zone({"kind": "brush", "strokes": [stroke(0.0, *outline)], "soft": 100})).layer("zones", SIZE).pixels[..., 0]  # fmt: skip
        for field, top in ((painted, 0.7), (brushed, 1.0)):
            self.assertLess(max(float(np.abs(np.diff(field, axis=axis)).max()) for axis in (0, 1)), 0.03 * top)

    def test_a_colour_is_painted_round_the_edge(self) -> None:
        ready = made(response__on_base_color__strokes=[paint("set", "#ffffff", 0.05, 1.0, 0.5)])
        colour = ready.layer("base_color", SIZE).pixels
        for column in (1, SIDE - 2):
            np.testing.assert_allclose(colour[128, column], 1, atol=1e-3)

    def test_bad_strokes_are_refused(self) -> None:
        for row in (
            {},
            paint("glue", 0, 0.1, 0, 0),
            paint("set", 5, 0.1, 0, 0),
            paint("set", 0.5, 0.1, 0, 0, strength=2),
        ):
            with self.subTest(row=row), self.assertRaises(BadSetting):
                made(response__on_roughness__strokes=[row])
        with self.assertRaises(BadSetting):
            made(response__on_base_color__strokes=[paint("set", 0.5, 0.1, 0, 0)])


class CoverTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        surface = verdigris_copper(384, 5)
        cls.pixels = decode_srgb(photograph(surface, Shot(sky=0.7), np.random.default_rng(1)))
        cls.memory = Memory(300_000_000)

    def covered(self, *rows: dict[str, Any], **changes: Any) -> Evaluation:
        named = [{"id": f"c{n}", **row} for n, row in enumerate(rows)]
        return evaluation(self.pixels, **{**size_of(SIDE), "response.covers.covers": named, **changes})

    def test_it_lies_on_the_share_that_was_asked(self) -> None:
        for where in ("recesses", "tops", "level"):
            weight = self.covered({"where": where, "share": 30, "soft": 0, "broken": 0}).layer("covers", SIZE).pixels
            self.assertAlmostEqual(float((weight[..., 0] > 0.5).mean()), 0.3, delta=0.04, msg=where)

    def test_mud_lies_level(self) -> None:
        ready = self.covered({"where": "level", "share": 40, "soft": 5, "broken": 0, "thick": 0})
        lying = ready.layer("covers", SIZE).pixels[..., 0] > 0.98
        shaped, height = ready.layer("shaped", SIZE), ready.layer("height", SIZE)
        self.assertLess(height.span * height.pixels[lying].std(), 0.1 * shaped.span * shaped.pixels[lying].std())

    def test_every_map_takes_it_in(self) -> None:
        ready = self.covered(
            {"where": "everywhere", "colour": "#5a4632", "variation": 0, "roughness": 0.4, "smooth": 100}
        )
        np.testing.assert_allclose(ready.layer("base_color", SIZE).pixels[5, 5], linear_of_hex("#5a4632"), atol=1e-5)
        self.assertAlmostEqual(float(ready.layer("roughness", SIZE).pixels.std()), 0, places=5)
        self.assertLess(ready.layer("height", SIZE).pixels.std(), ready.layer("shaped", SIZE).pixels.std())

    def test_maps_stay_seamless(self) -> None:
        rows = ({"where": "recesses", "broken": 80}, {"where": "tops", "broken": 100, "size": 5, "thick": 20})
        ready, sample = self.covered(*rows), self.covered().layer("evened", SIZE).pixels
        for role in ("base_color", "height", "normal", "roughness", "ambient_occlusion", "curvature"):
            for axis in (0, 1):
                figure = seam(coded(ready.layer(role, SIZE).pixels, role), axis=axis)
                with self.subTest(role=role, axis=axis):
                    self.assertLess(figure.border, max(4, seam(coded(sample, "base_color"), axis=axis).inner))

    def test_another_material_is_laid_on_in_every_map(self) -> None:
        other = evaluation(halves(), **{"response.metallic.level": 0.9, **size_of(SIDE)})
        ready = self.covered(
            {"material": "m", "where": "everywhere", "repeat": 1, "thick": 100, "smooth": 100, "size": 15}
        )
        ready.others = lambda id: other if id == "m" else None
        for role in ("base_color", "roughness", "metallic"):
            np.testing.assert_allclose(ready.layer(role, SIZE).pixels, other.layer(role, SIZE).pixels, atol=1e-5)
        heights = (e.layer("height", SIZE).pixels for e in (ready, other))
        self.assertGreater(np.corrcoef(*(field.ravel() for field in heights))[0, 1], 0.85)

    def test_another_state_of_the_other_material_is_another_key_and_another_depth(self) -> None:
        row = {"material": "m", "where": "everywhere", "repeat": 1, "thick": 100, "smooth": 100}
        tops, keys = [], []
        for steepness in (0.2, 2.0):
            other = evaluation(halves(), **{"relief.height.middle": 0.3 + steepness, **size_of(SIDE)})
            ready = self.covered(row)
            ready.memory = self.memory
            ready.others = lambda id, other=other: other
            keys.append(ready.key("height", SIZE))
            tops.append(ready.layer("height", SIZE))
        self.assertNotEqual(*keys)
        for layer in tops:
            self.assertLess(float((layer.pixels >= 1).mean()), 0.02)

    def test_a_material_that_is_gone_leaves_a_plain_cover(self) -> None:
        ready = self.covered({"material": "gone", "where": "everywhere"})
        self.assertTrue(np.isfinite(ready.layer("base_color", SIZE).pixels).all())

    def test_only_in_a_zone(self) -> None:
        rows = zone({"kind": "brush", "strokes": [stroke(0.2, 0.5, 0.5)], "soft": 0})
        ready = self.covered({"where": "everywhere", "zone": "a"}, **{"response.zones.zones": rows})
        weight = ready.layer("covers", SIZE).pixels[..., 0]
        self.assertAlmostEqual(float(weight[128, 128]), 1, places=3)
        self.assertAlmostEqual(float(weight[5, 5]), 0, places=3)


if __name__ == "__main__":
    unittest.main()
