"""What several files are together, by their names and by what they show."""

from __future__ import annotations

import unittest
from dataclasses import replace

import cv2
import numpy as np

from amber_thicket.core.align.sorting import Item, small_copy, sort_files
from amber_thicket.core.gather.roles import families, guessed, named
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.shading.one_view import evenly_lit, upside_down
from amber_thicket.standins.capture_rig.camera import Shot, photograph, ring
from amber_thicket.standins.capture_rig.kelp_frond import back_shot, front_shot, kelp_frond, placed
from tests.support import rig_surface

SIDE = 512


def items(shots: list[np.ndarray], names: list[str] | None = None) -> list[Item]:
    names = names or [f"IMG_{number:04d}.jpg" for number in range(1, len(shots) + 1)]
    return [
        Item(name, small_copy(decode_srgb(codes)), codes.shape[1::-1], guessed(name, codes.astype(np.float32) / 255))
        for name, codes in zip(names, shots, strict=True)
    ]


def lamps(kind: str, seed: int, count: int = 8) -> list[np.ndarray]:
    surface = rig_surface(kind, SIDE, seed)
    return [
        photograph(surface, shot, np.random.default_rng(seed + k)) for k, shot in enumerate(ring(count, first=20.0))
    ]


def from_all_sides(kind: str, seed: int) -> np.ndarray:
    return photograph(rig_surface(kind, SIDE, seed), Shot(sun=0.0, sky=1.0, white=1.1), np.random.default_rng(seed))


class Names(unittest.TestCase):
    def test_names_of_sides_and_lamps(self) -> None:
        for name, role, family, number in (
            ("kelp_front_2.dng", "front", "kelp", "2"),
            ("kelp_back.jpg", "back", "kelp", ""),
            ("kelp_backlit.jpg", "back_lit", "kelp", ""),
            ("kelp_trans.jpg", "back_lit", "kelp", ""),
            ("hide_ambient.png", "all_lights", "hide", ""),
            ("hide_all_lights.png", "all_lights", "hide", ""),
            ("hide_light_7.png", "light", "hide", ""),
            ("wall_normal_2.png", "normal", "wall", "2"),
            ("IMG_0007.jpg", "", "img_0007", ""),
        ):
            found = named(name)
            self.assertEqual((found.role, found.family, found.number), (role, family, number), name)

    def test_a_counter_tells_surfaces_apart_but_not_photographs_of_one(self) -> None:
        self.assertEqual(
            sorted(map(sorted, families(["rock_color_1.jpg", "rock_normal_1.png", "rock_color_2.jpg"]))),
            [["rock_color_1.jpg", "rock_normal_1.png"], ["rock_color_2.jpg"]],
        )
        leaf = ["leaf_back.jpg", "leaf_front_2.jpg", "leaf_front_1.jpg", "leaf_trans.jpg"]
        self.assertEqual(len(families(leaf)), 1)
        self.assertTrue(families(leaf)[0][0].startswith("leaf_front"))


class Pixels(unittest.TestCase):
    def test_lamps_and_the_photograph_lit_from_all_sides(self) -> None:
        for kind, seed in (("embossed_hide", 5), ("cork_board", 8)):
            shots = lamps(kind, seed)
            shots.insert(3, from_all_sides(kind, seed))
            found = sort_files(items(shots))
            self.assertEqual((found.kind, found.told), ("light_set", "8 lamps in order + 1 all-lights photograph"))
            self.assertEqual([row.at for row in found.rows if row.role == "light"], [0, 1, 2, 4, 5, 6, 7, 8])
            self.assertEqual([row.at for row in found.rows if row.role == "all_lights"], [3])
            self.assertFalse(found.sure)

    def test_no_lamp_is_taken_for_all_lights(self) -> None:
        for kind in ("embossed_hide", "lime_render", "slate_shingles"):
            self.assertIsNone(evenly_lit([one.pixels for one in items(lamps(kind, 6))]), kind)

    def test_one_upside_down_is_found(self) -> None:
        shots = lamps("lime_render", 4)
        self.assertIsNone(upside_down([one.pixels for one in items(shots)]))
        shots[5] = np.ascontiguousarray(shots[5][::-1, ::-1])
        self.assertEqual(upside_down([one.pixels for one in items(shots)]), 5)

    def test_names_among_lamps_tell_which_is_diffuse(self) -> None:
        shots = lamps("cork_board", 8, 4)
        names = ["cork_light_1.png", "cork_light_2.png", "cork_light_3.png", "cork_diffuse.png"]
        found = sort_files(items(shots, names))
        self.assertEqual([row.role for row in found.rows], ["light", "light", "light", "all_lights"])

    def test_a_bracket_a_focus_stack_and_surfaces_of_their_own(self) -> None:
        surface = rig_surface("tide_pebbles", SIDE, 5)
        shot = Shot()
        exposures = [
            photograph(surface, replace(shot, exposure=0.9 * 2.0**stops), np.random.default_rng(k))
            for k, stops in enumerate((-2, 2, 0))
        ]
        found = sort_files(items(exposures))
        self.assertEqual(found.kind, "bracket")
        # The middle exposure is the one the others are brought to.
        self.assertEqual(found.rows[0].at, 2)
        sharp = exposures[2].astype(np.float32)
        across = np.linspace(0, 1, SIDE)[None, :, None]
        stack = []
        for focus in (0.1, 0.9):
            blurred = np.clip(np.abs(across - focus) * 1.6, 0, 1)
            picture = sharp * (1 - blurred) + cv2.GaussianBlur(sharp, (0, 0), 4) * blurred
            stack.append(np.rint(picture).astype(np.uint8))
        self.assertEqual(sort_files(items(stack)).kind, "focus")
        others = [
            photograph(rig_surface(k, SIDE, 5), shot, np.random.default_rng(1)) for k in ("cork_board", "lime_render")
        ]
        found = sort_files(items([exposures[2], *others]))
        self.assertEqual((found.kind, found.sure), ("apart", True))
        beaches = [photograph(rig_surface("tide_pebbles", SIDE, n), shot, np.random.default_rng(n)) for n in (6, 7)]
        self.assertEqual(sort_files(items(beaches)).kind, "apart")

    def test_sides_of_a_frond_without_names(self) -> None:
        frond, rng = kelp_frond(SIDE, 9), np.random.default_rng(2)
        shots = [front_shot(frond, rng), back_shot(frond, placed(-9, (0.02, -0.01), 0.96, mirrored=True), rng)]
        found = sort_files(items(shots))
        self.assertEqual((found.kind, [row.role for row in found.rows]), ("cutout", ["photo", "back"]))

    def test_parts_of_one_picture(self) -> None:
        whole = photograph(rig_surface("cork_board", 900, 3), Shot(), np.random.default_rng(1))
        found = sort_files(items([whole[:, :580], whole[:, 320:]]))
        self.assertEqual((found.kind, [row.role for row in found.rows]), ("parts", ["photo", "part"]))


if __name__ == "__main__":
    unittest.main()
