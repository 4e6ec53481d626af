"""The cheapest cut against scipy's maximum flow, and what it costs."""

import unittest

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import maximum_flow

from amber_thicket.core.numeric.mincut import cheapest_cut, near_cheapest_cut
from tests.support import linear_photograph


def flow_of(keep: np.ndarray, take: np.ndarray, right: np.ndarray, down: np.ndarray) -> int:
    """The maximum flow of the same grid by scipy: as large as the cheapest cut (Ford & Fulkerson 1956)."""
    height, width = keep.shape
    source, sink = keep.size, keep.size + 1
    at = np.arange(keep.size).reshape(keep.shape)
    edges = [
        (np.full(keep.size, source), at.ravel(), take.ravel()),
        (at.ravel(), np.full(keep.size, sink), keep.ravel()),
        (at[:, :-1].ravel(), at[:, 1:].ravel(), right[:, :-1].ravel()),
        (at[:, 1:].ravel(), at[:, :-1].ravel(), right[:, :-1].ravel()),
        (at[:-1].ravel(), at[1:].ravel(), down[:-1].ravel()),
        (at[1:].ravel(), at[:-1].ravel(), down[:-1].ravel()),
    ]
    rows, columns, weights = (np.concatenate(part) for part in zip(*edges, strict=True))
    graph = coo_array((weights.astype(np.int32), (rows, columns)), shape=(keep.size + 2, keep.size + 2)).tocsr()
    return int(maximum_flow(graph, source, sink).flow_value)


def cost_of(taken: np.ndarray, keep: np.ndarray, take: np.ndarray, right: np.ndarray, down: np.ndarray) -> float:
    parted = (taken[:, :-1] != taken[:, 1:]) * right[:, :-1]
    return float(keep[~taken].sum() + take[taken].sum() + parted.sum() + ((taken[:-1] != taken[1:]) * down[:-1]).sum())


class CheapestCutTest(unittest.TestCase):
    def test_as_cheap_as_the_flow_is_large(self) -> None:
        draw = np.random.default_rng(4)
        for number in range(40):
            size = draw.integers(1, 15, 2)
            parts = [draw.integers(0, 60, size) for _ in range(4)]
            if number % 3 == 0:
                parts[0][draw.random(size) < 0.6] = 0
                parts[1][draw.random(size) < 0.6] = 0
            taken, cost = cheapest_cut(*parts)
            with self.subTest(number=number, size=size):
                self.assertAlmostEqual(cost_of(taken, *parts), flow_of(*parts), delta=1e-6)
                self.assertAlmostEqual(cost, flow_of(*parts), delta=0.02 * max(cost, 1))

    def test_what_is_forbidden_does_not_happen(self) -> None:
        draw = np.random.default_rng(1)
        keep, take = np.zeros((40, 50)), np.zeros((40, 50))
        keep[15:25, 20:30] = np.inf
        take[0], take[-1], take[:, 0], take[:, -1] = np.inf, np.inf, np.inf, np.inf
        taken, _ = cheapest_cut(keep, take, draw.random((40, 50)), draw.random((40, 50)))
        self.assertTrue(taken[15:25, 20:30].all())
        self.assertFalse(taken[[0, -1]].any() or taken[:, [0, -1]].any())

    def test_a_cheap_ring_is_followed(self) -> None:
        y, x = np.mgrid[0:60, 0:60] - 29.5
        ring = np.where(np.abs(np.hypot(x, y) - 20) < 1.5, 0.01, 1.0)
        keep, take = np.where(np.hypot(x, y) < 5, np.inf, 0), np.where(np.hypot(x, y) > 28, np.inf, 0)
        taken, _ = cheapest_cut(keep, take, ring, ring)
        np.testing.assert_array_less(np.abs(np.sqrt(taken.sum() / np.pi) - 20), 1.6)

    def test_found_by_halves_it_costs_hardly_more_and_obeys(self) -> None:
        # What joins cost where one part of gravel is laid over another.
        gravel = linear_photograph("gravel")
        for number in range(4):
            one, other = (gravel[y : y + 231, x : x + 240] for x, y in ((9 * number, 0), (260, 270 - 11 * number)))
            differs = ((one - other) ** 2).sum(axis=-1).astype(np.float64)
            price = differs + np.roll(differs, -1, 1)
            parts = [np.zeros(price.shape), np.zeros(price.shape), price, differs + np.roll(differs, -1, 0)]
            parts[0][90:131, 100:141] = np.inf
            parts[0][3, 3] = np.inf
            parts[1][[0, -1]], parts[1][:, [0, -1]] = np.inf, np.inf
            parts[1][60:63, 30:200] = np.inf
            near, (taken, cost) = near_cheapest_cut(*parts), cheapest_cut(*parts)
            with self.subTest(number):
                self.assertTrue(near[90:131, 100:141].all() and near[3, 3])
                self.assertFalse(near[60:63, 30:200].any() or near[[0, -1]].any() or near[:, [0, -1]].any())
                self.assertGreater(cost_of(near, *parts), 0.99 * cost)
                self.assertLess(cost_of(near, *parts), 1.1 * cost)
                self.assertFalse(np.array_equal(near, taken), "nothing is saved")
        # Small grids are cut as they are.
        small = [part[80:150, 80:150] for part in parts]
        np.testing.assert_array_equal(near_cheapest_cut(*small), cheapest_cut(*small)[0])


if __name__ == "__main__":
    unittest.main()
