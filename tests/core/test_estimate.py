"""Heights told by one picture: their steepness from the spectrum alone, and what is not decided again."""

from __future__ import annotations

import unittest

import numpy as np

from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.relief.estimate import field_of, spectrum, steepness, steepness_told, told_by_both


class SteepnessTest(unittest.TestCase):
    def test_parseval_gives_what_the_field_has(self) -> None:
        rng = np.random.default_rng(2)
        for shape in ((96, 128), (90, 121), (64, 65)):
            found = spectrum(rng.random(shape, np.float32))
            for bearing in (0.0, 70.0, 215.0):
                told = steepness_told(found, 128.0, shape, bearing)
                for value, gains in zip(told, ((1.0, 0.0), (0.0, 1.0)), strict=True):
                    made = told_by_both(found, 128.0, shape, tone=gains[0], shading=gains[1], bearing=bearing)
                    # A transfer times i says nothing at the highest frequency, of which noise has more than pictures.
                    self.assertAlmostEqual(value / steepness(field_of(made, shape), 128.0), 1.0, delta=5e-3)


class SoftClipTest(unittest.TestCase):
    def test_against_the_exponential_it_stands_for(self) -> None:
        values = np.linspace(-0.6, 1.6, 40001).astype(np.float32)
        low, high = 0.03, 0.97
        wanted = values.astype(np.float64)
        wanted = np.where(values < low, 0.03 * np.exp((wanted - low) / 0.03), wanted)
        wanted = np.where(values > high, 1 - 0.03 * np.exp((high - values.astype(np.float64)) / 0.03), wanted)
        found = soft_clip(values)
        np.testing.assert_allclose(found, wanted, atol=5e-7)
        self.assertTrue((np.diff(found) >= 0).all())
        inside = (values >= low) & (values <= high)
        np.testing.assert_array_equal(found[inside], values[inside])


if __name__ == "__main__":
    unittest.main()
