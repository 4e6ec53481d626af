"""Filled places: in every map alike, round the edges, at every size; and what stands out is found."""

import unittest

import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.tile.repair import Spot, best_source, with_filled
from amber_thicket.core.tile.repeat_artifacts import ALARM, PERHAPS, find_repeat_artifacts
from amber_thicket.errors import BadSetting
from tests.service.test_check import planted
from tests.support import ArraySource, evaluation, linear_photograph, psnr, size_of

SIDE = 512


def spot(*values: float) -> Spot:
    return Spot(**dict(zip(Spot.model_fields, values, strict=True)))


def ready(*spots: Spot, side: int = SIDE, photo: str = "gravel", **maps: np.ndarray) -> Evaluation:
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
            # Pale and dark tufts of the grass are seen in its repeat, and bricks that fan out end at its edge.
            if name == "gravel":
                self.assertLess(find_repeat_artifacts(tile)[0].strength, PERHAPS)
            first = find_repeat_artifacts(planted(tile))[0]
            self.assertGreater(first.strength, ALARM, name)
            self.assertLess(np.hypot(first.x - 0.3, first.y - 0.6), 0.03, name)

    def test_a_place_on_the_edge_is_found_whole(self) -> None:
        tile = planted(linear_photograph("gravel"))
        rolled = np.roll(tile, (int(0.4 * SIDE), int(0.7 * SIDE)), (0, 1))
        one, other = find_repeat_artifacts(tile)[0], find_repeat_artifacts(rolled)[0]
        self.assertAlmostEqual(one.strength / other.strength, 1, delta=0.06)
        self.assertLess(abs((other.x + 0.5) % 1 - 0.5), 0.03)


class RepairTest(unittest.TestCase):
    def test_every_map_is_filled_from_the_same_place(self) -> None:
        grey = linear_photograph("gravel")
        spots = spot(0.02, 0.97, 0.06, 0.5, 0.4), spot(0.6, 0.3, 0.03, 0.1, 0.8)
        made = ready(*spots, roughness=grey, height=grey)
        colour = made.layer("base_color", (SIDE, SIDE)).pixels[..., 0]
        for role in ("tiled.roughness", "tiled.height"):
            np.testing.assert_allclose(made.layer(role, (SIDE, SIDE)).pixels, np.clip(colour, None, 1), atol=2e-3)

    def test_the_middle_comes_from_its_source_and_the_rest_stays(self) -> None:
        before = ready().layer("base_color", (SIDE, SIDE)).pixels
        after = ready(spot(0.25, 0.5, 0.08, 0.75, 0.25)).layer("base_color", (SIDE, SIDE)).pixels
        middle, source = np.s_[250:262, 122:134], np.s_[122:134, 378:390]
        fine = [p - p.mean((0, 1)) for p in (after[middle], before[source])]
        np.testing.assert_allclose(fine[0], fine[1], atol=0.06)
        np.testing.assert_array_equal(after[:, 300:], before[:, 300:])
        self.assertGreater(float(np.abs(after[middle] - before[middle]).mean()), 0.02)

    def test_round_the_edges_as_in_the_middle(self) -> None:
        photo = linear_photograph("gravel")
        place = spot(0.5, 0.5, 0.07, 0.2, 0.3)
        shift = SIDE // 2
        moved = spot(0.0, 0.0, 0.07, 0.7, 0.8)

        def made(pixels: np.ndarray, place: Spot) -> np.ndarray:
            changes = {
                **size_of(SIDE),
                "tile__join__method": "none",
                "even__light__amount": 0,
                "tile__repair__spots": [place],
            }
            return evaluation(pixels, **changes).layer("base_color", (SIDE, SIDE)).pixels  # fmt: skip

        one = made(photo, place)
        other = np.roll(made(np.roll(photo, (shift, shift), (0, 1)), moved), (-shift, -shift), (0, 1))
        np.testing.assert_allclose(one, other, atol=1e-5)

    def test_preview_equals_bake(self) -> None:
        spots = spot(0.3, 0.6, 0.05, 0.8, 0.2), spot(0.0, 0.1, 0.04, 0.5, 0.9)
        large = ready(*spots, side=1024).layer("base_color", (1024, 1024)).pixels
        small = ready(*spots, side=1024).layer("base_color", (512, 512)).pixels
        self.assertGreater(psnr(encode_srgb8(shrink(large, 2)), encode_srgb8(small)), 38)

    def test_sources_keep_away_from_the_place_and_from_what_is_banned(self) -> None:
        tile = planted(linear_photograph("gravel"))
        banned = [(0.5, 0.5, 0.2)]
        found = best_source(tile, 0.3, 0.6, 0.05, banned)
        for x, y, keep in ((0.3, 0.6, 0.1), (0.5, 0.5, 0.2)):
            away = [abs((a - b + 0.5) % 1 - 0.5) for a, b in ((found.from_x, x), (found.from_y, y))]
            self.assertGreater(float(np.hypot(*away)), keep)
        with self.assertRaises(BadSetting):
            best_source(tile, 0.3, 0.6, 0.05, [(0.5, 0.5, 0.9)])

    def test_no_joint_ends_at_the_outline_of_what_is_filled(self) -> None:
        # Boards 64 px high with one end joint; one board has a knot.
        tile = 0.3 + 0.03 * np.random.default_rng(3).random((256, 256, 3)).astype(np.float32)
        tile[::64] = tile[1::64] = tile[63::64] = 0.02
        tile[66:127, 60:63] = 0.02
        tile[150:166, 90:106] *= (0.5, 0.3, 0.2)
        knot, end = (98 / 256, 158 / 256, 0.05), (61 / 256, 96 / 256, 0.05)
        (filled,) = with_filled((), tile, [knot], [], unseen=True)
        # From a board as high up on it as the knot lay.
        self.assertAlmostEqual(((filled.from_y - filled.y) * 4 + 0.5) % 1, 0.5, delta=0.05)
        # No other place has a joint to go on with: left as it is, or filled by whoever insists.
        with self.assertRaises(BadSetting):
            with_filled((), tile, [end], [], unseen=True)
        self.assertEqual(with_filled((), tile, [knot, end], [], unseen=True), (filled,))
        self.assertEqual(len(with_filled((), tile, [end], [])), 1)

    def test_what_is_banned_least_is_taken_where_nothing_else_is_left(self) -> None:
        tile = linear_photograph("gravel")[:256, :256]
        place, whole = (0.3, 0.6, 0.05), [(0.5, 0.5, 0.9)]
        self.assertEqual(with_filled((), tile, [place], whole, []), with_filled((), tile, [place], []))
        (first,) = with_filled((), tile, [place], [])
        (other,) = with_filled((), tile, [place], [(first.from_x, first.from_y, 0.05)], [])
        self.assertGreater(np.hypot(other.from_x - first.from_x, other.from_y - first.from_y), 0.1)
        with self.assertRaises(BadSetting):
            with_filled((), tile, [place], whole, whole)

    def test_settings_are_checked(self) -> None:
        around = Recipe().with_changes({"tile.repair.spots": [spot(1.25, -0.5, 0.0625, 0.75, 0.125)]})
        self.assertEqual(around.settings("tile.repair").spots, (spot(0.25, 0.5, 0.0625, 0.75, 0.125),))
        good = {"x": 0, "y": 0, "radius": 0.1, "from_x": 0, "from_y": 0}
        for bad in ("nonsense", {}, [[1, 2, 3]], [{**good, "radius": 0.5}], [{**good, "x": "no"}], [{**good, "y": 1e400}],
                    [{**good, "more": 1}], [good] * 201):  # fmt: skip
            with self.subTest(bad=str(bad)[:60]), self.assertRaises(BadSetting):
                Recipe().with_changes({"tile.repair.spots": bad})
