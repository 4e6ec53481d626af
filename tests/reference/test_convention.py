"""Y direction from the pixels alone (QUALITY §1, normal convention)."""

import unittest

import numpy as np

from amber_thicket.core.files.encode import decoded_normal, quantised
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.shading.convention import UNSURE, y_direction
from tests.support import bumps, linear_photograph


class YDirectionTest(unittest.TestCase):
    def test_right_wherever_it_is_sure(self) -> None:
        """24 heights × 2 directions, with noise: right in every case with a correlation over .2."""
        rng = np.random.default_rng(8)
        sure = 0
        for case in range(24):
            if case % 2:
                height = bumps(128, int(rng.integers(5, 80)), case)
            else:
                name = ("brick", "gravel", "grass")[case % 3]
                x, y = rng.integers(0, 380, 2)
                height = linear_photograph(name)[y : y + 128, x : x + 128, 0]
            vectors = from_height(np.ascontiguousarray(height), depth=float(rng.uniform(3, 30)))
            codes = quantised(vectors, 8, scale=0.5, offset=0.5).astype(int) + rng.integers(-3, 4, vectors.shape)
            plus = np.clip(codes, 0, 255).astype(np.uint8)
            minus = plus.copy()
            minus[..., 1] = 255 - minus[..., 1]
            for codes_of, wanted in ((plus, "plus"), (minus, "minus")):
                found, correlation = y_direction(decoded_normal(codes_of))
                if abs(correlation) > UNSURE:
                    sure += 1
                    self.assertEqual(found, wanted, case)
        self.assertGreater(sure, 40)
