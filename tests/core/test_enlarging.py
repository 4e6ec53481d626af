"""Rows out of a coarser grid against OpenCV's linear enlarging of all of it."""

import unittest

import cv2
import numpy as np

from amber_thicket.core.numeric.enlarging import grid_columns, grid_line
from amber_thicket.core.numeric.filters import blur, blur_reduced, enlarge

RNG = np.random.default_rng(5)


def enlarged(grid: np.ndarray, size: tuple[int, int], part: slice) -> np.ndarray:
    """A part of the columns of all rows, one by one."""
    width, height = size
    first, second, between = np.empty(width, np.uint32), np.empty(width, np.uint32), np.empty(width, np.float32)
    grid_columns(grid.shape[1], False, first, second, between)
    out = np.empty((height, len(first[part]) * grid.shape[2]), np.float32)
    line = np.empty(grid.shape[1] * grid.shape[2], np.float32)
    for y in range(height):
        grid_line(grid, y, height, first[part], second[part], between[part], line, out[y])
    return out.reshape(height, -1, grid.shape[2])


class EnlargingTest(unittest.TestCase):
    def test_each_row_is_what_enlarging_all_of_it_gives(self) -> None:
        # Whole and odd factors, one row or column, no factor at all.
        for shape, size in (
            ((9, 12), (48, 36)),
            ((7, 5), (33, 40)),
            ((1, 6), (20, 10)),
            ((5, 1), (8, 20)),
            ((6, 8), (8, 6)),
        ):
            for channels in (1, 2, 3, 4):
                grid = RNG.random((*shape, channels)).astype(np.float32)
                whole = cv2.resize(grid, size, interpolation=cv2.INTER_LINEAR).reshape(size[1], size[0], channels)
                for part in (slice(None), slice(3, size[0] - 2)):
                    with self.subTest(shape=shape, size=size, channels=channels, part=part):
                        np.testing.assert_allclose(enlarged(grid, size, part), whole[:, part], atol=1e-6)

    def test_a_reduced_blur_is_the_fast_one_on_its_grid(self) -> None:
        for shape in ((64, 96), (61, 90, 3), (50, 50, 1)):
            layer = RNG.random(shape).astype(np.float32)
            for sigma in (1.0, 3.0, 6.0):
                soft = blur_reduced(layer, sigma, wraps=False)
                self.assertEqual(soft.shape[2:], layer.shape[2:])
                whole = blur(layer, sigma, wraps=False, fast=True).reshape(shape)
                np.testing.assert_allclose(enlarge(soft, *shape[:2], wraps=False).reshape(shape), whole, atol=1e-7)
        # 6 px leave room for a grid four times as coarse, 1 px for none.
        self.assertEqual(blur_reduced(np.ones((64, 96), np.float32), 6.0, wraps=False).shape, (16, 24))
        self.assertEqual(blur_reduced(np.ones((64, 96), np.float32), 1.0, wraps=False).shape, (64, 96))
