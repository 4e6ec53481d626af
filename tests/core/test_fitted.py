"""Least squares by the normal equations, against numpy's by singular values."""

import unittest

import numpy as np

from amber_thicket.core.numeric.fitted import fit_rows

RNG = np.random.default_rng(8)


class FittedTest(unittest.TestCase):
    def test_as_numpy_fits(self) -> None:
        # More rows than are summed at once, columns of very different size, two of them nearly alike.
        rows = RNG.normal(size=(10_000, 6))
        rows[:, 2] *= 1e-3
        rows[:, 3] = rows[:, 4] + 0.01 * rows[:, 3]
        wanted = rows @ RNG.normal(size=(6, 2)) + RNG.normal(size=(10_000, 2))
        expected = np.linalg.lstsq(rows, wanted, rcond=None)[0]
        np.testing.assert_allclose(fit_rows(rows, wanted), expected, rtol=1e-6)
        np.testing.assert_allclose(fit_rows(rows, wanted[:, 0]), expected[:, 0], rtol=1e-6)
        # At single precision what is fitted comes out as well, whichever of two like columns has it.
        single = rows.astype(np.float32).astype(np.float64) @ fit_rows(
            rows.astype(np.float32), wanted.astype(np.float32)
        )
        np.testing.assert_allclose(single, rows @ expected, atol=2e-3)

    def test_what_says_nothing_counts_nothing_and_equals_share(self) -> None:
        rows = RNG.normal(size=(500, 4))
        rows[:, 1] = 0
        rows[:, 3] = rows[:, 2]
        found = fit_rows(rows, 3 * rows[:, 2])
        np.testing.assert_allclose(found, [0, 0, 1.5, 1.5], atol=1e-9)
        self.assertEqual(fit_rows(np.zeros((9, 2)), np.ones(9)).tolist(), [0, 0])


if __name__ == "__main__":
    unittest.main()
