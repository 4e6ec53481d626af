"""The cost of a join, worked out without making the features it is defined by."""

from __future__ import annotations

import unittest

import numpy as np

from amber_thicket.core.tile.cut import apart_across, apart_down, features, mismatch, seen, usually_apart
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


if __name__ == "__main__":
    unittest.main()
