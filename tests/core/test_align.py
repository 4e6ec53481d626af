"""Second photographs found on the first, and two that become one, against the truth of the bench."""

from __future__ import annotations

import unittest

import cv2
import numpy as np

from amber_thicket.core.align.register import register_by_points, register_photographs
from amber_thicket.core.align.warp import Stitched, WarpedSource, largest_rectangle, warp_to
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.errors import UnreadableFile
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from tests.support import ArraySource

SIDE = 768


def apart(found: np.ndarray, truth: np.ndarray) -> float:
    """Root mean square distance in px of SIDE over the middle of the picture."""
    at = np.stack(np.meshgrid(np.linspace(0.25, 0.75, 9), np.linspace(0.1, 0.9, 9)), -1).reshape(-1, 2)
    at = np.concatenate([at, np.ones((len(at), 1))], 1)
    one, other = (at @ m.T for m in (found, truth))
    off = one[:, :2] / one[:, 2:] - other[:, :2] / other[:, 2:]
    return float(np.sqrt((off**2).sum(1).mean())) * SIDE


class Registering(unittest.TestCase):
    def test_the_back_and_the_lit_table_lie_on_the_front(self) -> None:
        frond = kelp_frond(SIDE, 9)
        rng = np.random.default_rng(2)
        front = decode_srgb(front_shot(frond, rng))
        back = placed(-9, (0.02, -0.012), 0.96, mirrored=True)
        lit = placed(4, (-0.012, 0.01), 1.03, mirrored=False)
        for shot, truth, mirrored in (
            (back_shot(frond, back, rng), back, True),
            (back_lit_shot(frond, lit, rng), lit, False),
        ):
            found = register_photographs(front, decode_srgb(shot))
            self.assertEqual(found.how, "outline")
            self.assertLess(apart(found.matrix, truth), 1.0)
            self.assertEqual(np.linalg.det(found.matrix) < 0, mirrored)
            self.assertGreater(found.sure, 0.8)

    def test_features_tell_a_view_from_aside(self) -> None:
        picture = decode_srgb(photograph(cork_board(SIDE, 3), Shot(), np.random.default_rng(1)))
        truth = np.array([[0.94, -0.05, 0.04], [0.03, 0.97, 0.01], [0.04, -0.02, 1.0]])
        other = warp_to(picture, np.linalg.inv(truth), (SIDE, SIDE)) * np.float32(0.7)
        found = register_photographs(picture, other)
        self.assertEqual(found.how, "features")
        self.assertLess(apart(found.matrix, truth), 0.5)

    def test_nothing_in_common_is_said(self) -> None:
        rng = np.random.default_rng(4)
        one, other = (cv2.GaussianBlur(rng.random((400, 400, 3), np.float32), (0, 0), 2) for _ in range(2))
        with self.assertRaisesRegex(UnreadableFile, "nothing that was found in both"):
            register_photographs(one, other)

    def test_four_marked_places_do_instead(self) -> None:
        truth = placed(12, (0.1, 0.05), 0.8, mirrored=False)
        corners = np.array([[0.1, 0.1, 1], [0.9, 0.2, 1], [0.8, 0.9, 1], [0.2, 0.8, 1]])
        pairs = np.hstack([corners[:, :2], (corners @ truth.T)[:, :2]])
        self.assertLess(apart(register_by_points(pairs.tolist()).matrix, truth), 1e-3)
        with self.assertRaisesRegex(UnreadableFile, "do not say how"):
            register_by_points([[0, 0, 0, 0], [0.5, 0.5, 0.5, 0.5], [0.7, 0.7, 0.7, 0.7], [1, 1, 1, 1]])

    def test_a_surface_that_fills_the_picture_has_no_outline(self) -> None:
        picture = decode_srgb(photograph(cork_board(256, 3), Shot(), np.random.default_rng(1)))
        self.assertIsNone(silhouette(picture))


class Stitching(unittest.TestCase):
    def test_two_halves_become_one(self) -> None:
        whole = decode_srgb(photograph(cork_board(1024, 3), Shot(fall_off=0.0), np.random.default_rng(1)))
        first = np.ascontiguousarray(whole[100:900, :620])
        # The second photograph: turned by two degrees, a little darker.
        truth = placed(2, (0.0, 0.0), 1.0, mirrored=False) @ np.array([[1, 0, -380 / 620], [0, 1, 0], [0, 0, 1.0]])
        place = np.array([[620 / 1024, 0, 0], [0, 800 / 1024, 100 / 1024], [0, 0, 1]]) @ np.linalg.inv(truth)
        second = warp_to(whole, place, (620, 800)) * np.float32(0.75)
        found = register_photographs(first, second, outlines=False)
        self.assertLess(apart(found.matrix, truth), 0.6)
        made = Stitched(ArraySource(first, "a"), ArraySource(second, "b"), tuple(found.matrix.ravel()), Memory(10**8))
        self.assertGreater(made.width, 930)
        self.assertGreater(made.height, 740)
        picture = made.read(0).pixels
        self.assertEqual(picture.shape[:2], (made.height, made.width))
        left, top = round(made.box[0] * 620), round(made.box[1] * 800) + 100
        meant = whole[top : top + made.height, left : left + made.width]
        off = encode_srgb(picture[: meant.shape[0], : meant.shape[1]].copy()) - encode_srgb(np.ascontiguousarray(meant))
        inner = off[8:-8, 8:-8]
        self.assertLess(float(np.sqrt(np.mean(inner**2))), 0.03)
        np.testing.assert_allclose(made.seam.gains, 1 / 0.75, rtol=0.03)
        # Half as large is the same picture.
        half = made.read(1).pixels
        near = cv2.resize(picture, (half.shape[1], half.shape[0]), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(encode_srgb(half) - encode_srgb(near)).mean()), 0.025)

    def test_largest_rectangle(self) -> None:
        mask = np.zeros((6, 8), bool)
        mask[1:5, 2:7] = True
        mask[0, 3] = mask[2, 0] = True
        self.assertEqual(largest_rectangle(mask), (2, 1, 7, 5))

    def test_an_aligned_file_is_read_on_the_first_ones_grid(self) -> None:
        y, x = np.mgrid[0:200, 0:300].astype(np.float32)
        shown = np.stack([x / 300, y / 200, 0 * x], -1)
        matrix = np.array([[0.5, 0, 0.25], [0, 0.5, 0.25], [0, 0, 1.0]])
        seen = WarpedSource(ArraySource(shown, "a"), tuple(matrix.ravel()), 120, 80).read(0).pixels
        self.assertEqual(seen.shape, (80, 120, 3))
        np.testing.assert_allclose(
            seen[40, 60, :2], [0.5 + 0.5 / 240 - 0.5 / 300, 0.5 + 0.5 / 160 - 0.5 / 200], atol=2e-3
        )
        np.testing.assert_allclose(seen[0, 0, :2], 0.25, atol=4e-3)


if __name__ == "__main__":
    unittest.main()
