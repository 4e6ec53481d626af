"""Pieces of a surface and those that joins break: drawn walls whose bricks are known, and a watershed of another library."""

import unittest

import cv2
import numpy as np
import skimage.segmentation

from amber_thicket.core.check.rules.tiling_joins import judged
from amber_thicket.core.numeric.cells import flooded, merged
from amber_thicket.core.tile.broken_pieces import BrokenPieces, broken_pieces
from amber_thicket.core.tile.pieces import NONE, PIECES, Reading, centred, find_pieces
from tests.pieces import piecewise
from tests.support import wall

SIDE = 600


def straight(width: int, height: int, sample: tuple[int, int], left: int = 0) -> np.ndarray:
    """The identity map of a tile that is a plain rectangle of the sample: its joins are its edges."""
    y, x = np.mgrid[0:height, 0:width]
    assert left + width <= sample[0]
    assert height <= sample[1]
    return np.stack([x + left, y], -1).astype(np.float64)


class FloodTest(unittest.TestCase):
    def test_the_same_cells_as_another_librarys_watershed(self) -> None:
        # scikit-image's watershed (BSD-3), from the same minima. Both break ties in their own order.
        field = cv2.GaussianBlur(np.random.default_rng(4).random((160, 200)).astype(np.float32), (0, 0), 6)
        ours = flooded(field)
        minima, seeds = cv2.connectedComponents((field <= cv2.erode(field, np.ones((3, 3)))).astype(np.uint8))
        theirs = skimage.segmentation.watershed(field, seeds) - 1
        self.assertEqual(ours.max() + 1, minima - 1)
        self.assertGreater(float((ours == theirs).mean()), 0.97)

    def test_weakest_borders_go_first_and_small_cells_go_into_a_neighbour(self) -> None:
        labels = np.repeat(np.int32([[0, 0, 0, 1, 1, 1, 2, 2, 3, 3, 3, 3]]), 4, 0)
        field = np.repeat(np.float32([[0, 0, 1, 1, 0, 5, 5, 3, 3, 0, 0, 0]]), 4, 0)
        one = merged(labels, field, weakest=2.0)
        self.assertEqual([len(np.unique(one)), one[0, 0] == one[0, 4], one[0, 5] == one[0, 6]], [3, True, False])
        small = merged(labels, field, least_area=9)
        self.assertEqual(small[0, 7], small[0, 8], "across the weaker of its two borders")
        self.assertNotEqual(small[0, 0], small[0, 4], "these are large enough")


class CentredTest(unittest.TestCase):
    def test_borders_come_to_lie_in_the_joints(self) -> None:
        for seed in (3, 5):
            pixels, numbers = piecewise("crazy_paving", seed)
            found = find_pieces(pixels)
            size = (found.labels.shape[1], found.labels.shape[0])
            joint = cv2.resize((numbers == 0).astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
            within = []
            for pieces in (found, centred(found, Reading.joint)):
                across = pieces.labels[:, 1:] != pieces.labels[:, :-1]
                down = pieces.labels[1:] != pieces.labels[:-1]
                within.append(float(np.concatenate([joint[:, 1:][across], joint[1:][down]]).mean()))
            with self.subTest(seed):
                # By the bench's own joints: .45 of the borders lie in them, and .74 once they are centred.
                self.assertLess(within[0], 0.5)
                self.assertGreater(within[1], 0.7)

    def test_where_pieces_meet_at_mere_edges_they_stay(self) -> None:
        leaves, stones = (find_pieces(piecewise(kind)[0]) for kind in ("fallen_leaves", "rubble_wall"))
        self.assertIs(centred(leaves, Reading.joint), leaves)
        moved = centred(stones, Reading.joint)
        self.assertEqual(moved.count, stones.count)
        self.assertGreater(float((moved.labels != stones.labels).mean()), 0.01)


class PiecesTest(unittest.TestCase):
    def test_bricks_are_counted_and_measured(self) -> None:
        for turn in (0.0, 0.05):
            found = find_pieces(wall(turn=turn))
            with self.subTest(turn=turn):
                self.assertGreater(found.contrast, 2 * PIECES)
                # A brick is 100 × 60 px, less its joints; those at the edges are cut.
                self.assertAlmostEqual(found.typical, np.sqrt(100 * 60), delta=10)
                self.assertTrue(60 <= found.count <= 120, found.count)

    def test_where_there_are_none(self) -> None:
        grain = np.random.default_rng(2).standard_normal((SIDE, SIDE)).astype(np.float32)
        for sigma in (1.5, 6.0):
            soft = cv2.GaussianBlur(grain, (0, 0), sigma)
            tone = 0.3 * (1 + 0.2 * soft / soft.std())
            found = find_pieces(np.repeat(tone[..., None], 3, -1).clip(0.01, 1).astype(np.float32))
            with self.subTest(sigma=sigma):
                self.assertLess(found.contrast, NONE)

    def test_it_does_not_matter_how_many_pixels_show_them(self) -> None:
        plain = wall()
        large = cv2.resize(plain, (1200, 1200), interpolation=cv2.INTER_CUBIC)
        one, other = find_pieces(plain), find_pieces(large)
        self.assertEqual((one.scale, other.scale), (1.0, 0.5))
        self.assertAlmostEqual(other.count / one.count, 1, delta=0.1)


class BrokenTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.pieces = find_pieces(wall())

    def asked(self, width: int, height: int, left: int = 0) -> BrokenPieces:
        return broken_pieces(straight(width, height, (SIDE, SIDE), left), self.pieces)

    def test_whole_periods_break_nothing(self) -> None:
        # Five bricks across, eight courses down.
        found = self.asked(500, 480)
        self.assertEqual((found.count, found.share, found.boxes), (0, 0.0, ()))
        self.assertAlmostEqual(found.shown, 40, delta=12)

    def test_what_is_cut_is_counted_where_it_is(self) -> None:
        # Half a brick off: every second course joins a brick to itself, and in each course one is of another width.
        found = self.asked(530, 480)
        self.assertGreaterEqual(found.count, 4)
        self.assertGreater(found.share, 0.05)
        for left, top, wide, high in found.boxes:
            self.assertTrue(left > 0.97 or left + wide < 0.03, "on the edge")
            self.assertTrue(0 <= top < 1 and high < 0.15)
        # A third of a course off: bricks are cut along, not across.
        found = self.asked(500, 500)
        self.assertGreaterEqual(found.count, 3)
        self.assertTrue(all(wide > high for _, _, wide, high in found.boxes))

    def test_more_off_is_never_less_broken(self) -> None:
        shares = [self.asked(500 + off, 480).share for off in (0, 12, 25)]
        self.assertEqual(sorted(shares), shares)
        self.assertEqual(shares[0], 0.0)

    def test_round_the_edge_it_is_one(self) -> None:
        plain = self.asked(530, 480)
        rolled = broken_pieces(np.roll(straight(530, 480, (SIDE, SIDE)), (31, 265), (0, 1)), self.pieces)
        self.assertEqual((rolled.count, rolled.share), (plain.count, plain.share))

    def test_a_turned_or_mirrored_piece_goes_on_as_it_came(self) -> None:
        turned = straight(500, 480, (SIDE, SIDE))[:, ::-1]
        self.assertEqual(broken_pieces(turned, self.pieces).count, 0)

    def test_how_grave_it_is(self) -> None:
        found = {"pieces": "yes", "contrast": 5.0, "count": 3, "share": 0.06}
        for more, level in (
            ({}, "blocked"),
            ({"count": 0}, "pass"),
            ({"share": 0.05}, "attention"),
            ({"contrast": 4.4}, "attention"),
            ({"whole_repeats": True}, "attention"),
            ({"pieces": "unknown"}, "unknown"),
            ({"pieces": "no"}, "pass"),
        ):
            with self.subTest(more):
                self.assertEqual(judged({**found, **more}), level)


if __name__ == "__main__":
    unittest.main()
