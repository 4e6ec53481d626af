"""Fit by eye: what is shown, where, and what somebody ends with who knows the surface."""

from __future__ import annotations

import unittest
from functools import cache
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.by_eye import CUES, ROUNDS, SIZES, alike, readings, worth_showing
from amber_thicket.core.relief.stones import _leaning
from amber_thicket.core.relief.sure import agreement_of_cues
from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.service.by_eye import PART, Question, described, fitted, question, sure
from amber_thicket.standins.capture_rig import camera
from tests.support import ArraySource, evaluation, rig_surface, size_of

SIDE = 256


@cache
def stones() -> np.ndarray:
    """Heights of round stones in a bed, 0..1, that wrap."""
    rng = np.random.default_rng(3)
    field = np.zeros((SIDE, SIDE), np.float32)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    for _ in range(90):
        cy, cx, radius = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(8, 18)
        away = np.hypot((y - cy + SIDE / 2) % SIDE - SIDE / 2, (x - cx + SIDE / 2) % SIDE - SIDE / 2) / radius
        field = np.maximum(field, np.sqrt(np.maximum(1 - away**2, 0)).astype(np.float32) * radius / 18)
    return field


def ready(pixels: np.ndarray) -> Evaluation:
    return evaluation(
        np.repeat(pixels[..., None], 3, -1).astype(np.float32), **{"tile.join.method": "none", **size_of(SIDE)}
    )


def pale() -> Evaluation:
    """Dark stones in pale mortar: what every estimate takes for the other way round."""
    return ready(0.6 - 0.45 * stones())


def slopes_alike(one: np.ndarray, other: np.ndarray) -> float:
    fields = [np.concatenate([g.ravel() for g in np.gradient(cv2.GaussianBlur(h, (0, 0), 1.0))]) for h in (one, other)]
    return float(np.corrcoef(*fields)[0, 1])


def truer(asked: Question, now: Evaluation) -> int:
    return int(np.argmax([slopes_alike(now.with_changes(row.changes).layer("formed", (SIDE, SIDE)).pixels, stones())
                          for row in asked.shown]))  # fmt: skip


class ChoiceTest(unittest.TestCase):
    def test_what_lies_near_the_most_is_shown(self) -> None:
        # Two groups of like readings and one alone: one of each is worth more than two of a group.
        near = np.array([[1, 0.9, 0.9, 0, 0, -1], [0.9, 1, 0.9, 0, 0, -1], [0.9, 0.9, 1, 0, 0, -1],
                         [0, 0, 0, 1, 0.9, 0], [0, 0, 0, 0.9, 1, 0], [-1, -1, -1, 0, 0, 1]], np.float32)  # fmt: skip
        shown = worth_showing([1] * 6, near, 0, 3)
        self.assertEqual(shown[0], 0)
        self.assertEqual({number // 3 if number < 5 else 9 for number in shown}, {0, 1, 9})
        self.assertEqual(len(worth_showing([1, 1], near[:2, :2], 0)), 2)
        # What is much likelier is shown before what differs more.
        self.assertIn(4, worth_showing([1, 1, 1, 0.01, 5, 0.1], near, 0, 2))

    def test_slopes_that_are_turned_round_are_opposite(self) -> None:
        height = stones()
        near = alike([height, -height, 3 * height + 1])
        np.testing.assert_allclose(near[0], [1, -1, 1], atol=1e-5)

    def test_all_readings_are_settings_that_there_are(self) -> None:
        for round in ROUNDS:
            rows = readings(round, 0.45)
            self.assertEqual(len({row.id for row in rows}), len(rows))
            for row in rows:
                # Raises where a setting, or a value, is none.
                Recipe().with_changes(row.changes)
        # The first of each is what stands already.
        self.assertEqual(Recipe().with_changes(CUES[0].changes).as_json(), Recipe().as_json())
        self.assertEqual(Recipe().with_changes(SIZES[0].changes).as_json(), Recipe().as_json())
        steep = [row.changes["relief.height.steepness"] for row in readings("steepness", 2.0)]
        self.assertEqual(steep, [1.0, 2.0, 3.0, 3.0])


class QuestionTest(unittest.TestCase):
    def test_the_first_shown_is_what_stands_and_the_others_differ(self) -> None:
        asked = question(pale(), "cue", {})
        self.assertEqual([asked.shown[0].id, len(asked.shown)], ["auto", 4])
        heights = [pale().with_changes(row.changes).layer("formed", (SIDE, SIDE)).pixels for row in asked.shown]
        near = alike(heights)
        self.assertLess(float(near.min()), 0.0)
        others = question(pale(), "cue", {}, [row.id for row in asked.shown])
        self.assertFalse({row.id for row in asked.shown} & {row.id for row in others.shown})
        self.assertEqual(others.more, asked.more - 4)

    def test_the_place_is_where_they_differ(self) -> None:
        flat = np.full((SIDE, SIDE), 0.4, np.float32)
        flat[30:110, 140:220] = (0.6 - 0.45 * stones())[30:110, 140:220]
        large = cv2.resize(flat, (1024, 1024), interpolation=cv2.INTER_LINEAR)
        asked = question(
            evaluation(np.repeat(large[..., None], 3, -1), **{"tile.join.method": "none", **size_of(1024)}), "cue", {}
        )
        left, top = asked.place
        # The busy part of the picture, at 768 px: 420 to 660 across, 90 to 330 down.
        self.assertLess(abs(left + PART / 2 - 540), 110)
        self.assertLess(abs(top + PART / 2 - 210), 110)

    def test_somebody_who_knows_the_surface_ends_with_it(self) -> None:
        before = slopes_alike(pale().layer("formed", (SIDE, SIDE)).pixels, stones())
        chosen = fitted(pale(), truer, ("cue", "size"))
        after = slopes_alike(pale().with_changes(chosen).layer("formed", (SIDE, SIDE)).pixels, stones())
        self.assertLess(before, 0.2)
        self.assertGreater(after, 0.75)
        self.assertTrue(chosen["relief.height.invert"])

    def test_none_of_these_asks_for_others_until_there_are_no_more(self) -> None:
        seen: list[str] = []

        def refuse(asked: Question, now: Any) -> None:
            seen.extend(row.id for row in asked.shown)

        chosen = fitted(pale(), refuse, ("cue",))
        self.assertEqual(len(seen), len(set(seen)))
        self.assertEqual(len(seen), len(CUES))
        self.assertTrue(chosen)
        with self.assertRaisesRegex(BadSetting, "All readings"):
            question(pale(), "cue", {}, seen)
        with self.assertRaisesRegex(BadSetting, "no round"):
            question(pale(), "hue", {})

    def test_pictures_of_one_place(self) -> None:
        told = described(pale(), "steepness", {"relief.cues.estimator": "tone"})
        self.assertEqual([option["id"] for option in told["options"]], ["flat", "same", "steep", "steepest"])
        self.assertTrue(all(option["normal"].startswith("data:image/png") for option in told["options"]))
        self.assertEqual(len({option["normal"] for option in told["options"]}), 4)
        self.assertTrue(told["photograph"].startswith("data:image/jpeg"))


class SureTest(unittest.TestCase):
    def test_the_surer_half_is_truer(self) -> None:
        # Not on every surface (docs/decisions/034); by a good deal in the mean.
        gains = []
        for kind in ("slate_shingles", "coir_matting", "tide_pebbles"):
            surface = rig_surface(kind, 512, 5)
            codes = camera.photograph(surface, camera.Shot(sun=0.0, sky=1.0, gloss=0.0), np.random.default_rng(1))
            one = evaluation(decode_srgb(codes), **{"tile.join.method": "none", **size_of(512)})
            told = cv2.resize(sure(one), (512, 512))
            fields = (np.asarray(one.layer("formed", (512, 512)).pixels), surface.height.astype(np.float32))
            slopes = [np.stack(np.gradient(cv2.GaussianBlur(field, (0, 0), 1.0))) for field in fields]
            most = told > np.median(told)
            found = [float(np.corrcoef(*(both[:, part].ravel() for both in slopes))[0, 1]) for part in (most, ~most)]
            gains.append(found[0] - found[1])
        self.assertGreater(float(np.mean(gains)), 0.1)

    def test_a_height_that_was_brought_is_not_judged_so(self) -> None:
        plain = evaluation(np.full((SIDE, SIDE, 3), 0.3, np.float32))
        files = {"a" * 16: ArraySource(np.repeat(stones()[..., None], 3, -1), "height")}
        one = Evaluation(
            Recipe().with_changes({"gather.maps.height": "a" * 16}), plain.first, plain.memory, files=files
        )
        with self.assertRaisesRegex(NotFound, "not read from the colour"):
            sure(one)

    def test_agreeing_slopes_are_sure_and_opposite_ones_are_not(self) -> None:
        height = stones()
        same = agreement_of_cues(height, height, height, SIDE)
        other = agreement_of_cues(height, -height, height, SIDE)
        self.assertLess(float(other.max()), 0.01)
        self.assertGreater(float(np.percentile(same, 75)), 0.5)


class StonesTest(unittest.TestCase):
    """Bricks of the bench in pale mortar: the joints are deep though they are bright."""

    def bricks(self, **changes: Any) -> Evaluation:
        surface = rig_surface("brick_wall", 512, 7)
        codes = camera.photograph(surface, camera.Shot(sun=0.0, sky=1.0, gloss=0.0), np.random.default_rng(1))
        return evaluation(decode_srgb(codes), **{"tile.join.method": "none", **size_of(512)}, **changes)

    def correlation(self, one: Evaluation) -> float:
        made = one.layer("formed", (512, 512)).pixels
        true = rig_surface("brick_wall", 512, 7).height
        return slopes_alike(np.asarray(made), np.asarray(true, np.float32))

    def test_pale_joints_lie_deep_when_that_is_said(self) -> None:
        self.assertLess(self.correlation(self.bricks()), 0)
        sunk = self.bricks(**{"relief.stones.sink": 100.0})
        self.assertGreater(self.correlation(sunk), 0.5)
        half = self.bricks(**{"relief.stones.sink": 50.0})
        self.assertGreater(self.correlation(sunk), self.correlation(half))
        evidence = sunk.layer("formed", (512, 512)).evidence
        self.assertGreater(evidence["pieces"], 40)
        # The same at another size.
        large = (
            sunk.with_changes({"square.size.width": 1024, "square.size.height": 1024})
            .layer("formed", (1024, 1024))
            .pixels
        )
        small = cv2.resize(np.asarray(large), (512, 512), interpolation=cv2.INTER_AREA)
        self.assertGreater(np.corrcoef(small.ravel(), sunk.layer("formed", (512, 512)).pixels.ravel())[0, 1], 0.98)

    def test_level_takes_height_and_tilt_of_each_piece(self) -> None:
        y, x = np.mgrid[0:60, 0:90].astype(np.float32)
        labels = (x // 30).astype(np.int32)
        field = np.float32([0.3, -1.0, 2.0])[labels] + np.float32([0.01, 0, -0.02])[labels] * x + 0.005 * y
        np.testing.assert_allclose(
            _leaning(field.astype(np.float32), labels, np.ones(labels.shape, bool)), field, atol=2e-3
        )

    def test_level_bricks_no_longer_differ_by_their_colour(self) -> None:
        plain, level = self.bricks(), self.bricks(**{"relief.stones.level": 100.0})
        half = self.bricks(**{"relief.stones.level": 50.0})
        inner = np.s_[8:-8]
        wide = []
        for one in (plain, half, level):
            # What is as wide as a brick and narrower than the wall, of a height of one depth.
            cue = np.asarray(one.layer("relief_stones" if one is not plain else "cue", (512, 512)).pixels)
            wide.append(float(cv2.GaussianBlur(cue, (0, 0), 12)[inner, inner].std()))
        self.assertLess(wide[2], 0.75 * wide[0])
        self.assertTrue(wide[2] < wide[1] < wide[0])

    def test_where_there_are_no_pieces_nothing_changes(self) -> None:
        plain = evaluation(decode_srgb(camera.photograph(rig_surface("lime_render", 512, 5), camera.Shot(), np.random.default_rng(1))),
                           **{"tile.join.method": "none", **size_of(512)})  # fmt: skip
        before = plain.layer("formed", (512, 512))
        said = plain.with_changes({"relief.stones.sink": 100.0, "relief.stones.level": 100.0}).layer(
            "formed", (512, 512)
        )
        np.testing.assert_allclose(said.pixels, before.pixels, atol=1e-6)
        self.assertEqual(said.evidence["pieces"], 0)


if __name__ == "__main__":
    unittest.main()
