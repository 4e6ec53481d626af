"""Joins: what they cost without making the features that define it, where they run, what shows on either side."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from scipy import ndimage
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from amber_thicket.core.synthesis.cut import (
    _banded,
    apart_across,
    apart_down,
    closed_path,
    features,
    mismatch,
    open_path,
    seen,
    usually_apart,
)
from amber_thicket.core.tile.overlap import cut_labels
from amber_thicket.core.tile.shares import feathered
from tests.support import linear_photograph


class ApartTest(unittest.TestCase):
    """features() and mismatch() are the definition; what the cut uses has to give the same."""

    @classmethod
    def setUpClass(cls) -> None:
        sample = np.ascontiguousarray(linear_photograph("gravel")[:150, :170])
        cls.colour, cls.features = seen(sample), features(sample)

    def test_across(self) -> None:
        cost = apart_across(self.colour, 128)
        wanted = mismatch(self.features[:, :42], self.features[:, 128:])
        np.testing.assert_allclose(cost, wanted, atol=1e-5)

    def test_down_looks_at_the_copy_that_shows(self) -> None:
        path = (10 + 12 * np.sin(np.arange(150) / 9)).clip(0, 41).astype(np.int32)
        shows = self.features[:, :128].copy()
        for y, end in enumerate(path):
            shows[y, :end] = self.features[y, 128 : 128 + end]
        cost = apart_down(self.colour, path, (128, 120))
        np.testing.assert_allclose(cost, mismatch(shows[:30], shows[120:]), atol=1e-5)

    def test_usual_difference_is_that_of_random_places(self) -> None:
        rng = np.random.default_rng(5)
        places = self.features.reshape(-1, 9)
        one, other = (places[rng.integers(0, len(places), 20000)] for _ in range(2))
        squared = ((one - other) ** 2).sum(-1)
        for found, wanted in zip(usually_apart(self.colour), (np.sqrt(squared).mean(), squared.mean()), strict=True):
            self.assertAlmostEqual(found, float(wanted), delta=0.1 * wanted)


class PathTest(unittest.TestCase):
    def test_cheapest_path_against_dijkstra(self) -> None:
        """scipy.sparse.csgraph on the same grid: from a row to the next, at most one column aside."""
        rng = np.random.default_rng(8)
        for rows, columns in ((30, 17), (12, 40), (2, 9)):
            cost = _banded(rng.random((rows, columns)).astype(np.float32), 1.0)
            number = np.arange(rows * columns).reshape(rows, columns)
            edges = []
            for step in (-1, 0, 1):
                at = np.arange(max(0, -step), columns - max(0, step))
                edges += [
                    (number[:-1, at].ravel(), number[1:, at + step].ravel(), cost[1:, at + step].ravel()),
                ]
            source, target, weight = (np.concatenate(part) for part in zip(*edges, strict=True))
            first = (np.full(columns, rows * columns), number[0], cost[0])
            source, target, weight = (
                np.concatenate(both) for both in zip((source, target, weight), first, strict=True)
            )
            graph = csr_matrix((weight, (source, target)), (rows * columns + 1,) * 2)
            cheapest = dijkstra(graph, indices=rows * columns)[number[-1]].min()
            with mock.patch("amber_thicket.core.synthesis.cut._banded", lambda cost, wander: cost):
                path = open_path(cost, wander=1.0)
            self.assertLessEqual(int(np.abs(np.diff(path)).max()), 1)
            self.assertAlmostEqual(float(cost[np.arange(rows), path].sum()), float(cheapest), delta=1e-4)


class CopiesTest(unittest.TestCase):
    def test_which_copy_shows(self) -> None:
        """By the rule in words: before the path across the copy to the right shows, before the path down the one below,
        which brings the choice of the row it comes from along."""
        sample = linear_photograph("grass")[:110, :100]
        width, height = 80, 90
        labels, _ = cut_labels(sample, width, height, 1.0)
        colour = seen(sample)
        across = open_path(apart_across(colour, width), wander=1.0)
        down = closed_path(np.ascontiguousarray(apart_down(colour, across, (width, height)).T), wander=1.0)
        for y in range(height):
            for x in range(width):
                below = y < down[x] or y >= height // 2
                row = y + height if below and y < 20 else y
                right = x < across[row] or x >= width // 2
                self.assertEqual(labels[y, x], right + 2 * below, (x, y))


if __name__ == "__main__":
    unittest.main()


class ShareTest(unittest.TestCase):
    def test_masks_smoothed_as_scipy_does(self) -> None:
        """Large parts of one label, single dots, joins over the border; sizes that are no whole number of squares. On a
        coarser grid the areas themselves are averaged and enlarged again."""
        rng = np.random.default_rng(3)
        labels = np.zeros((152, 200), np.uint8)
        labels[:, 60:130], labels[90:, :], labels[10:14, 180:] = 1, 2, 3
        dots = rng.integers(0, 152 * 200, 40)
        labels.reshape(-1)[dots] = 3
        for width in (0.3, 0.8, 2.5, 4.0, 9.0):
            share = feathered(labels, 4, (width,))[0]
            np.testing.assert_allclose(share.sum(axis=0), 1, atol=1e-6)
            factor = 200 // share.shape[2]
            self.assertEqual(factor, 1 if width < 3.5 else 2 if width < 7 else 4)
            own = factor / 2 if factor > 1 else 0.5
            for piece in range(4):
                mask = (labels == piece).astype(np.float64)
                wanted = ndimage.gaussian_filter(mask, max(width**2 - own**2, 0.01) ** 0.5, mode="wrap", truncate=6)
                cells = wanted.reshape(152 // factor, factor, 200 // factor, factor).mean(axis=(1, 3))
                off = np.abs(share[piece] - cells).max()
                self.assertLess(off, 0.002 if factor == 1 else 0.02, (width, piece))
