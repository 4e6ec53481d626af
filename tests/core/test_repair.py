"""Filled places: in every map alike, round the edges, at every size; and what stands out is found."""

import unittest

import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.tile.giveaways import ALARM, giveaways
from amber_thicket.core.tile.repair import Spot, best_source, read, written
from amber_thicket.errors import BadSetting
from tests.service.test_check import planted
from tests.support import ArraySource, evaluation, linear_photograph, psnr, size_of

SIDE = 512


def ready(spots: str, side: int = SIDE, photo: str = "gravel", **maps: np.ndarray) -> Evaluation:
    files = {f"{number:016x}": ArraySource(pixels, role) for number, (role, pixels) in enumerate(maps.items(), 1)}
    roles = {f"gather.maps.{role}": f"{number:016x}" for number, role in enumerate(maps, 1)}
    recipe = Recipe().with_changes(
        {"square.size.width": side, "square.size.height": side, "tile.join.method": "none", "even.light.amount": 0, "tile.repair.spots": spots, **roles}
    )  # fmt: skip
    return Evaluation(recipe, ArraySource(linear_photograph(photo)), Memory(400_000_000), files=files)


class GiveawayTest(unittest.TestCase):
    def test_planted_stones_are_found_and_clean_photographs_are_not_accused(self) -> None:
        # Photographs of scikit-image, CC0.
        for name in ("gravel", "grass", "brick"):
            tile = evaluation(linear_photograph(name), **size_of(SIDE)).layer("base_color", (SIDE, SIDE)).pixels
            self.assertLess(giveaways(tile)[0].strength, ALARM, name)
            first = giveaways(planted(tile))[0]
            self.assertGreater(first.strength, ALARM, name)
            self.assertLess(np.hypot(first.x - 0.3, first.y - 0.6), 0.03, name)

    def test_a_place_on_the_edge_is_found_whole(self) -> None:
        tile = planted(linear_photograph("gravel"))
        rolled = np.roll(tile, (int(0.4 * SIDE), int(0.7 * SIDE)), (0, 1))
        one, other = giveaways(tile)[0], giveaways(rolled)[0]
        self.assertAlmostEqual(one.strength / other.strength, 1, delta=0.02)
        self.assertLess(abs((other.x + 0.5) % 1 - 0.5), 0.03)


class RepairTest(unittest.TestCase):
    def test_every_map_is_filled_from_the_same_place(self) -> None:
        grey = linear_photograph("gravel")
        spots = written([Spot(0.02, 0.97, 0.06, 0.5, 0.4), Spot(0.6, 0.3, 0.03, 0.1, 0.8)])
        made = ready(spots, roughness=grey, height=grey)
        colour = made.layer("base_color", (SIDE, SIDE)).pixels[..., 0]
        for role in ("tiled.roughness", "tiled.height"):
            np.testing.assert_allclose(made.layer(role, (SIDE, SIDE)).pixels, np.clip(colour, None, 1), atol=2e-3)

    def test_the_middle_comes_from_its_source_and_the_rest_stays(self) -> None:
        before = ready("").layer("base_color", (SIDE, SIDE)).pixels
        after = ready(written([Spot(0.25, 0.5, 0.08, 0.75, 0.25)])).layer("base_color", (SIDE, SIDE)).pixels
        middle, source = np.s_[250:262, 122:134], np.s_[122:134, 378:390]
        fine = [p - p.mean((0, 1)) for p in (after[middle], before[source])]
        np.testing.assert_allclose(fine[0], fine[1], atol=0.06)
        np.testing.assert_array_equal(after[:, 300:], before[:, 300:])
        self.assertGreater(float(np.abs(after[middle] - before[middle]).mean()), 0.02)

    def test_round_the_edges_as_in_the_middle(self) -> None:
        photo = linear_photograph("gravel")
        spot = Spot(0.5, 0.5, 0.07, 0.2, 0.3)
        shift = SIDE // 2
        moved = Spot(0.0, 0.0, 0.07, 0.7, 0.8)

        def made(pixels: np.ndarray, place: Spot) -> np.ndarray:
            changes = {
                **size_of(SIDE),
                "tile__join__method": "none",
                "even__light__amount": 0,
                "tile__repair__spots": written([place]),
            }
            return evaluation(pixels, **changes).layer("base_color", (SIDE, SIDE)).pixels  # fmt: skip

        one = made(photo, spot)
        other = np.roll(made(np.roll(photo, (shift, shift), (0, 1)), moved), (-shift, -shift), (0, 1))
        np.testing.assert_allclose(one, other, atol=1e-5)

    def test_preview_equals_bake(self) -> None:
        spots = written([Spot(0.3, 0.6, 0.05, 0.8, 0.2), Spot(0.0, 0.1, 0.04, 0.5, 0.9)])
        large = ready(spots, 1024).layer("base_color", (1024, 1024)).pixels
        small = ready(spots, 1024).layer("base_color", (512, 512)).pixels
        self.assertGreater(psnr(encode_srgb8(shrink(large, 2)), encode_srgb8(small)), 38)

    def test_sources_keep_away_from_the_place_and_from_what_is_banned(self) -> None:
        tile = planted(linear_photograph("gravel"))
        banned = [(0.5, 0.5, 0.2)]
        spot = best_source(tile, 0.3, 0.6, 0.05, banned)
        for x, y, keep in ((0.3, 0.6, 0.1), (0.5, 0.5, 0.2)):
            away = [abs((a - b + 0.5) % 1 - 0.5) for a, b in ((spot.from_x, x), (spot.from_y, y))]
            self.assertGreater(float(np.hypot(*away)), keep)
        with self.assertRaises(BadSetting):
            best_source(tile, 0.3, 0.6, 0.05, [(0.5, 0.5, 0.9)])

    def test_settings_are_checked(self) -> None:
        spots = (Spot(0.25, 0.5, 0.0625, 0.75, 0.125),)
        self.assertEqual(read(written(spots)), spots)
        for text in ("nonsense", "{}", "[[1,2,3]]", "[[0,0,0.5,0,0]]", "[[0,0,true,0,0]]", "[[0,0,1e400,0,0]]"):
            with self.subTest(text), self.assertRaises(BadSetting):
                Recipe().with_changes({"tile.repair.spots": text})
