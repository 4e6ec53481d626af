"""Sets of tiles: every tile fits beside every other in every map, and inside each is another."""

import unittest
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.check.figures import coded, seams
from amber_thicket.core.files.file_plan import atlas_of, planned
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.tile.tileset import meet, quiet_origin, set_source
from amber_thicket.errors import BadSetting
from amber_thicket.formats.write import stored_codes
from amber_thicket.service.bake import pack, pack_bytes
from amber_thicket.service.broken import on_joined
from amber_thicket.service.repeat_artifacts import fill_places
from tests.pieces import ready, truly_broken
from tests.support import evaluation, linear_photograph, psnr, size_of

SIDE = 256
ROLES = ("base_color", "height", "normal", "roughness", "ambient_occlusion")


@lru_cache(maxsize=1)
def gravel() -> Evaluation:
    return evaluation(
        linear_photograph("gravel"),
        **size_of(SIDE),
        tile__join__method="cut",
        tile__tileset__count=3,
        pack__files__tiles="both",
    )


def maps_of(one: Evaluation, side: int = SIDE) -> dict[str, Pixels]:
    return {role: one.layer(role, (side, side)).pixels for role in ROLES}


def rim(pixels: Pixels) -> Pixels:
    """All pixels along the four edges."""
    return np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])


class BordersTest(unittest.TestCase):
    def test_the_edges_of_every_tile_are_those_of_the_first_in_every_map(self) -> None:
        tiles = [maps_of(gravel().tile_of_set(number)) for number in (1, 2, 3)]
        for role in ROLES:
            for number in (1, 2):
                with self.subTest(role=role, tile=number + 1):
                    np.testing.assert_allclose(rim(tiles[number][role]), rim(tiles[0][role]), atol=1e-6)
        # And the first one's meet: so does any beside any.
        self.assertTrue(all(figure.passes for figure in seams(coded(tiles[0]["base_color"], "base_color"))))

    def test_inside_each_shows_something_else(self) -> None:
        inside = np.s_[SIDE // 4 : -SIDE // 4, SIDE // 4 : -SIDE // 4]
        tiles = [encode_srgb8(maps_of(gravel().tile_of_set(number))["base_color"])[inside] for number in (1, 2, 3)]
        usual = float(np.abs(tiles[0].astype(float) - np.roll(tiles[0], 37, 1)).mean())
        for one, other in ((0, 1), (0, 2), (1, 2)):
            apart = float(np.abs(tiles[one].astype(float) - tiles[other]).mean())
            self.assertGreater(apart, 0.7 * usual)

    def test_nothing_jumps_where_the_border_ends(self) -> None:
        # No line is to be seen where border and inside were joined: the tile's steps are as those of the first.
        def steps(tile: Pixels) -> Any:
            codes = encode_srgb8(tile).astype(float)
            return np.percentile(np.abs(np.diff(codes, axis=1)), [50, 90, 99])

        first = steps(maps_of(gravel())["base_color"])
        for number in (2, 3):
            np.testing.assert_allclose(steps(maps_of(gravel().tile_of_set(number))["base_color"]), first, rtol=0.15)

    def test_one_level_for_all_heights(self) -> None:
        heights = [gravel().tile_of_set(number).layer("height", (SIDE, SIDE)) for number in (1, 2, 3)]
        self.assertEqual(len({height.span for height in heights}), 1)
        # Both parts of the surface: what is high is as high in each.
        levels = [float(np.median(height.pixels)) for height in heights]
        self.assertLess(max(levels) - min(levels), 0.1)

    def test_a_map_that_goes_over_into_the_first_ones(self) -> None:
        one, first = (
            Raster(np.full((40, 60), value, np.float32), span=span) for value, span in ((0.8, 0.01), (0.2, 0.02))
        )
        met = meet(one, first, border=10.0)
        self.assertTrue(np.all(rim(met.pixels) == np.float32(0.2)))
        # Of the same height in tile widths, told in the first one's.
        self.assertAlmostEqual(float(met.pixels[20, 30]), 0.4, places=6)
        self.assertEqual(met.span, 0.02)
        self.assertTrue(np.all(np.diff(met.pixels[20, :12]) >= 0))


class PlanTest(unittest.TestCase):
    def test_the_border_runs_where_little_catches_the_eye(self) -> None:
        rng = np.random.default_rng(4)
        tile = (0.2 + 0.01 * rng.normal(size=(240, 240, 3))).astype(np.float32)
        # A red disc on one edge, so that it would be in every border, and two more.
        y, x = np.mgrid[0:240, 0:240]
        for at_x, at_y in ((0, 40), (120, 0), (70, 150)):
            away = [np.minimum(np.abs(v - at), 240 - np.abs(v - at)) for v, at in ((x, at_x), (y, at_y))]
            tile[np.hypot(*away) < 12] = (0.5, 0.05, 0.05)
        origin = quiet_origin(tile, 0.06)
        rolled = np.roll(tile, (-origin[1], -origin[0]), (0, 1))
        self.assertLess(float((rim(rolled)[:, 0] > 0.4).mean()), 0.001)
        self.assertGreater(float((rim(tile)[:, 0] > 0.4).mean()), 0.02)

    def test_preview_equals_bake(self) -> None:
        two = gravel().tile_of_set(2)
        large, small = (two.layer("base_color", (side, side)).pixels for side in (512, SIDE))
        shrunk = cv2.resize(large, (SIDE, SIDE), interpolation=cv2.INTER_AREA)
        self.assertGreater(psnr(encode_srgb8(shrunk), encode_srgb8(small)), 34)

    def test_a_map_that_is_the_colour_stays_the_colour(self) -> None:
        pixels = linear_photograph("grass")
        one = evaluation(
            pixels, **size_of(SIDE), tile__join__method="cut", tile__tileset__count=2, tile__tileset__shown=2
        )
        plan = one.decided(BY_ID["tile.tileset"])
        first = one.before_set().layer("tiled", (768, 768)).pixels
        shown = one.layer("tiled", (768, 768)).pixels
        at = set_source(plan, (768, 768))
        # Away from joins each pixel is the one the plan says.
        off = np.abs(first[at[..., 1], at[..., 0]] - shown).max(-1)
        self.assertLess(float(np.median(off)), 2e-4)
        self.assertLess(float((off > 0.02).mean()), 0.25)

    def test_hardly_a_piece_is_broken(self) -> None:
        for kind in ("crazy_paving", "uneven_slates"):
            one = ready(kind, tile__tileset__count=2, tile__tileset__shown=2)
            with self.subTest(kind):
                found = truly_broken(kind, one)
                self.assertLessEqual(found.count, 3, found)
                self.assertLess(found.share, 0.02)

    def test_one_tile_is_as_it_was_without_a_set(self) -> None:
        plain = evaluation(linear_photograph("gravel"), **size_of(SIDE), tile__join__method="cut")
        self.assertEqual(gravel().before_set().key("base_color", (SIDE, SIDE)), plain.key("base_color", (SIDE, SIDE)))
        self.assertIs(plain.tile_of_set(5), plain)


class FillTest(unittest.TestCase):
    def test_a_fill_lands_where_it_was_seen(self) -> None:
        two = gravel().tile_of_set(2)
        place = (0.4, 0.55, 0.04)
        changes = fill_places(two, [place])
        (spot,) = changes["tile.repair.spots"]
        self.assertEqual((spot["x"], spot["y"]), tuple(round(v, 5) for v in on_joined(two, 0.4, 0.55)))
        after = two.with_changes(changes)
        # The plan of the set is laid anew, but the joined tile changed there and nowhere else.
        before, now = (one.before_set().layer("tiled", (SIDE, SIDE)).pixels for one in (two, after))
        rows, columns = np.nonzero(np.abs(before - now).max(-1) > 1e-4)
        self.assertLess(
            float(np.hypot(np.median(columns) / SIDE - spot["x"], np.median(rows) / SIDE - spot["y"])), 0.02
        )


class PackTest(unittest.TestCase):
    def test_numbered_sets_and_the_atlas_hold_the_same_pixels(self) -> None:
        files = {written.name: written for written in pack(gravel(), "Gravel", lambda *_: None)}
        for role in ("base_color", "normal", "height"):
            atlas = stored_codes(files[f"Gravel_atlas_{role}.png"].data)
            self.assertEqual(atlas.shape[:2], (2 * SIDE, 2 * SIDE))
            for number in (1, 2, 3):
                row, column = divmod(number - 1, 2)
                part = atlas[row * SIDE : (row + 1) * SIDE, column * SIDE : (column + 1) * SIDE]
                np.testing.assert_array_equal(part, stored_codes(files[f"Gravel_{number}_{role}.png"].data))
        manifest = files["Gravel_manifest.json"].data.decode()
        for told in ('"tiles": 3', '"columns": 2', '"tile": 3', '"order": "row by row from the top left"'):
            self.assertIn(told, manifest)

    def test_names_and_shape(self) -> None:
        self.assertEqual([atlas_of(n) for n in (2, 3, 4, 5, 8)], [(2, 1), (2, 2), (2, 2), (3, 2), (3, 3)])
        recipe = Recipe().with_changes({"tile.tileset.count": 4})
        self.assertEqual(planned(recipe, "Clay").files[0].name, "Clay_1_base_color.png")
        self.assertEqual(planned(recipe, "Clay", 3).files[0].name, "Clay_3_base_color.png")
        alone = recipe.with_changes({"pack.files.tiles": "atlas"})
        self.assertEqual(planned(alone, "Clay").files[0].name, "Clay_atlas_base_color.png")
        self.assertEqual(planned(Recipe(), "Clay").files[0].name, "Clay_base_color.png")
        # Without a set nothing is different, whatever is chosen for one.
        single = Recipe().with_changes({"pack.files.tiles": "atlas", "pack.files.materialx": True})
        for tile in (None, 1, "atlas"):
            self.assertEqual(planned(single, "Clay", tile).files[0].name, "Clay_base_color.png")
            self.assertEqual(planned(single, "Clay", tile).scenes, (("materialx", "Clay.mtlx"),))

    def test_an_atlas_that_is_too_large_is_refused_with_the_way_out(self) -> None:
        recipe = Recipe().with_changes(
            {
                "tile.tileset.count": 5,
                "pack.files.tiles": "atlas",
                "square.size.width": 8192,
                "square.size.height": 8192,
            }
        )
        with self.assertRaisesRegex(BadSetting, "24576 × 16384 px; 16384 is the most"):
            pack_bytes(recipe, "Clay")


if __name__ == "__main__":
    unittest.main()
