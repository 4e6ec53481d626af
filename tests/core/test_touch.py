"""The repair brush: every map alike, round the edges, at every size; strokes as data."""

import unittest
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.strokes import Stroke, drawn
from amber_thicket.errors import BadSetting
from tests.support import ArraySource, linear_photograph, psnr, stroke

SIDE = 512
STROKES = {
    "clone": stroke(0.05, 0.5, 0.5, 0.6, 0.55, kind="clone", dx=0.3, dy=-0.2),
    "heal": stroke(0.05, 0.5, 0.5, 0.6, 0.55, kind="heal", dx=0.3, dy=-0.2),
    "fill": stroke(0.04, 0.5, 0.5, 0.6, 0.55, kind="fill"),
    "area": stroke(0, 0.4, 0.4, 0.6, 0.42, 0.55, 0.6, kind="fill"),
}


def ready(
    *rows: dict[str, Any], pixels: np.ndarray | None = None, rough: np.ndarray | None = None, side: int = SIDE
) -> Evaluation:
    changes = {
        "square.size.width": side,
        "square.size.height": side,
        "tile.join.method": "none",
        "even.light.amount": 0,
        "tile.retouch.strokes": list(rows),
    }
    files = {}
    if rough is not None:
        files["1" * 16] = ArraySource(rough, "rough")
        changes["gather.maps.roughness"] = "1" * 16
    source = ArraySource(linear_photograph("gravel") if pixels is None else pixels)
    return Evaluation(Recipe().with_changes(changes), source, Memory(400_000_000), files=files)


def tile_of(evaluation: Evaluation, side: int = SIDE) -> np.ndarray:
    return evaluation.layer("base_color", (side, side)).pixels


class TouchTest(unittest.TestCase):
    def test_every_map_alike(self) -> None:
        grey = linear_photograph("gravel")
        for name, row in STROKES.items():
            made = ready(row, rough=grey)
            with self.subTest(name):
                rough = made.layer("tiled.roughness", (SIDE, SIDE)).pixels
                np.testing.assert_allclose(rough, tile_of(made)[..., 0].clip(0, 1), atol=3e-3)

    def test_only_the_stroke_changes(self) -> None:
        before = tile_of(ready())
        for name, row in STROKES.items():
            changed = np.abs(tile_of(ready(row)) - before).max(-1) > 2e-3
            columns, rows = np.flatnonzero(changed.any(0)) / SIDE, np.flatnonzero(changed.any(1)) / SIDE
            with self.subTest(name):
                self.assertGreater(float(changed.mean()), 0.005)
                self.assertTrue(columns[0] > 0.25 and columns[-1] < 0.78, (columns[0], columns[-1]))
                self.assertTrue(rows[0] > 0.25 and rows[-1] < 0.75, (rows[0], rows[-1]))

    def test_clone_shows_the_other_place(self) -> None:
        before, after = tile_of(ready()), tile_of(ready(stroke(0.06, 0.5, 0.5, kind="clone", dx=0.25, dy=-0.25)))
        here, there = np.s_[246:266, 246:266], np.s_[118:138, 374:394]
        np.testing.assert_allclose(after[here], before[there], atol=1e-4)

    def test_heal_keeps_the_tone_around_and_takes_the_detail(self) -> None:
        """Level from here, detail from there: Pérez, Gangnet & Blake 2003, what seamless cloning is for."""
        pixels = linear_photograph("gravel") * 0.5
        pixels[:, 256:] *= 1.8
        before, after = (
            tile_of(ready(pixels=pixels)),
            tile_of(ready(stroke(0.06, 0.25, 0.5, kind="heal", dx=0.5), pixels=pixels)),
        )
        cloned = tile_of(ready(stroke(0.06, 0.25, 0.5, kind="clone", dx=0.5), pixels=pixels))
        here, there = np.s_[238:274, 110:146], np.s_[238:274, 366:402]
        y, x = np.mgrid[0:SIDE, 0:SIDE]
        rim = np.abs(np.hypot(x - 128, y - 256) - 36) < 4
        level = float(before[there].mean() - before[np.roll(rim, 256, 1)].mean() + before[rim].mean())
        self.assertLess(abs(float(after[here].mean()) - level), 0.2 * abs(float(cloned[here].mean()) - level))
        fine = [p - cv2.GaussianBlur(p, (0, 0), 6) for p in (after[here], before[there])]
        self.assertGreater(float(np.corrcoef(fine[0].ravel(), fine[1].ravel())[0, 1]), 0.95)

    def test_fill_takes_what_was_there_away_and_leaves_no_outline(self) -> None:
        pixels = linear_photograph("gravel") * 0.6
        y, x = np.mgrid[0:SIDE, 0:SIDE]
        spot = np.hypot(x - 256, y - 256) < 25
        marked = pixels.copy()
        marked[spot] = (0.9, 0.1, 0.1)
        after = tile_of(ready(stroke(0.06, 0.5, 0.5, kind="fill"), pixels=marked))
        self.assertLess(float((after[..., 0] > after[..., 1] + 0.2).mean()), 1e-4)
        # Steps across any circle around the spot are as usual: an outline would stand out.
        slope = np.hypot(*np.gradient(encode_srgb8(after)[..., 0].astype(float)))
        rings = [slope[(np.abs(np.hypot(x - 256, y - 256) - r) < 1.5)].mean() for r in range(20, 60)]
        self.assertLess(max(rings), 1.45 * float(slope.mean()))

    def test_round_the_edges_as_in_the_middle(self) -> None:
        photo, half = linear_photograph("gravel"), SIDE // 2
        for name in ("clone", "heal"):
            moved = {**STROKES[name], "points": [[x + 0.5, y + 0.5] for x, y in STROKES[name]["points"]]}
            one = tile_of(ready(STROKES[name], pixels=photo))
            other = tile_of(ready(moved, pixels=np.roll(photo, (half, half), (0, 1))))
            np.testing.assert_allclose(np.roll(other, (half, half), (0, 1)), one, atol=2e-3, err_msg=name)

    def test_the_same_at_every_size(self) -> None:
        # QUALITY asks 38 dB between preview and bake.
        made = ready(*STROKES.values(), side=1024)
        large = cv2.resize(tile_of(made, 1024), (768, 768), interpolation=cv2.INTER_AREA)
        self.assertGreater(psnr(encode_srgb8(large), encode_srgb8(tile_of(made, 768))), 38)

    def test_bad_strokes_are_refused_in_words(self) -> None:
        for row, word in (
            (stroke(0.1, 0, 0, kind="erase"), "'clone', 'heal' or 'fill'"),
            (stroke(0.1, 0, 0), "kind"),
            ({"kind": "fill", "points": [[0, 0]]}, "radius"),
        ):
            with self.assertRaisesRegex(BadSetting, word):
                Recipe().with_changes({"tile.retouch.strokes": [row]})


class StrokesTest(unittest.TestCase):
    def test_a_pen_pressed_harder_draws_wider(self) -> None:
        ends = ((0.3, 0.5), (0.7, 0.5))
        # From a third of the brush to all of it: two rounds and what lies between their tangents.
        made = drawn([Stroke(radius=0.1, points=ends, pressure=(0.3, 1.0))], (400, 400))
        r, big, apart = 0.03, 0.1, 0.4
        lean = np.arcsin((big - r) / apart)
        exact = (np.pi / 2 + lean) * big**2 + (np.pi / 2 - lean) * r**2 + (r + big) * apart * np.cos(lean)
        self.assertAlmostEqual(float(made.mean()), exact, delta=0.0006)
        rows = made.sum(axis=0)
        self.assertAlmostEqual(float(rows[int(0.32 * 400)]) / 400, 2 * (0.03 + 0.02 * 0.175), delta=0.006)
        self.assertLess(float(rows[int(0.35 * 400)]), 0.6 * float(rows[int(0.65 * 400)]))
        # Pressed alike everywhere it is the plain line; it comes in at the other edge as that does.
        even = drawn([Stroke(radius=0.1, points=ends, pressure=(1.0, 1.0))], (400, 400))
        self.assertLess(float(np.abs(even - drawn([Stroke(radius=0.1, points=ends)], (400, 400))).mean()), 0.001)
        over = [Stroke(radius=0.1, points=((x, 0.5), (x + 0.1, 0.5)), pressure=(0.5, 1.0)) for x in (0.4, 0.95)]
        whole, wrapped = (float(drawn([one], (400, 400), wraps=True).mean()) for one in over)
        self.assertAlmostEqual(whole, wrapped, delta=0.0003)
        with self.assertRaises(ValueError):
            Stroke(radius=0.1, points=ends, pressure=(1.0,))

    def test_a_line_covers_its_length_times_its_width_and_two_half_discs(self) -> None:
        line = Stroke(**stroke(0.05, 0.3, 0.5, 0.7, 0.5))
        area = float(drawn([line], (400, 400)).mean())
        self.assertAlmostEqual(area, 0.4 * 0.1 + np.pi * 0.05**2, delta=0.0005)

    def test_an_area_covers_its_polygon_at_every_size(self) -> None:
        # The surveyor's formula.
        area = Stroke(**stroke(0, 0.1, 0.1, 0.7, 0.2, 0.5, 0.8))
        x, y = area.places.T
        exact = abs(float(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1)))) / 2
        for side in (64, 256, 1000):
            self.assertAlmostEqual(float(drawn([area], (side, side)).mean()), exact, delta=1.5 / side)

    def test_over_the_edge_it_comes_in_at_the_other_one(self) -> None:
        whole, over = (drawn([Stroke(**stroke(0.1, x, 0.5))], (200, 200), wraps=True) for x in (0.5, 1.0))
        np.testing.assert_allclose(np.roll(over, 100, 1), whole, atol=0.07)

    def test_a_part_of_the_picture_shows_the_part_of_the_stroke(self) -> None:
        line = Stroke(**stroke(0.1, 0.5, 0.5, 0.6, 0.7))
        whole = drawn([line], (400, 400))
        part = drawn([line], (200, 200), part=(0.25, 0.25, 0.75, 0.75))
        np.testing.assert_allclose(part, whole[100:300, 100:300], atol=0.6)
        self.assertLess(float(np.abs(part - whole[100:300, 100:300]).mean()), 0.01)


if __name__ == "__main__":
    unittest.main()
