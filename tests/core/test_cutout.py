"""Cut-outs: mask, colour beyond the edge, light from behind, relief in parts."""

from __future__ import annotations

import unittest

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, linear_to_lab
from amber_thicket.core.present import present
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.split import ridges
from amber_thicket.core.tile.extended import bled
from amber_thicket.errors import BadSetting
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


if __name__ == "__main__":
    unittest.main()
