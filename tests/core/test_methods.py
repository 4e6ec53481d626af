"""Regrow, strew and stochastic: edges meet, every map alike, nothing left out is shown, the same at every size."""

import unittest
from typing import Any
from unittest.mock import patch

import cv2
import numpy as np

from amber_thicket.core.check.figures import coded, seam
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.progress import progress_to, report_progress
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.relief.normal import from_height as normals_of
from amber_thicket.core.strokes import Stroke, drawn
from amber_thicket.core.synthesis.cut import features
from amber_thicket.core.synthesis.mosaic import Mosaic, Placement, located, mosaic, render_mosaic, source_of_mosaic
from amber_thicket.core.synthesis.patch_search import PatchSearch, Steps
from amber_thicket.core.synthesis.patchwork import Patchwork
from amber_thicket.core.synthesis.regrow import grow
from amber_thicket.core.synthesis.tile_plan import TilePlan, source_of
from amber_thicket.core.tile.noiselike import noiselike
from amber_thicket.core.tile.stochastic import mix, patches
from amber_thicket.core.tile.strew import Limits, strew
from amber_thicket.errors import BadSetting, Cancelled
from tests.support import ArraySource, bumps, evaluation, linear_photograph, psnr, size_of, stroke

SIDE = 512
METHODS = ("regrow", "strew", "stochastic")
MEMORY = Memory(1_500_000_000)
# Features of a small sample, for what need not be looked at as a picture.
SMALL = features(np.ascontiguousarray(linear_photograph("gravel")[:330, :330]))
PLAIN = {"even.light.amount": 0}


def made(
    name: str = "gravel", side: int = SIDE, maps: dict[str, np.ndarray] | None = None, fresh: bool = False, **join: Any
) -> Evaluation:
    """An evaluation of a CC0 photograph of scikit-image, with settings of tile.join and maps that come along.

    What one test decided another takes from memory, by its content key, unless it has to be made afresh.
    """
    files = {
        f"{number:016x}": ArraySource(pixels, role) for number, (role, pixels) in enumerate((maps or {}).items(), 1)
    }
    changes: dict[str, Any] = {**PLAIN, "square.size.width": side, "square.size.height": side}
    changes |= {f"tile.join.{name}": value for name, value in join.items()}
    changes |= {f"gather.maps.{role}": f"{number:016x}" for number, role in enumerate(maps or {}, 1)}
    recipe = Recipe().with_changes(changes)
    memory = Memory(600_000_000) if fresh else MEMORY
    return Evaluation(recipe, ArraySource(linear_photograph(name), name), memory, files=files)


class LocatedTest(unittest.TestCase):
    def test_a_pixel_is_counted_on_from_the_corner_of_its_window(self) -> None:
        turned = Placement(np.array([[0.0, 1.0, 7.0], [-1.0, 0.0, 90.0]]), (-5, 28, 10, 10))
        pieces = (Placement(np.array([[1.0, 0.0, 100.0], [0.0, 1.0, -3.0]]), (28, 0, 8, 30)), turned)
        x, y = np.array([29, 2, 31, 0, 31]), np.array([4, 4, 29, 31, 2])
        found = located(pieces, np.array([0, 0, 1, 1, -1]), x, y, (32, 32))
        # In a tile of 32 px, x 2 comes after 31 for a window that begins at 28; x 31 before 0 for one that begins at -5.
        wanted = [[129, 1], [134, 1], [29 + 7, 90 + 1], [31 + 7, 90], [34 + 7, 90 + 1]]
        np.testing.assert_allclose(found, wanted)


class EveryMethodTest(unittest.TestCase):
    def test_edges_meet_and_no_seam_hides_inside(self) -> None:
        # QUALITY: the border under 4, the worst inner line within 1.5 of the source's own.
        for method in METHODS:
            ready = made(method=method)
            tile, sample = (ready.layer(layer, (SIDE, SIDE)).pixels for layer in ("base_color", "evened"))
            for axis in (0, 1):
                figure = seam(coded(tile, "base_color"), axis=axis)
                own = max(seam(coded(sample, "base_color"), axis=axis).inner, 3.0)
                with self.subTest(method=method, axis=axis):
                    self.assertLess(figure.border, 4)
                    # Gravel is no surface to mix; that shows inside.
                    self.assertLess(figure.inner, (2.0 if method == "stochastic" else 1.5) * own)

    def test_a_map_that_is_the_colour_stays_the_colour(self) -> None:
        grey = linear_photograph("grass")
        for method in METHODS:
            ready = made("grass", maps={"roughness": grey}, method=method)
            colour = ready.layer("base_color", (SIDE, SIDE)).pixels[..., 0]
            rough = ready.layer("tiled.roughness", (SIDE, SIDE)).pixels
            # Mixing finds the levels of each map by itself; all else is linear.
            tolerance = 0.02 if method == "stochastic" else 2e-3
            with self.subTest(method):
                self.assertLess(float(np.percentile(np.abs(rough - colour.clip(0, 1)), 99.5)), tolerance)

    def test_preview_equals_bake(self) -> None:
        for method, more in (("regrow", {"begin": "blocks"}), ("strew", {}), ("stochastic", {})):
            ready = made("gravel", 1024, method=method, **more)
            large, small = (ready.layer("base_color", (side, side)).pixels for side in (1024, 768))
            shrunk = cv2.resize(large, (768, 768), interpolation=cv2.INTER_AREA)
            with self.subTest(method=method, **more):
                self.assertGreater(psnr(encode_srgb8(shrunk), encode_srgb8(small)), 38)

    def test_long_and_narrow_tiles_keep_their_brightness(self) -> None:
        for join in (
            {"method": "strew", "piece": 60.0, "pattern": 100 / 3},
            {"method": "regrow"},
            {"method": "stochastic"},
        ):
            changes = {f"tile__join__{name}": value for name, value in join.items()}
            ready = evaluation(
                linear_photograph("gravel"), square__size__width=4096, square__size__height=256, **changes
            )
            tile, sample = (ready.layer(layer, (1024, 64)).pixels for layer in ("base_color", "evened"))
            self.assertEqual(tile.shape, (64, 1024, 3))
            self.assertAlmostEqual(float(tile.mean()) / float(sample.mean()), 1, delta=0.15, msg=str(join))

    def test_another_arrangement_is_another_tile_and_the_same_one_the_same(self) -> None:
        one, other = (made(method="stochastic", seed=seed).layer("base_color", (256, 256)).pixels for seed in (1, 2))
        self.assertGreater(float(np.abs(one - other).mean()), 0.02)
        again = made(method="stochastic", fresh=True).layer("base_color", (256, 256)).pixels
        np.testing.assert_array_equal(one, again)
        sources = []
        for seed in (1, 1, 2):
            work = Patchwork(256, 256, SMALL.shape[2])
            strew(work, SMALL, None, Limits(66, 180, 0.15, True), seed)
            sources.append(work.sources())
        np.testing.assert_array_equal(sources[0], sources[1])
        self.assertGreater(float(np.abs(sources[0] - sources[2]).mean()), 10)


class RegrowTest(unittest.TestCase):
    def test_joins_are_mended(self) -> None:
        # QUALITY: mismatch along the joins at most .45 of random places.
        for name in ("gravel",):
            cut, regrown, blocks = (
                made(name, **join).decided(BY_ID["tile.join"]).evidence["join_mismatch"]
                for join in ({"method": "cut"}, {"method": "regrow"}, {"method": "regrow", "begin": "blocks"})
            )
            with self.subTest(name):
                self.assertLess(regrown, 0.75 * cut)
                self.assertLess(blocks, 0.4)

    def test_a_larger_pattern_shows_the_middle_of_the_sample_larger(self) -> None:
        # 200 % is what a crop to the middle half shows, at the same size, in mm as well; whatever the method.
        for method in ("cut", "regrow", "none"):
            settings = {**size_of(SIDE), "tile__join__method": method}
            larger = evaluation(linear_photograph("gravel"), **settings, tile__join__pattern=200.0)
            cropped = evaluation(
                linear_photograph("gravel"), **settings, **{f"square__crop__{e}": 25.0 for e in ("left", "top")},
                **{f"square__crop__{e}": 75.0 for e in ("right", "bottom")},
            )  # fmt: skip
            with self.subTest(method):
                one, other = (made.layer("evened", (SIDE, SIDE)).pixels for made in (larger, cropped))
                np.testing.assert_allclose(one, other, atol=1e-4)
                in_mm = [
                    made.with_changes({"square.size.sample_mm": mm}).picture_mm()
                    for made, mm in ((larger, 400.0), (cropped, 200.0))
                ]
                self.assertAlmostEqual(in_mm[0] or 0, in_mm[1] or 0, places=6)

    def test_the_middle_of_what_tiles_does_not_tile(self) -> None:
        tiling = {**size_of(SIDE), "tile__join__method": "none", "tile__join__tiles": True}
        for pattern, meets in ((100.0, True), (50.0, True), (200.0, False)):
            made = evaluation(linear_photograph("gravel"), **tiling, tile__join__pattern=pattern)
            self.assertEqual(made.sizes((SIDE, SIDE)).work.wraps, meets, pattern)

    def test_twice_as_wide_shows_everything_at_half_the_size(self) -> None:
        ready = made(method="regrow", pattern=50.0)
        sizes = ready.sizes((SIDE, SIDE))
        self.assertAlmostEqual(sizes.work.exact[0] / SIDE, 0.6)
        plan = ready.decided(BY_ID["tile.join"])
        self.assertGreater(len(plan.placements), 8)
        self.assertEqual(ready.layer("base_color", (SIDE, SIDE)).pixels.shape, (SIDE, SIDE, 3))

    def test_another_feather_grows_nothing_again(self) -> None:
        before = made(method="regrow").decided(BY_ID["tile.join"])
        with patch("amber_thicket.core.tile.join._regrown", side_effect=AssertionError):
            after = made(method="regrow", feather=5.0).decided(BY_ID["tile.join"])
        np.testing.assert_array_equal(before.labels, after.labels)
        softest = [max(float(masks[0].std()) for _, _, masks in plan.shares) for plan in (before, after)]
        self.assertNotEqual(*softest)

    def test_twins_stay_apart(self) -> None:
        """No part of the sample twice within the distance, but where blocks lie over each other a little."""
        twice = []
        for apart in (0.0, 70.0):
            plan = made(method="regrow", begin="blocks", apart=apart).decided(BY_ID["tile.join"])
            side = plan.labels.shape[0]
            source = np.rint(source_of_mosaic(plan, (side, side)) / 8).astype(int).reshape(-1, 2)
            _, counts = np.unique(source, axis=0, return_counts=True)
            # A square of 8 has 64 pixels, so more of them show it more than once.
            twice.append(float(counts[counts > 100].sum() / counts.sum()))
        self.assertLess(twice[1], 0.5 * twice[0])


class MosaicTest(unittest.TestCase):
    def turned(self, angle: float, scale: float = 1.0, flip: float = 1.0) -> Mosaic:
        """One piece all over the tile, turned about the middle of a sample three times as large."""
        a = np.radians(angle)
        linear = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) / scale @ np.diag([flip, 1])
        middle = np.array([63.5, 63.5])
        placement = Placement(np.column_stack([linear, np.array([191.5, 191.5]) - linear @ middle]), (0, 0, 128, 128))
        return mosaic(np.zeros((128, 128), np.int32), [placement], 2.0, {})

    def test_rotated_normals_are_those_of_the_rotated_height(self) -> None:
        # QUALITY: within 2 degrees.
        height = np.tile(bumps(128), (3, 3))
        height = cv2.GaussianBlur(height, (0, 0), 2.0)
        normals = normals_of(height, depth=12.0, wraps=True)
        for plan in (self.turned(37), self.turned(-110, 1.3), self.turned(80, 1, -1)):
            turned = render_mosaic(plan, height, (128, 128))
            expected = normals_of(turned, depth=12.0, wraps=True)[8:-8, 8:-8]
            found = unit(render_mosaic(plan, normals, (128, 128), vectors=True))[8:-8, 8:-8]
            angle = np.degrees(np.arccos(np.clip((expected * found).sum(-1), -1, 1)))
            self.assertLess(float(np.percentile(angle, 99)), 2.0)
            np.testing.assert_allclose(np.linalg.norm(found, axis=-1), 1, atol=1e-5)

    def test_identity_map_names_the_source(self) -> None:
        plan = self.turned(30)
        y, x = np.mgrid[0:384, 0:384].astype(np.float32)
        shown = render_mosaic(plan, np.stack([x, y], -1), (128, 128))
        np.testing.assert_allclose(shown, source_of_mosaic(plan, (128, 128)), atol=0.05)

    def test_identity_map_of_a_regrown_tile(self) -> None:
        plan = made(method="regrow").decided(BY_ID["tile.join"])
        side = plan.labels.shape[0]
        rows = 922
        y, x = np.mgrid[0:rows, 0:rows].astype(np.float32)
        shown = render_mosaic(plan, np.stack([x, y], -1), (side, side))
        # Away from the joins, whose feather mixes coordinates.
        joins = np.zeros((side, side), np.uint8)
        for axis in (0, 1):
            joins |= (np.roll(plan.labels, -1, axis) != plan.labels).astype(np.uint8)
        inside = cv2.dilate(np.pad(joins, 60, mode="wrap"), np.ones((119, 119)))[60:-60, 60:-60] == 0
        self.assertGreater(float(inside.mean()), 0.1)
        np.testing.assert_allclose(shown[inside], source_of_mosaic(plan, (side, side))[inside], atol=0.2)


class StochasticTest(unittest.TestCase):
    def test_the_histogram_stays(self) -> None:
        # Heitz & Neyret 2018: what distinguishes the method from plain blending.
        noise = cv2.GaussianBlur(np.random.default_rng(2).random((700, 700)).astype(np.float32), (0, 0), 3)
        sample = np.exp(3 * (noise - noise.mean()) / noise.std() * 0.3).astype(np.float32)
        tile = mix(patches((700, 700), (512, 512), 130, 1), sample, (512, 512))
        shares = np.linspace(0.02, 0.98, 49)
        spread = float(sample.std())
        self.assertLess(float(np.abs(np.quantile(tile, shares) - np.quantile(sample, shares)).max()), 0.15 * spread)
        # Plain blending of three patches would leave less than .8 of it.
        self.assertGreater(float(tile.std()) / spread, 0.87)

    def test_what_is_noise_like(self) -> None:
        # FINDINGS: no photograph of gravel, grass or brick passes; noise itself has to.
        for name in ("gravel", "grass", "brick"):
            found = noiselike(linear_photograph(name))
            self.assertFalse(found.holds, name)
            self.assertIn("not noise-like", found.reason)
        noise = cv2.GaussianBlur(np.random.default_rng(5).standard_normal((600, 600)).astype(np.float32), (0, 0), 2)
        self.assertTrue(noiselike(np.repeat((0.4 + 0.05 * noise / noise.std())[..., None], 3, -1).clip(0.01, 1)).holds)


KEPT = stroke(0.03, 0.86, 0.2, 0.9, 0.8)


class LeftOutTest(unittest.TestCase):
    def test_nothing_left_out_is_shown_by_any_method_that_looks(self) -> None:
        grey = linear_photograph("gravel") * 0.5
        marked = grey.copy()
        marked[180:300, 200:330] = (1.0, 0.0, 0.0)
        strokes = [stroke(0, 0.38, 0.34, 0.66, 0.34, 0.66, 0.6, 0.38, 0.6)]
        for join in (
            {"method": "cut"},
            {"method": "regrow"},
            {"method": "strew", "piece": 36.0},
            {"method": "stochastic", "piece": 16.0},
        ):
            changes = {f"tile__join__{name}": value for name, value in join.items()}
            ready = evaluation(
                marked, **{"even__light__amount": 0, **size_of(SIDE), **changes, "tile__join__excluded": strokes}
            )
            tile = ready.layer("base_color", (SIDE, SIDE)).pixels
            with self.subTest(**join):
                self.assertLess(float((tile[..., 0] > tile[..., 1] + 0.3).mean()), 1e-3)
        plain = evaluation(marked, **{"even__light__amount": 0, **size_of(SIDE)})
        red = plain.layer("base_color", (SIDE, SIDE)).pixels
        self.assertGreater(float((red[..., 0] > red[..., 1] + 0.3).mean()), 0.02, "it would be shown otherwise")

    def test_no_join_runs_through_what_is_kept(self) -> None:
        strokes = [KEPT]
        for method in ("cut", "regrow"):
            ready = made(method=method, kept=strokes)
            free = made(method=method)
            crossed = []
            for one in (ready, free):
                plan = one.decided(BY_ID["tile.join"])
                size = (plan.labels.shape[1], plan.labels.shape[0])
                work = one.sizes(size).work
                crossed.append(self.joins_within(one, size, (work.width, work.height)))
            with self.subTest(method):
                self.assertLess(crossed[0], 0.1 * crossed[1])

    def joins_within(self, ready: Evaluation, size: tuple[int, int], sample: tuple[int, int]) -> int:
        """Tile pixels on a join that show what was kept."""
        plan = ready.decided(BY_ID["tile.join"])
        source = source_of(plan, size, sample) if isinstance(plan, TilePlan) else np.rint(source_of_mosaic(plan, size))
        source = source.astype(int)
        mask = cv2.erode(drawn([Stroke(**KEPT)], sample), np.ones((7, 7))) > 0.5
        there = mask[source[..., 1].clip(0, sample[1] - 1), source[..., 0].clip(0, sample[0] - 1)]
        jumps = (np.abs(np.roll(source, -1, 1) - source - np.array([1, 0])).max(-1) > 1) | (
            np.abs(np.roll(source, -1, 0) - source - np.array([0, 1])).max(-1) > 1
        )
        return int((jumps & there).sum())

    def test_blocks_do_not_use_it_either(self) -> None:
        unfit = np.zeros(SMALL.shape[:2], bool)
        unfit[120:180, 140:200] = True
        shown = []
        for avoided in (None, unfit):
            work = Patchwork(256, 256, SMALL.shape[2])
            grow(work, PatchSearch(SMALL, avoided, Steps()), avoided, apart=100, seed=3)
            at = work.sources().astype(int)
            shown.append(int(unfit[at[..., 1].clip(0, 329), at[..., 0].clip(0, 329)].sum()))
        self.assertGreater(shown[0], 500)
        self.assertLess(shown[1], 20)

    def test_where_no_place_is_free_the_one_with_the_least_of_it_is_taken(self) -> None:
        unfit = np.zeros(SMALL.shape[:2], bool)
        unfit[::12] = True
        unfit[200:, 200:] = False
        unfit[260] = True
        work = Patchwork(256, 256, SMALL.shape[2])
        around = Window(20, 20, 90, 90)
        everything = np.ones((90, 90), bool)
        found = PatchSearch(SMALL, unfit, Steps()).find(work, around, ~everything, everything, apart=100)
        self.assertEqual(len(found), 1)
        self.assertGreaterEqual(min(found[0]), 190)

    def test_bad_strokes_are_refused_in_words(self) -> None:
        for row, word in (
            ({"points": [[1, 1]]}, "radius"),
            ("{", "an object with values by name"),
            (stroke(0, 1, 1), "three points"),
            (stroke(0.9, 0, 0), "less than or equal to 0.5"),
            (stroke(0.1, 0, 1e9), "less than 10000"),
            (stroke(0.1), "at least 1"),
        ):
            with self.subTest(word=word), self.assertRaisesRegex(BadSetting, word):
                Recipe().with_changes({"tile.join.excluded": [row]})


class ProgressTest(unittest.TestCase):
    def test_long_decisions_tell_how_far_they_are_and_can_be_called_off(self) -> None:
        ready = made(method="regrow", fresh=True)
        told: list[float] = []
        ready.told = lambda share, _what: told.append(share)
        ready.decided(BY_ID["tile.join"])
        self.assertGreater(len(told), 10)
        self.assertEqual(told, sorted(told))
        stopped = made(method="strew", fresh=True)
        stopped.told = lambda share, _what: stopped.cancel.cancel() if share > 0.2 else None
        with self.assertRaises(Cancelled):
            stopped.decided(BY_ID["tile.join"])

    def test_nobody_listening_is_no_error(self) -> None:
        report_progress(0.5, "Nothing")
        heard: list[float] = []
        with progress_to(lambda share, _what: heard.append(share)):
            report_progress(0.25, "Something")
        report_progress(0.75, "Nothing again")
        self.assertEqual(heard, [0.25])


if __name__ == "__main__":
    unittest.main()
