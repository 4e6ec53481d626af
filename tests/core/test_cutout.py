"""Cut-outs: mask, colour beyond the edge, light from behind, relief in parts."""

from __future__ import annotations

import unittest
from dataclasses import replace

import cv2
import numpy as np

from amber_thicket.core.even.glare import glare_mask
from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, linear_to_lab, luminance
from amber_thicket.core.present import present
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.cues import thickness_told
from amber_thicket.core.relief.split import ridges
from amber_thicket.core.tile.extended import bled
from amber_thicket.errors import BadSetting
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from tests.support import ArraySource, stroke

SIDE = 512
CUT = {
    "tile.cutout.on": True, "tile.join.method": "none", "even.light.amount": 0.0,
    "square.size.width": SIDE, "square.size.height": SIDE,
}  # fmt: skip
LIT, BACK = "1" * 16, "2" * 16


class CutOut(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.frond = kelp_frond(SIDE, 9)
        rng = np.random.default_rng(2)
        same = placed(0, (0, 0), 1, mirrored=False)
        cls.back_place = placed(-9, (0.02, -0.012), 0.96, mirrored=True)
        cls.shots = {
            "0" * 16: decode_srgb(front_shot(cls.frond, rng)),
            LIT: decode_srgb(back_lit_shot(cls.frond, same, rng)),
            BACK: decode_srgb(back_shot(cls.frond, cls.back_place, rng)),
        }

    def made(self, changes: dict | None = None) -> Evaluation:
        files = {key: ArraySource(pixels, key) for key, pixels in self.shots.items()}
        recipe = Recipe().with_changes({**CUT, **(changes or {})})
        return Evaluation(recipe, files["0" * 16], Memory(4 * 10**8), files=files)

    def layer(self, name: str, changes: dict | None = None) -> np.ndarray:
        return self.made(changes).layer(name, (SIDE, SIDE)).pixels

    def test_the_mask_is_the_frond(self) -> None:
        opacity = self.layer("opacity")
        off = np.abs(opacity - self.frond.mask)
        self.assertLess(float(off.mean()), 0.012)
        shared = np.minimum(opacity, self.frond.mask).sum() / np.maximum(opacity, self.frond.mask).sum()
        self.assertGreater(float(shared), 0.96)

    def test_without_a_cut_out_all_is_solid_and_opacity_is_left_out(self) -> None:
        self.assertNotIn("opacity", present(Recipe()))
        self.assertIn("opacity", present(Recipe().with_changes({"tile.cutout.on": True})))
        self.assertEqual(float(self.layer("opacity", {"tile.cutout.on": False}).min()), 1.0)

    def test_colour_goes_on_beyond_the_edge(self) -> None:
        colour, mask = self.layer("base_color"), self.frond.mask
        near = (cv2.dilate(mask, np.ones((9, 9))) > 0.5) & (mask < 0.01)
        rim = (cv2.erode(mask, np.ones((9, 9))) < 0.5) & (mask > 0.99)
        lab = linear_to_lab(np.ascontiguousarray(colour))
        card = linear_to_lab(self.shots["0" * 16])[4:12, 4:12].mean((0, 1))
        beyond, within = lab[near].mean(0), lab[rim].mean(0)
        self.assertLess(float(np.linalg.norm(beyond - within)), 6.0)
        self.assertGreater(float(np.linalg.norm(beyond - card)), 30.0)
        # Smaller copies of colour × mask show no card: common practice, no source.
        small = cv2.resize(colour, (32, 32), interpolation=cv2.INTER_AREA)
        self.assertLess(float(small.max()), float(self.shots["0" * 16].max()) * 0.75)

    def test_bleeding_leaves_what_is_solid_alone(self) -> None:
        colour = np.random.default_rng(1).random((64, 64, 3)).astype(np.float32)
        mask = np.zeros((64, 64), np.float32)
        mask[16:48, 16:48] = 1
        out = bled(colour, mask)
        np.testing.assert_array_equal(out[20:44, 20:44], colour[20:44, 20:44])
        self.assertLess(float(np.abs(out[:8].mean((0, 1)) - 0.5).max()), 0.1)

    def test_light_from_behind_is_a_share_of_the_lamp(self) -> None:
        through = self.layer("translucency", {"gather.maps.translucency": LIT})
        inside = cv2.erode(self.frond.mask, np.ones((7, 7))) > 0.99
        truth = cv2.GaussianBlur(self.frond.through, (0, 0), 0.55)
        self.assertLess(float(np.abs(through - truth)[inside].mean()), 0.02)
        plain = self.layer("translucency", {"gather.maps.translucency": LIT, "response.translucency.lamp": False})
        self.assertAlmostEqual(float(np.median(plain[inside] / np.maximum(through[inside], 1e-3))), 0.82, delta=0.02)

    def test_the_back_lies_on_the_front(self) -> None:
        places = [{"file": BACK, "matrix": self.back_place.ravel().tolist()}]
        back = self.layer("back_color", {"gather.maps.back_color": BACK, "gather.registration.files": places})
        inside = cv2.erode(self.frond.mask, np.ones((9, 9))) > 0.99
        tone, truth = (np.log(v.mean(-1) + 0.01)[inside] for v in (back, self.frond.back))
        self.assertGreater(float(np.corrcoef(tone, truth)[0, 1]), 0.3)
        self.assertLess(
            float(
                np.abs(linear_to_lab(back)[inside].mean(0) - linear_to_lab(self.frond.back)[inside].mean(0))[1:].max()
            ),
            6,
        )

    def test_strokes_holes_specks_and_the_edge(self) -> None:
        plain = self.layer("opacity")
        kept = self.layer(
            "opacity",
            {"tile.cutout.strokes": [stroke(0.03, 0.1, 0.1, kind="keep"), stroke(0.02, 0.5, 0.5, kind="leave")]},
        )
        self.assertEqual(float(plain[51, 51]), 0.0)
        self.assertEqual(float(kept[51, 51]), 1.0)
        self.assertEqual(float(plain[256, 256]), 1.0)
        self.assertEqual(float(kept[256, 256]), 0.0)
        opened, closed = (self.layer("opacity", {"tile.cutout.holes": by}) for by in (0.0, 12.0))
        self.assertGreater(float(closed.sum()), float(opened.sum()) + 20)
        areas = [float(self.layer("opacity", {"tile.cutout.edge": by}).sum()) for by in (-0.5, 0.0, 0.5)]
        self.assertLess(areas[0], areas[1])
        self.assertLess(areas[1], areas[2])

    def test_a_picked_ground(self) -> None:
        picked = self.layer("opacity", {"tile.cutout.ground": ["#d8d8d6"], "tile.cutout.tolerance": 14.0})
        self.assertLess(float(np.abs(picked - self.frond.mask).mean()), 0.03)
        for name, value in (("ground", ["red"]), ("strokes", [stroke(0.1, 0, 0)]), ("tolerance", 200)):
            with self.assertRaises(BadSetting):
                Recipe().with_changes({f"tile.cutout.{name}": value})

    def test_preview_is_the_bake_made_smaller(self) -> None:
        large = self.made().layer("opacity", (SIDE, SIDE)).pixels
        small = self.made().layer("opacity", (SIDE // 2, SIDE // 2)).pixels
        near = cv2.resize(large, (SIDE // 2, SIDE // 2), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(small - near).mean()), 0.006)


class Parts(unittest.TestCase):
    def test_a_line_is_a_vein_and_a_dome_is_none(self) -> None:
        y, x = np.mgrid[0:128, 0:128].astype(np.float32)
        line, dome = np.exp(-(((x - 64) / 3) ** 2)), np.exp(-((x - 64) ** 2 + (y - 64) ** 2) / 50)
        self.assertGreater(float(ridges(line, 6)[64, 64]), 4 * float(ridges(dome, 6)[64, 64]))
        self.assertLess(float(ridges(-line, 6)[64, 64]), 0.01 * float(ridges(line, 6)[64, 64]))

    def test_parts_are_maps_only_when_asked(self) -> None:
        self.assertEqual(present(Recipe()), ())
        asked = present(Recipe().with_changes({"relief.split.on": True}))
        self.assertEqual(asked, ("relief_broad", "relief_fine", "relief_veins"))


def leaf(seed: int, *, back_lit: bool, **changes):
    """(evaluation of a frond's photographs, the frond)."""
    side = 640
    frond, rng = kelp_frond(side, seed), np.random.default_rng(2)
    files = {"a" * 16: ArraySource(decode_srgb(front_shot(frond, rng)), "front")}
    lit = {}
    if back_lit:
        shot = back_lit_shot(frond, placed(0, (0, 0), 1.0, mirrored=False), rng)
        files["b" * 16], lit = ArraySource(decode_srgb(shot), "lit"), {"gather.maps.translucency": "b" * 16}
    recipe = Recipe().with_changes(CUT | lit | changes)
    return Evaluation(recipe, files["a" * 16], Memory(10**9), files=files), frond


class Relief(unittest.TestCase):
    """A seed nothing was tuned on."""

    def told(self, *, back_lit: bool) -> tuple[float, float, Evaluation]:
        """(correlation with the true height inside, how much higher the rim came out, in spreads)."""
        made, frond = leaf(12, back_lit=back_lit)
        height = made.layer("height", (512, 512)).pixels
        true, mask = (
            cv2.resize(one, (512, 512), interpolation=cv2.INTER_AREA) for one in (frond.front.height, frond.mask)
        )
        away = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        inside = away > 4
        rim = float(height[(away > 1) & (away < 6)].mean() - height[away > 10].mean()) / float(height[inside].std())
        return float(np.corrcoef(height[inside], true[inside])[0, 1]), rim, made

    def test_light_is_told_inside_the_outline_and_its_rim_is_no_ridge(self) -> None:
        correlation, rim, made = self.told(back_lit=False)
        self.assertGreater(correlation, 0.3)
        self.assertLess(abs(rim), 0.2)
        # The lamp stood at 110°; the outline and the ground would say 90°.
        self.assertAlmostEqual(made.layer("light", (512, 512)).evidence["bearing"], 105, delta=12)

    def test_what_lets_little_light_through_is_thick(self) -> None:
        correlation, rim, made = self.told(back_lit=True)
        self.assertGreater(correlation, 0.7)
        self.assertLess(abs(rim), 0.2)
        self.assertGreater(made.layer("height", (512, 512)).evidence["thickness"], 0.4)
        # Beer and Lambert: twice as thick lets the square of the share through.
        solid = np.ones((8, 8), np.float32)
        through = np.full((8, 8, 3), 0.5, np.float32)
        through[:4], through[4:] = 0.5, 0.25
        told = thickness_told(through, solid)
        self.assertAlmostEqual(float(told[6, 4] - told[1, 4]), float(np.log(2)), places=4)

    def test_the_mask_comes_from_the_photograph_whatever_even_does(self) -> None:
        plain, frond = leaf(12, back_lit=True)
        evened = plain.with_changes({"even.tone.contrast": -60.0, "even.light.amount": 100.0})
        masks = [one.layer("opacity", (512, 512)).pixels for one in (plain, evened)]
        np.testing.assert_array_equal(*masks)
        true = cv2.resize(frond.mask, (512, 512), interpolation=cv2.INTER_AREA)
        by_light = plain.with_changes({"tile.cutout.source": "back_lit"}).layer("opacity", (512, 512)).pixels
        for found in (masks[0], by_light):
            self.assertGreater(float(np.minimum(found, true).sum() / np.maximum(found, true).sum()), 0.985)

    def test_veins_of_several_widths_are_lines(self) -> None:
        rng = np.random.default_rng(3)
        y, x = np.mgrid[0:256, 0:256].astype(np.float32)
        thick = np.exp(-(((x - 90 - 8 * np.sin(y / 40)) / 9) ** 2))
        fine = 0.12 * np.exp(-(((y - 128 - 5 * np.sin(x / 25)) / 1.6) ** 2)) * (x > 130)
        spots = 0.25 * (cv2.GaussianBlur(rng.standard_normal((256, 256)).astype(np.float32), (0, 0), 1.5) > 0.33)
        found = ridges(thick + fine + cv2.GaussianBlur(spots.astype(np.float32), (0, 0), 1.0), 6.0)
        lines = (np.abs(x - 90 - 8 * np.sin(y / 40)) < 2) | ((np.abs(y - 128 - 5 * np.sin(x / 25)) < 1) & (x > 135))
        away = cv2.distanceTransform((~lines).astype(np.uint8), cv2.DIST_L2, 5) > 14
        self.assertGreater(float(np.median(found[lines & (x < 120)])), 0.8)
        self.assertGreater(float(np.median(found[lines & (x > 135)])), 1.6 * float(np.percentile(found[away], 75)))


class Gloss(unittest.TestCase):
    def test_glints_on_a_dark_leaf_are_told_from_pale_spots(self) -> None:
        frond = kelp_frond(768, 6)
        inside = frond.mask > 0.99
        shiny = replace(frond.front, roughness=np.where(inside, 0.28, 0.9).astype(np.float32))
        lamp = Shot(bearing=110, elevation=55, sky=0.9, vignette=0.05, gloss=0.9, white=1.3)
        seen = decode_srgb(photograph(shiny, lamp, np.random.default_rng(2)))
        without = decode_srgb(photograph(shiny, replace(lamp, gloss=0.0), np.random.default_rng(2)))
        strong = inside & (luminance(seen) > 2.5 * luminance(without) + 0.02)
        found = glare_mask(seen, 768, 50.0)
        self.assertGreater(float(found[strong].mean()), 0.85)
        # The same leaf without any glint has pale spots twice as bright as what is around them.
        self.assertLess(float(glare_mask(without, 768, 50.0)[inside].mean()), 0.0015)
        told = [
            {f["what"]: f["level"] for f in triage(one, bits=8, floating=False)}["Glare"] for one in (seen, without)
        ]
        self.assertEqual(told, ["attention", "pass"])


if __name__ == "__main__":
    unittest.main()
