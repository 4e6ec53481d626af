"""The tile plan drawn: join lines where neighbours part, and the parts of the sample that are used."""

import unittest

import cv2
import numpy as np

from amber_thicket.errors import NotFound
from amber_thicket.service.joins import joins
from tests.support import evaluation, linear_photograph, size_of


def picture(where: str, **changes: object) -> np.ndarray:
    data = joins(evaluation(linear_photograph("gravel"), **{**size_of(512), **changes}), where)
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)


class JoinsTest(unittest.TestCase):
    def test_lines_run_all_the_way_round(self) -> None:
        line = (picture("tile")[..., :3] == (40, 160, 250)).all(-1) & (picture("tile")[..., 3] == 255)
        self.assertTrue(line.any(axis=0).all(), "a join from left to right")
        self.assertTrue(line.any(axis=1).all(), "a join from top to bottom")
        self.assertLess(float(line.mean()), 0.05)

    def test_the_used_part_of_the_sample_is_as_large_as_the_tile(self) -> None:
        sample = picture("sample", tile__join__overlap_x=20, tile__join__overlap_y=20)
        unused = (sample == (0, 0, 0, 140)).all(-1)
        # The tile is 1 of the sample's 1.2 × 1.2; lines lie on some of both.
        self.assertAlmostEqual(float(1 - unused.mean()), 1 / 1.44, delta=0.03)

    def test_nothing_is_joined_without_a_method(self) -> None:
        self.assertFalse(picture("tile", tile__join__method="none").any())
        with self.assertRaises(NotFound):
            picture("elsewhere")
