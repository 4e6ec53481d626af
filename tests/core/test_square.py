"""Lens, perspective and level: geometry that can be worked out by hand, and one resampling for all of it."""

import unittest

import numpy as np

from amber_thicket.core.numeric import sampling
from amber_thicket.core.square import flat, lens
from amber_thicket.core.square.view import homography_of, true_shape, view_of
from amber_thicket.errors import BadSetting
from tests.support import evaluation, linear_photograph, size_of

LENS = {"k1": 0.08, "k2": -0.02, "p1": 0.004, "p2": -0.003}


def pinhole(corners: np.ndarray, tilt: float, pan: float, focal: float) -> np.ndarray:
    """Points (x, y) of a plane at distance 2, seen by a camera turned by tilt and pan (degrees)."""
    a, b = np.radians(tilt), np.radians(pan)
    turn = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]]) @ np.array(
        [[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]]
    )
    points = np.concatenate([corners, np.zeros((len(corners), 1))], 1) @ turn.T + [0, 0, 2]
    return focal * points[:, :2] / points[:, 2:]


class LensTest(unittest.TestCase):
    def test_straight_undoes_bent(self) -> None:
        points = np.random.default_rng(0).random((200, 2))
        np.testing.assert_allclose(lens.straight(lens.bent(points, 1.5, **LENS), 1.5, **LENS), points, atol=1e-6)

    def test_corner_moves_by_the_formula(self) -> None:
        # Brown 1971: at one half diagonal a point moves outward by k1 + k2 of its distance.
        corner = lens.bent(np.array([1.0, 1.0]), 1.0, k1=0.1, k2=0.05, p1=0, p2=0)
        np.testing.assert_allclose(corner, [0.5 + 0.5 * 1.15] * 2, atol=1e-12)

    def test_lines_give_the_bend(self) -> None:
        t = np.linspace(0.02, 0.98, 9)
        lines = [
            np.stack([t, np.full(9, 0.06)], 1),
            np.stack([np.full(9, 0.95), t], 1),
            np.stack([t, 0.1 + 0.05 * t], 1),
        ]
        seen = [lens.bent(line, 1.5, k1=-0.12, k2=0.03, p1=0, p2=0).tolist() for line in lines]
        found = lens.solved(seen, 1.5)
        self.assertAlmostEqual(found["k1"], -0.12, delta=0.002)
        self.assertAlmostEqual(found["k2"], 0.03, delta=0.003)
        with self.assertRaises(BadSetting):
            lens.solved([[[0, 0], [1, 1]]], 1.0)


class PerspectiveTest(unittest.TestCase):
    def test_corners_map_to_corners(self) -> None:
        corners = np.array([[0.1, 0.2], [0.9, 0.15], [0.8, 0.9], [0.15, 0.7]])
        matrix = homography_of(corners)
        for unit, wanted in zip(([0, 0], [1, 0], [1, 1], [0, 1]), corners, strict=True):
            seen = matrix @ np.array([*unit, 1.0])
            np.testing.assert_allclose(seen[:2] / seen[2], wanted, atol=1e-12)

    def test_shape_of_the_rectangle(self) -> None:
        # Zhang & He 2007: with the middle of the picture known, four corners give focal length and aspect.
        for aspect in (0.7, 1.0, 1.8):
            rectangle = np.array([[-aspect, -1], [aspect, -1], [aspect, 1], [-aspect, 1]]) * 0.4
            seen = pinhole(rectangle, 25, -18, 1200)
            self.assertAlmostEqual(true_shape(seen), aspect, delta=0.001 * aspect)
        straight_on = np.array([[-300, -200], [300, -200], [300, 200], [-300, 200]], np.float64)
        self.assertAlmostEqual(true_shape(straight_on), 1.5)

    def test_bad_corners_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            flat.Settings(upper_left_x=100, upper_right_x=0)

    def test_level_has_no_empty_corners(self) -> None:
        for turn in (-20.0, 3.0, 45.0):
            view = view_of(flat.Settings(turn=turn), lens.Settings(), (600, 400))
            seen = view.to_capture(np.array([[0, 0], [1, 0], [1, 1], [0, 1]]))
            self.assertGreaterEqual(float(seen.min()), -1e-9)
            self.assertLessEqual(float(seen.max()), 1 + 1e-9)
            self.assertAlmostEqual(view.size[0] / view.size[1], 1.5)

    def test_level_turns_counter_clockwise(self) -> None:
        # A line that falls to the right by 10° is level after turning by 10°.
        view = view_of(flat.Settings(turn=10), lens.Settings(), (500, 500))
        one, other = view.to_capture(np.array([[0.3, 0.5], [0.7, 0.5]])) * 500
        self.assertAlmostEqual(float(np.degrees(np.arctan2(*(other - one)[::-1]))), 10, places=6)


class WarpTest(unittest.TestCase):
    def test_smooth_picture_through_lens_and_perspective(self) -> None:
        """A picture that is a formula, looked up through the whole mapping, is the formula of the mapped places."""
        y, x = np.mgrid[0:400, 0:600]
        formula = lambda u, v: 0.5 + 0.3 * np.sin(9 * u + 1) * np.cos(7 * v)  # noqa: E731
        photo = formula((x + 0.5) / 600, (y + 0.5) / 400).astype(np.float32)
        settings = flat.Settings(
            upper_left_x=12,
            upper_left_y=8,
            upper_right_x=90,
            upper_right_y=15,
            lower_right_x=95,
            lower_right_y=92,
            lower_left_x=5,
            lower_left_y=85,
            turn=4,
        )
        view = view_of(settings, lens.Settings(**LENS), (600, 400))
        box = (20.0, 10.0, view.size[0] - 15, view.size[1] - 25)
        out = sampling.warped(photo, view, box, (300, 200))
        u = (box[0] + (np.arange(300) + 0.5) / 300 * (box[2] - box[0])) / view.size[0]
        v = (box[1] + (np.arange(200) + 0.5) / 200 * (box[3] - box[1])) / view.size[1]
        seen = view.to_capture(np.stack(np.meshgrid(u, v), -1))
        self.assertLess(float(np.abs(out - formula(seen[..., 0], seen[..., 1])).max()), 2e-3)

    def test_nothing_set_is_the_plain_crop(self) -> None:
        plain = evaluation(linear_photograph("brick"), **size_of(256)).layer("squared", (256, 256)).pixels
        nearly = (
            evaluation(linear_photograph("brick"), **size_of(256), square__lens__k1=1e-9)
            .layer("squared", (256, 256))
            .pixels
        )
        self.assertLess(float(np.abs(plain - nearly).mean()), 0.01)
