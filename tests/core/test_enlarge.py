"""Enlarging: true to its input, nearer to the truth than plain interpolation, and nothing where nothing is gained."""

import unittest

import cv2
import numpy as np
from skimage.metrics import structural_similarity

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.enlarge import doubled
from tests.support import PHOTOGRAPHS, evaluation, linear_photograph, psnr, size_of


def coded(pixels: Pixels) -> Pixels:
    return encode_srgb(np.ascontiguousarray(pixels.clip(0, 1), np.float32))


class EnlargeTest(unittest.TestCase):
    def test_shrinking_gives_the_input_back(self) -> None:
        for name in PHOTOGRAPHS:
            small = shrink(linear_photograph(name), 2)
            off = coded(shrink(doubled(small), 2)) - coded(small)
            self.assertLess(float(np.sqrt(np.mean(off**2))), 1 / 255, name)

    def test_nearer_to_the_truth_than_interpolation(self) -> None:
        # Reference: OpenCV's bicubic and Lanczos; SSIM of scikit-image.
        ours, theirs = [], []
        for name in PHOTOGRAPHS:
            truth = linear_photograph(name)
            small = shrink(truth, 2)
            size = (truth.shape[1], truth.shape[0])
            scores = []
            for guess in (
                doubled(small),
                *(cv2.resize(small, size, interpolation=kind) for kind in (cv2.INTER_CUBIC, cv2.INTER_LANCZOS4)),
            ):
                a, b = coded(guess), coded(truth)
                scores.append((psnr(a, b, 1.0), structural_similarity(a[..., 0], b[..., 0], data_range=1)))
            ours.append(scores[0])
            theirs.append(scores[1:])
        mean, others = np.mean(ours, 0), np.mean(theirs, 0)
        self.assertGreater(mean[0], others[:, 0].max() + 0.1)
        self.assertGreater(mean[1], others[:, 1].max() + 0.005)

    def test_odd_sizes_and_flat_pictures(self) -> None:
        for shape in ((1, 1, 3), (17, 40, 3), (33, 21)):
            flat = np.full(shape, 0.25, np.float32)
            made = doubled(flat)
            self.assertEqual(made.shape, (2 * shape[0], 2 * shape[1], *shape[2:]))
            np.testing.assert_allclose(made, 0.25, atol=1e-4)


class SampleTest(unittest.TestCase):
    def test_detail_only_where_the_picture_is_too_small(self) -> None:
        picture = linear_photograph("gravel")
        whole = {"tile__join__method": "none"}
        for side, times in ((256, 0), (512, 0), (1024, 1), (2048, 2)):
            made = evaluation(picture, **size_of(side), **whole, square__crop__resampling="detail")
            sample = made.layer("squared", (side, side))
            self.assertEqual(sample.pixels.shape, (side, side, 3))
            self.assertEqual(sample.evidence.get("doublings", 0), times, side)
            if times:
                back = shrink(sample.pixels, 1 << times)
                off = coded(back) - coded(picture)
                self.assertLess(float(np.sqrt(np.mean(off**2))), 1 / 255)

    def test_a_size_that_does_not_divide(self) -> None:
        made = evaluation(linear_photograph("grass"), square__crop__resampling="detail", square__crop__right=71.0)
        join = made.sizes((999, 999)).work
        self.assertEqual(made.layer("squared", (999, 999)).pixels.shape[:2], (join.height, join.width))
