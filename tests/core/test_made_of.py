"""What a surface is made of: materials told apart, kinds and their published values, roughness without the light, water,
specular there and back."""

from __future__ import annotations

import json
import unittest
import xml.etree.ElementTree as ET
from typing import Any
from unittest import mock

import cv2
import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8, luminance
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe, from_json
from amber_thicket.core.response.clusters import _goes_on, _on_one_side, _passing, find_clusters
from amber_thicket.core.response.convert import DERIVED, to_metal, to_specular
from amber_thicket.core.response.cues import _coarser, cues, decide_cues
from amber_thicket.core.response.finish import wet_colour
from amber_thicket.core.response.glints import above_surround, decide_glints
from amber_thicket.core.response.kinds import KINDS, SOURCES, hex_of
from amber_thicket.core.response.roughness import bend_values, combine_cues
from amber_thicket.core.shading.slope import slopes
from amber_thicket.service.bake import pack
from amber_thicket.service.preview import figures
from amber_thicket.service.zones import suggested_zones
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.zoned_kinds import ZONED, Zoned
from tests import guide
from tests.support import bracketed, evaluation, frame, linear_photograph, rig_surface, size_of, stroke

SIDE = 256
SIZE = (SIDE, SIDE)
PLAIN = {"tile.join.method": "none", "even.light.amount": 0.0}
LIGHT = Shot(bearing=75, elevation=55, sky=0.7)


def ready(pixels: Any, **changes: Any) -> Any:
    return evaluation(pixels, **{**PLAIN, **size_of(SIDE), **changes})


def best_overlaps(masks: np.ndarray, zoned: Zoned) -> list[float]:
    """For each true zone, how well the one that lies best on it does: intersection over union."""
    labels = masks.argmax(-1)
    true = cv2.resize(zoned.zones.astype(np.uint8), labels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    return [
        max(((labels == n) & (true == k)).sum() / ((labels == n) | (true == k)).sum() for n in range(masks.shape[-1]))
        for k in range(len(zoned.kinds))
    ]


class Apart(unittest.TestCase):
    """Materials of surfaces whose materials are known, on seeds that nothing was tuned on."""

    def masks(self, codes: np.ndarray) -> tuple[list[dict[str, Any]], np.ndarray]:
        pixels = decode_srgb(codes)
        found = suggested_zones(evaluation(pixels, **{"tile.join.method": "none", **size_of(512)}))["zones"]
        rows = [{"id": f"z{n}", "parts": [zone["part"]]} for n, zone in enumerate(found)]
        whole = evaluation(pixels, **{"tile.join.method": "none", **size_of(512), "response.zones.zones": rows})
        return found, whole.layer("zones", (512, 512)).pixels

    def test_zones_lie_on_what_is_there(self) -> None:
        for name, seed in (("mossy_cobbles", 21), ("painted_plate", 21)):
            zoned = ZONED[name](512, seed)
            codes = photograph(zoned.surface, LIGHT, np.random.default_rng(1))
            compressed = cv2.imdecode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 70])[1], -1)
            for what, seen, least, mean in (("as shot", codes, 0.7, 0.8), ("as JPEG", compressed, 0.5, 0.68)):
                with self.subTest(name=name, what=what):
                    found, masks = self.masks(seen)
                    self.assertEqual(len(found), len(zoned.kinds))
                    shares = best_overlaps(masks, zoned)
                    self.assertGreater(min(shares), least, shares)
                    self.assertGreater(float(np.mean(shares)), mean)
                    self.assertAlmostEqual(sum(zone["share"] for zone in found), 1, delta=0.02)
                    for zone in found:
                        points = np.array([point for line in zone["outline"] for point in line])
                        self.assertTrue(len(points) > 8 and points.min() >= 0 and points.max() <= 1)

    def test_a_patchwork_of_many_colours_makes_zones_that_can_be_taken(self) -> None:
        rng = np.random.default_rng(1)
        colours = np.concatenate([np.eye(3) * 0.6, 0.55 - np.eye(3) * 0.5, np.full((1, 3), 0.8)]).astype(np.float32)
        patches = np.kron(rng.integers(0, 7, (8, 8)), np.ones((64, 64), int))
        pixels = (colours[patches] * rng.uniform(0.95, 1.05, (512, 512, 1))).astype(np.float32)
        found = suggested_zones(evaluation(pixels, **{"tile.join.method": "none", **size_of(512)}))["zones"]
        self.assertGreater(len(found), 4)
        Recipe().with_changes(
            {"response.zones.zones": [{"id": f"z{n}", "parts": [zone["part"]]} for n, zone in enumerate(found)]}
        )
        for zone in found:
            named = sum(len(other["part"]["picks"]) for other in found) - len(zone["part"]["picks"])
            self.assertEqual(len(zone["part"]["against"]), named)

    def test_one_material_is_said_to_be_one(self) -> None:
        for light in (LIGHT, Shot(bearing=120, elevation=30, sky=0.4)):
            sand = decode_srgb(photograph(ZONED["sand_alone"](512, 21).surface, light, np.random.default_rng(1)))
            found = suggested_zones(evaluation(sand, **{"tile.join.method": "none", **size_of(512)}))
            self.assertEqual(found["zones"], [])
            self.assertIn("one material", found["why"])
        self.assertEqual(find_clusters(np.full((64, 96, 3), 0.4, np.float32)).number, 1)

    def test_shade_grain_and_passing_colours_are_no_materials(self) -> None:
        rng = np.random.default_rng(3)
        field = blur(rng.standard_normal((128, 128)).astype(np.float32), 6, wraps=True)
        blobs = (field > field.std()).astype(np.float32)
        # Its shade lies always to its right; what lies anywhere does not.
        self.assertGreater(_on_one_side(blobs, np.roll(blobs, 6, 1) * (1 - blobs)), 0.8)
        around = cv2.dilate(blobs, np.ones((9, 9))) - blobs
        self.assertLess(_on_one_side(blobs, around), 0.15)
        self.assertGreater(_goes_on(blobs), 0.5)
        self.assertLess(abs(_goes_on((rng.random((128, 128)) < 0.3).astype(np.float32))), 0.05)
        ends = np.array([[0.0, 0, 0], [1.0, 0, 0]])
        two = np.concatenate([rng.normal(end, 0.08, (500, 3)) for end in ends])
        self.assertLess(_passing(two, ends), 0.1)
        self.assertGreater(_passing(rng.uniform(-0.2, 1.2, (1000, 3)), ends), 0.8)


class Kinds(unittest.TestCase):
    def test_reflectances_are_those_of_published_indices(self) -> None:
        """Fresnel straight on: water n = 1.333 mirrors 2.0 %, glass n = 1.5 4 % (E. Hecht, Optics, 4.6, worked values,
        from memory). Metals: n and k of P. B. Johnson & R. W. Christy, Phys. Rev. B 6, 1972, at 1.88, 2.26 and 2.75 eV
        (659, 549, 451 nm), from memory."""
        self.assertAlmostEqual(KINDS["water"].reflectance()[0], 0.0204, places=4)
        self.assertAlmostEqual(KINDS["plastic"].reflectance()[0], 0.04, places=6)
        self.assertAlmostEqual(KINDS["ice"].reflectance()[0], 0.018, places=4)
        tables = {
            "copper": ((0.22, 3.747), (1.02, 2.577), (1.24, 2.397)),
            "silver": ((0.05, 4.483), (0.06, 3.586), (0.04, 2.657)),
            "gold": ((0.14, 3.697), (0.43, 2.455), (1.38, 1.914)),
        }
        for id, row in tables.items():
            wanted = [((n - 1) ** 2 + k * k) / ((n + 1) ** 2 + k * k) for n, k in row]
            # Three wavelengths stand for bands: gold's edge lies within the green one.
            np.testing.assert_allclose(KINDS[id].reflectance(), wanted, atol=0.1 if id == "gold" else 0.07, err_msg=id)

    def test_they_differ_as_the_things_do(self) -> None:
        """Common practice, no source: moss and soil are dull, stone less so, paint and glass shine; snow is the
        brightest and asphalt the darkest of grounds (Oke, Boundary Layer Climates, 1987, from memory)."""
        rough = [KINDS[id].rough for id in ("moss", "soil", "stone", "paint", "tile", "glass", "water")]
        self.assertEqual(rough, sorted(rough, reverse=True))
        bright = [KINDS[id].albedo[1] for id in ("asphalt", "stone", "snow")]
        self.assertEqual(bright, sorted(bright))
        for kind in KINDS.values():
            self.assertLess(kind.albedo[0], kind.albedo[1], kind.id)
            self.assertTrue(set(kind.sources) <= set(SOURCES), kind.id)
            self.assertTrue(
                0 <= kind.rough <= 1 and kind.metallic == (1.0 if kind.group == "Metals" and kind.f0 else 0.0)
            )

    def test_what_they_set_are_ordinary_settings(self) -> None:
        zone = {"id": "a", "parts": [{"kind": "height", "low": 50}]}
        for kind in KINDS.values():
            changes: dict[str, Any] = {"response.zones.zones": [{**zone, "kind": kind.id}], **kind.whole()}
            for role, told in kind.changes().items():
                if told:
                    changes[f"response.on_{role}.in_zones"] = {"a": told}
            recipe = Recipe().with_changes(changes)
            self.assertEqual(from_json(recipe.as_json()).as_json(), recipe.as_json(), kind.id)
        self.assertIsNone(KINDS["stone"].changes()["specular"])
        # All of a surface: read as the kind says, even where an older recipe reads tone; what it mirrors as well.
        old = from_json({"version": 4, "operations": {}}).with_changes({**KINDS["water"].whole()})
        self.assertEqual(old.settings("response.roughness").reads, "surface")
        self.assertEqual(old.settings("response.specular").colour, "#272727")
        self.assertEqual(old.with_changes(KINDS["stone"].whole()).settings("response.specular").colour, "#383838")
        self.assertEqual(old.with_changes(KINDS["iron"].whole()).settings("response.metallic").level, 0.95)
        self.assertEqual(KINDS["moss"].changes()["specular"], {"colour": "#303030", "amount": 100.0, "keep": 0.0})
        self.assertEqual(hex_of((0.04, 0.04, 0.04)), "#383838")
        self.assertEqual(KINDS["copper"].changes()["metallic"], {"level": 0.95, "spread": 0.0})

    def test_the_guide_has_the_table(self) -> None:
        self.assertEqual(guide.told(), guide.table(), "run python -m tests.guide")

    def test_zones_with_kinds_make_roughness_true(self) -> None:
        zoned = ZONED["painted_plate"](512, 21)
        pixels = decode_srgb(photograph(zoned.surface, LIGHT, np.random.default_rng(1)))
        plain = {"tile.join.method": "none", **size_of(512)}
        found = suggested_zones(evaluation(pixels, **plain))["zones"]
        by_name = {"Teal": "paint", "Brown": "rust", "Olive": "moss"}
        kinds = [by_name[zone["name"].split()[-1].capitalize()] for zone in found]
        rows = [{"id": f"z{n}", "parts": [zone["part"]], "kind": kind} for n, (zone, kind) in enumerate(zip(found, kinds, strict=True))]  # fmt: skip
        rough = {f"z{n}": KINDS[kind].changes()["roughness"] for n, kind in enumerate(kinds)}
        told = {"response.zones.zones": rows, "response.on_roughness.in_zones": rough}
        made = evaluation(pixels, **plain, **told)
        found_rough = made.layer("roughness", (512, 512)).pixels
        self.assertGreater(float(np.corrcoef(found_rough.ravel(), zoned.surface.roughness.ravel())[0, 1]), 0.8)
        # Moss does not come out glossier than what it grows on.
        means = figures(made)["rough"]
        at = {kind: means[f"z{n}"] for n, kind in enumerate(kinds)}
        for kind, value in at.items():
            self.assertAlmostEqual(value, KINDS[kind].rough, delta=0.06)
        self.assertGreater(at["moss"], at["rust"])


def lit_bumps(side: int = SIDE, seed: int = 4) -> tuple[np.ndarray, np.ndarray]:
    """(linear photograph of bumps of one grey under a low lamp from the right, how far each place leans toward it)."""
    noise = np.random.default_rng(seed).standard_normal((side, side)).astype(np.float32)
    height = 60 * blur(noise, 3, wraps=True)
    across, _ = slopes(height, wraps=True)
    lit = 0.3 * (1 - 0.8 * across).clip(0.1, 2)
    return np.repeat(lit[..., None], 3, -1).astype(np.float32), -across


class Roughness(unittest.TestCase):
    def test_it_does_not_follow_the_light(self) -> None:
        pixels, leaning = lit_bumps()
        found = {}
        for reads in ("surface", "tone"):
            rough = ready(pixels, **{"response.roughness.reads": reads}).layer("roughness", SIZE).pixels
            found[reads] = abs(float(np.corrcoef(rough.ravel(), leaning.ravel())[0, 1]))
        self.assertLess(found["surface"], 0.1)
        self.assertGreater(found["tone"], 0.3)

    def test_smooth_fields_on_a_coarser_grid_are_those_of_the_whole(self) -> None:
        side = 1536
        sample = cv2.resize(linear_photograph("gravel"), (side, side), interpolation=cv2.INTER_CUBIC).clip(0, 1)
        tiled, height = Raster(sample), blur(luminance(sample), 2.0, wraps=True)
        formed = Raster(np.ascontiguousarray(height))
        small = (Raster(shrink(raster.pixels, 2)) for raster in (tiled, formed))
        decided = decide_cues(*small, frame=frame(side // 2))

        def made(tiled: Raster, formed: Raster) -> np.ndarray:
            return cues(tiled, formed, frame=frame(side), decided=decided).pixels

        coarse = made(tiled, formed)
        with mock.patch("amber_thicket.core.response.cues._coarser", return_value=1):
            whole = made(tiled, formed)
        off = np.sqrt(((coarse - whole) ** 2).mean((0, 1)))
        # Each cue has a standard deviation of 1.
        self.assertTrue((off > 1e-4).all(), "they are made on another grid")
        self.assertLess(float(off.max()), 0.05)
        # Edges meet: what is rolled comes out rolled.
        rolled = made(*(Raster(np.roll(raster.pixels, (192, 704), (0, 1))) for raster in (tiled, formed)))
        np.testing.assert_allclose(rolled, np.roll(coarse, (192, 704), (0, 1)), atol=2e-3)

    def test_the_grid_is_never_coarser_than_a_plan_and_its_cells_are_whole(self) -> None:
        for height, width, factor in (
            (768, 768, 1), (1535, 1536, 1), (1536, 1536, 2), (3072, 1536, 2), (3072, 3072, 4), (3070, 3070, 2), (8192, 8192, 8),
        ):  # fmt: skip
            self.assertEqual(_coarser(height, width), factor, (height, width))

    def test_cues_are_even_and_the_same_at_every_size(self) -> None:
        whole = evaluation(linear_photograph("gravel"), **{**PLAIN, **size_of(1024)})
        large, small = (whole.layer("roughness_cues", (side, side)).pixels for side in (1024, 384))
        for one in (large, small):
            np.testing.assert_allclose(one.mean((0, 1)), 0, atol=0.06)
            np.testing.assert_allclose(one.std((0, 1)), 1, atol=0.08)
        # At a quarter, where the finest grain is gone, roughness is off by two codes at most.
        quarter, half = (float(whole.layer("roughness", (side, side)).pixels.mean()) for side in (256, 512))
        self.assertAlmostEqual(quarter, half, delta=2.5 / 255)
        back = cv2.resize(large, (384, 384), interpolation=cv2.INTER_AREA)
        for number in range(3):
            self.assertGreater(float(np.corrcoef(back[..., number].ravel(), small[..., number].ravel())[0, 1]), 0.85)

    def test_recesses_grain_and_pale_patches_are_rougher(self) -> None:
        pixels = np.full((SIDE, SIDE, 3), 0.2, np.float32)
        pixels[:, SIDE // 2 :] = 0.45
        rng = np.random.default_rng(2)
        pixels[: SIDE // 2] *= rng.uniform(0.85, 1.15, (SIDE // 2, SIDE, 1)).astype(np.float32)
        alone = {f"response.roughness.{name}": 0.0 for name in ("recesses", "grain", "pale")}
        inner = np.s_[30:98, 158:226]
        quarters = {"grainy": np.s_[30:98, 30:98], "calm": np.s_[158:226, 30:98], "pale": np.s_[158:226, 158:226]}
        grain = ready(pixels, **{**alone, "response.roughness.grain": 100.0}).layer("roughness", SIZE).pixels
        self.assertGreater(grain[quarters["grainy"]].mean(), grain[quarters["calm"]].mean() + 0.05)
        pale = ready(pixels, **{**alone, "response.roughness.pale": 100.0}).layer("roughness", SIZE).pixels
        self.assertGreater(pale[quarters["pale"]].mean(), pale[quarters["calm"]].mean() + 0.05)
        self.assertGreater(pale[inner].mean(), pale[quarters["grainy"]].mean() + 0.05)
        cue = ready(linear_photograph("gravel")).layer("roughness_cues", SIZE).pixels
        deep = ready(linear_photograph("gravel"), **{**alone, "response.roughness.recesses": 100.0})
        made = deep.layer("roughness", SIZE).pixels
        self.assertGreater(float(np.corrcoef(made.ravel(), cue[..., 0].ravel())[0, 1]), 0.97)
        # The formed height is low there.
        self.assertLess(float(np.corrcoef(made.ravel(), deep.layer("formed", SIZE).pixels.ravel())[0, 1]), -0.1)

    def test_weights_share_one_spread(self) -> None:
        cues = np.random.default_rng(1).standard_normal((64, 64, 3)).astype(np.float32)
        self.assertAlmostEqual(float(combine_cues(cues, (30, 40, 60)).std()), 1, delta=0.03)
        np.testing.assert_allclose(combine_cues(cues, (5, 0, 0)), cues[..., 0], rtol=1e-6)
        np.testing.assert_allclose(combine_cues(cues, (0, -5, 0)), -cues[..., 1], rtol=1e-6)
        self.assertEqual(float(np.abs(combine_cues(cues, (0, 0, 0))).max()), 0.0)

    def test_contrast_and_curve(self) -> None:
        values = np.array([[-0.1, 0.0, 0.2, 0.4, 0.7, 1.0, 1.2]], np.float32)
        more = bend_values(values, 0.4, 50.0, ())
        np.testing.assert_allclose(more[0, [0, 1, 3, 5, 6]], values[0, [0, 1, 3, 5, 6]], atol=1e-5)
        # Twice as steep: half way down, (1/4)² against (3/4)² of twice the half.
        self.assertAlmostEqual(float(more[0, 2]), 0.4 * 2 * 0.0625 / 0.625, places=5)
        self.assertGreater(float(more[0, 4]), 0.7)
        less = bend_values(values, 0.4, -50.0, ())
        self.assertGreater(float(less[0, 2]), 0.2)
        bent = bend_values(np.array([[0.0, 0.5, 1.0]], np.float32), 0.5, 0.0, ((0.0, 0.3), (1.0, 0.6)))
        np.testing.assert_allclose(bent, [[0.3, 0.45, 0.6]], atol=1e-6)
        whole = ready(linear_photograph("gravel"), **{"response.roughness.curve": [[0, 0.2], [1, 0.2]]})
        np.testing.assert_allclose(whole.layer("roughness", SIZE).pixels, 0.2, atol=1e-5)

    def test_a_zone_follows_its_own_recesses(self) -> None:
        zone = [{"id": "a", "parts": [{"kind": "brush", "strokes": [stroke(0.3, 0.5, 0.5)], "soft": 0}]}]
        change = {"level": 0.4, "spread": 1.5, "recesses": 100.0}
        whole = ready(
            linear_photograph("gravel"),
            **{"response.zones.zones": zone, "response.on_roughness.in_zones": {"a": change}},
        )
        mask = whole.layer("zones", SIZE).pixels[..., 0] > 0.99
        rough, cue = whole.layer("roughness", SIZE).pixels, whole.layer("roughness_cues", SIZE).pixels[..., 0]
        self.assertAlmostEqual(float(rough[mask].mean()), 0.4, delta=0.015)
        self.assertAlmostEqual(float(rough[mask].std()), 1.5 * 0.08, delta=0.02)
        self.assertGreater(float(np.corrcoef(rough[mask], cue[mask])[0, 1]), 0.98)


class Glints(unittest.TestCase):
    """What an exposure bracket holds beyond one photograph."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.side = 512
        cls.felt = rig_surface("tarred_felt", cls.side, 7)
        # Mirrored light of a clear sun, as Fresnel's formula has it.
        cls.sun = Shot(bearing=75, elevation=55, sky=0.7, gloss=3.0)

    def bracket(self, surface: Any, side: int, **changes: Any) -> Any:
        return bracketed(surface, self.sun, **{"tile.join.method": "none", **size_of(side), **changes})

    def test_what_shines_brighter_is_smoother(self) -> None:
        size = (self.side, self.side)
        truth = self.felt.roughness
        alike = {}
        for weight in (0.0, 200.0):
            made = self.bracket(self.felt, self.side, **{"response.roughness.glints": weight})
            rough = made.layer("roughness", size).pixels
            alike[weight] = float(np.corrcoef(rough.ravel(), truth.ravel())[0, 1])
        self.assertGreater(alike[200.0], 0.4)
        self.assertGreater(alike[200.0], alike[0.0] + 0.3)
        cue = made.layer("glints", size)
        self.assertEqual(cue.evidence["glints"], 1.0)
        self.assertAlmostEqual(float(cue.pixels.mean()), 0.0, delta=0.05)
        self.assertAlmostEqual(float(cue.pixels.std()), 1.0, delta=0.1)
        # The same at half the size.
        half = made.layer("glints", (self.side // 2, self.side // 2)).pixels
        self.assertGreater(np.corrcoef(half.ravel(), shrink(cue.pixels, 2).ravel())[0, 1], 0.9)

    def test_without_glints_or_a_bracket_nothing_is_said(self) -> None:
        render = rig_surface("lime_render", self.side, 7)
        size = (self.side, self.side)
        made = self.bracket(render, self.side)
        self.assertEqual(made.layer("glints", size).evidence["glints"], 0.0)
        without = self.bracket(render, self.side, **{"response.roughness.glints": 0.0})
        np.testing.assert_array_equal(made.layer("roughness", size).pixels, without.layer("roughness", size).pixels)
        # A focus stack is no bracket, one photograph neither: their pictures do not hang on it.
        alone = [
            ready(linear_photograph("gravel"), **{"response.roughness.glints": glints}).key("roughness", SIZE)
            for glints in (0.0, 300.0)
        ]
        self.assertEqual(*alone)
        stack = self.bracket(self.felt, self.side, **{"gather.merge.by": "focus"})
        self.assertEqual(stack.layer("glints", size).evidence["glints"], 0.0)

    def test_how_far_a_place_stands_out(self) -> None:
        light = np.full((256, 256), 0.1, np.float32)
        light[103:107, :2] = light[103:107, -2:] = 1.0
        times = above_surround(light, 256)
        self.assertAlmostEqual(float(times[200, 128]), 1.0, delta=0.04)
        # Round the edge as well: ten times as bright as around.
        self.assertAlmostEqual(float(times[104, 0]), 10.0, delta=0.5)
        self.assertAlmostEqual(float(times[104, 255]), 10.0, delta=0.5)

    def test_there_are_glints_from_five_times_on(self) -> None:
        grain = np.random.default_rng(1).uniform(0.95, 1.05, (256, 256)).astype(np.float32)
        for times, there in ((4.6, False), (5.6, True)):
            light = 0.1 * grain
            # Blocks that are wider than the grain that is smoothed, and far less than half of what is around.
            for at in range(20, 240, 40):
                light[at : at + 3, at : at + 3] = 0.1 * times
            picture = Raster(np.repeat(light[..., None], 3, -1))
            self.assertEqual(decide_glints(picture, frame=frame(256)).there, there, times)
        # In the dark, the same: it is a matter of ratios.
        dark = Raster(picture.pixels * np.float32(0.05))
        self.assertTrue(decide_glints(dark, frame=frame(256)).there)

    def test_brackets_of_before_keep_their_roughness(self) -> None:
        frames = [{"file": f"{number:016x}", "stops": None} for number in (1, 2)]
        stored = {"version": 5, "operations": {"gather.merge": {"frames": frames}}}
        self.assertEqual(from_json(json.dumps(stored)).settings("response.roughness").glints, 0.0)
        alone = {"version": 5, "operations": {}}
        self.assertEqual(from_json(json.dumps(alone)).settings("response.roughness").glints, 200.0)


class Water(unittest.TestCase):
    def test_wet_colours_are_darker_and_deeper(self) -> None:
        """Ångström 1925 as written out by hand: a = .3, p = .47: .98 · .53 · .3 / (1 − .141) = .1814."""
        dry = np.array([[[0.3, 0.3, 0.3], [0.6, 0.3, 0.1]]], np.float32)
        wet = wet_colour(dry, np.float32(1), np.zeros((1, 2), np.float32))
        self.assertAlmostEqual(float(wet[0, 0, 0]), 0.1814, places=3)
        self.assertLess(float(luminance(wet)[0, 1]), float(luminance(dry)[0, 1]))
        # Bright channels lose less: the colour is deeper.
        self.assertGreater(wet[0, 1, 0] / wet[0, 1, 2], dry[0, 1, 0] / dry[0, 1, 2])
        np.testing.assert_allclose(wet_colour(dry, np.float32(0), np.zeros((1, 2), np.float32)), dry)
        np.testing.assert_allclose(wet_colour(dry, np.float32(1), np.ones((1, 2), np.float32)), dry, rtol=1e-6)

    def test_all_of_it_and_zones(self) -> None:
        gravel = linear_photograph("gravel")
        dry = ready(gravel)
        soaked = ready(gravel, **{"response.covers.wet": 1.0})
        for name, share in (("base_color", 0.75), ("roughness", 0.26)):
            before, after = (one.layer(name, SIZE).pixels for one in (dry, soaked))
            self.assertLess(float(after.mean()), share * float(before.mean()) + 1e-3, name)
        np.testing.assert_allclose(
            soaked.layer("roughness", SIZE).pixels, 0.25 * dry.layer("roughness", SIZE).pixels, rtol=1e-4
        )
        zone = [{"id": "a", "parts": [{"kind": "brush", "strokes": [stroke(0.2, 0.5, 0.5)], "soft": 0}]}]
        told = {"response.zones.zones": zone, "response.covers.wet_zones": {"a": 0.0}, "response.covers.wet": 1.0}
        but = ready(gravel, **told)
        mask = but.layer("zones", SIZE).pixels[..., 0]
        for name in ("base_color", "roughness"):
            found, one, other = (w.layer(name, SIZE).pixels for w in (but, dry, soaked))
            np.testing.assert_allclose(found[mask == 1], one[mask == 1], atol=1e-5)
            np.testing.assert_allclose(found[mask == 0], other[mask == 0], atol=1e-5)

    def test_puddles_stand_in_the_lowest_places_level_and_smooth(self) -> None:
        whole = ready(linear_photograph("gravel"), **{"response.covers.puddles": 30.0})
        dry = ready(linear_photograph("gravel"))
        low = dry.layer("height", SIZE).pixels
        pool = low < np.quantile(low, 0.22)
        self.assertLess(float(whole.layer("roughness", SIZE).pixels[pool].mean()), 0.1)
        self.assertLess(float(luminance(whole.layer("base_color", SIZE).pixels)[pool].mean()),
                        0.8 * float(luminance(dry.layer("base_color", SIZE).pixels)[pool].mean()))  # fmt: skip
        self.assertGreater(float(whole.layer("normal", SIZE).pixels[..., 2][pool].mean()), 0.995)
        high = low > np.quantile(low, 0.6)
        np.testing.assert_allclose(
            whole.layer("roughness", SIZE).pixels[high], dry.layer("roughness", SIZE).pixels[high], atol=1e-4
        )


class Specular(unittest.TestCase):
    def test_there_and_back(self) -> None:
        """Khronos, KHR_materials_pbrSpecularGlossiness: both ways of saying one surface."""
        rng = np.random.default_rng(5)
        base = rng.uniform(0.05, 0.6, (64, 64, 3)).astype(np.float32)
        for level, f0, error in ((0.0, 0.04, 1 / 255), (0.0, 0.08, 1 / 255), (1.0, 0.04, 1 / 255), (0.5, 0.04, 0.03)):
            metal = np.full((64, 64), level, np.float32)
            diffuse, specular = to_specular(base, metal, np.full_like(base, f0))
            again = to_specular(*to_metal(diffuse, specular))
            for name, one, other in (("diffuse", diffuse, again[0]), ("specular", specular, again[1])):
                with self.subTest(level=level, f0=f0, name=name):
                    off = np.abs(one - other)
                    self.assertLess(float(off.mean()), error)
                    if level in (0.0, 1.0):
                        self.assertLess(float(off.max()), 2 * error)

    def test_a_zone_s_specular_reaches_the_files(self) -> None:
        zone = [{"id": "a", "parts": [{"kind": "brush", "strokes": [stroke(0.3, 0.5, 0.5)], "soft": 0}]}]
        told = {
            "response.zones.zones": zone,
            "response.on_specular.in_zones": {"a": {"colour": "#c0c0c0", "amount": 100.0, "keep": 0.0}},
            "pack.files.profile": "specular_gloss", "pack.files.materialx": True, "pack.files.usd": True,
        }  # fmt: skip
        whole = ready(linear_photograph("gravel"), **told)
        files = {written.name: written.data for written in pack(whole, "m", lambda *_: None)}
        codes = cv2.imdecode(np.frombuffer(files["m_specular.png"], np.uint8), cv2.IMREAD_COLOR)
        self.assertTrue(np.all(np.abs(codes[128, 128].astype(int) - 0xC0) <= 1), codes[128, 128])
        self.assertTrue(np.all(codes[4, 4] == 0x38), codes[4, 4])
        # MaterialX: reflectance as a multiple of that of n = 1.5, the colour from the diffuse, nothing metal.
        graph = ET.fromstring(files["m.mtlx"])
        surface = graph.find("standard_surface")
        assert surface is not None
        inputs = {row.get("name"): row.get("output") for row in surface.findall("input")}
        self.assertEqual(inputs["base_color"], "diffuse_out")
        self.assertEqual(inputs["specular_color"], "specular_color_out")
        self.assertEqual(inputs["specular_roughness"], "roughness_out")
        self.assertNotIn("metalness", inputs)
        (product,) = graph.findall(".//multiply")
        self.assertEqual([row.get("value") for row in product.findall("input")][1], "25")
        usd = files["m.usda"].decode()
        self.assertIn("int inputs:useSpecularWorkflow = 1", usd)
        self.assertIn("color3f inputs:specularColor.connect = </Tile/Look/specular_color.outputs:rgb>", usd)
        self.assertIn("color3f inputs:diffuseColor.connect = </Tile/Look/diffuse.outputs:rgb>", usd)
        self.assertIn("ND_multiply_color3FA", usd)
        manifest = json.loads(files["m_manifest.json"])
        self.assertEqual(manifest["profile"], "specular_gloss")

    def test_specular_is_painted_at_once(self) -> None:
        painted = stroke(0.1, 0.5, 0.5, kind="set", value="#808080", strength=1, soft=0)
        whole = ready(linear_photograph("gravel"), **{"response.on_specular.strokes": [painted]})
        self.assertIn("specular", whole.maps())
        codes = encode_srgb8(whole.layer("specular", SIZE).pixels)
        self.assertTrue(np.all(np.abs(codes[128, 128].astype(int) - 0x80) <= 1))
        self.assertTrue(np.all(codes[2, 2] == 0x38))

    def test_what_is_written_of_it(self) -> None:
        maps = {
            "base_color": np.full((2, 2, 3), 0.5, np.float32), "metallic": np.array([[0, 1], [0, 1]], np.float32),
            "specular": np.full((2, 2, 3), 0.1, np.float32),
        }  # fmt: skip
        found = DERIVED["specular_color"](maps)
        np.testing.assert_allclose(found[:, 0], 0.1, atol=1e-6)
        np.testing.assert_allclose(found[:, 1], 0.5, atol=1e-6)
        self.assertAlmostEqual(float(DERIVED["diffuse"](maps)[0, 0, 0]), 0.5 * 0.96 / 0.9, places=5)


if __name__ == "__main__":
    unittest.main()
