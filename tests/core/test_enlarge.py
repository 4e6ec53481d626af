"""Enlarging: true to its input, nearer to the truth than plain interpolation, and nothing where nothing is gained."""

import unittest

import cv2
import numpy as np
from skimage.metrics import structural_similarity

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.enlarge import doubled
from amber_thicket.core.square.upscale_filters import learn_filters, upscaled
from tests.support import PHOTOGRAPHS, evaluation, linear_photograph, psnr, size_of


def coded(pixels: Pixels) -> Pixels:
    return encode_srgb(np.ascontiguousarray(pixels.clip(0, 1), np.float32))


class EnlargeTest(unittest.TestCase):
    def test_shrinking_gives_the_input_back(self) -> None:
        for name in PHOTOGRAPHS:
            small = shrink(linear_photograph(name), 2)
            off = coded(shrink(doubled(small, filters=learn_filters(small)), 2)) - coded(small)
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
                doubled(small, filters=learn_filters(small)),
                *(cv2.resize(small, size, interpolation=kind) for kind in (cv2.INTER_CUBIC, cv2.INTER_LANCZOS4)),
            ):
                a, b = coded(guess), coded(truth)
                scores.append((psnr(a, b, 1.0), structural_similarity(a[..., 0], b[..., 0], data_range=1)))
            # And none of them loses.
            self.assertGreater(scores[0][0], max(score[0] for score in scores[1:]) + 0.2, name)
            ours.append(scores[0])
            theirs.append(scores[1:])
        mean, others = np.mean(ours, 0), np.mean(theirs, 0)
        self.assertGreater(mean[0], others[:, 0].max() + 0.5)
        self.assertGreater(mean[1], others[:, 1].max() + 0.015)

    def test_odd_sizes_and_flat_pictures(self) -> None:
        for shape in ((1, 1, 3), (17, 40, 3), (33, 21)):
            flat = np.full(shape, 0.25, np.float32)
            made = doubled(flat)
            self.assertEqual(made.shape, (2 * shape[0], 2 * shape[1], *shape[2:]))
            np.testing.assert_allclose(made, 0.25, atol=1e-4)

    def test_flat_pictures_stay_flat_with_filters_learnt_from_them(self) -> None:
        flat = np.full((40, 50, 3), 0.25, np.float32)
        np.testing.assert_allclose(doubled(flat, filters=learn_filters(flat)), 0.25, atol=1e-4)

    def test_no_black_specks_on_the_edges_of_chips(self) -> None:
        # Paint with sharp chips, enlarged by eight: nothing is darker than what is darkest near it, but for little.
        rng = np.random.default_rng(3)
        noise = cv2.GaussianBlur(rng.normal(size=(96, 96)).astype(np.float32), (0, 0), 5)
        chips = noise > np.quantile(noise, 0.7)
        small = np.where(chips[..., None], np.float32([0.12, 0.09, 0.07]), np.float32([0.55, 0.6, 0.62]))
        small *= 1 + 0.06 * rng.normal(size=(96, 96, 1))
        small = np.ascontiguousarray(small.clip(0.01, 1), np.float32)
        filters, made = learn_filters(small), small
        for _ in range(3):
            made = doubled(made, filters=filters)
        low = cv2.resize(cv2.erode(small, np.ones((3, 3))), (768, 768), interpolation=cv2.INTER_NEAREST)
        below = coded(low).mean(-1) - coded(made).mean(-1)
        # Lanczos has 2 % of its pixels and version 0.1 had 3.4 % more than .1 below.
        self.assertLess(float((below > 0.1).mean()), 1e-3)
        self.assertLess(float((below > 0.06).mean()), 0.008)
        self.assertGreater(float(made.std()), 0.9 * float(small.std()))

    def test_filters_follow_the_direction_of_edges(self) -> None:
        # Edges aslant, as sharp at every size: enlarged along their direction they stay edges; interpolation makes
        # stairs and rings of them.
        y, x = np.mgrid[0:1024, 0:1024].astype(np.float32)
        field = np.zeros((1024, 1024), np.float32)
        rng = np.random.default_rng(5)
        for _ in range(40):
            turn, far = rng.uniform(0, np.pi), rng.uniform(-400, 400)
            field += np.sign((x - 512) * np.cos(turn) + (y - 512) * np.sin(turn) - far)
        picture = 0.3 + 0.2 * np.sign(np.sin(field * 0.9))
        truth = shrink(np.ascontiguousarray(np.repeat(picture[..., None], 3, -1), np.float32), 4)
        small = shrink(truth, 2)
        plain = cv2.resize(small, (256, 256), interpolation=cv2.INTER_LANCZOS4)
        told = upscaled(small, learn_filters(small))
        self.assertGreater(psnr(told, coded(truth), 1.0), psnr(coded(plain), coded(truth), 1.0) + 0.8)


class SampleTest(unittest.TestCase):
    def test_detail_only_where_the_picture_is_too_small(self) -> None:
        picture = linear_photograph("gravel")
        whole = {"tile__join__method": "none"}
        for side, times in ((256, 0), (512, 0), (1024, 1), (2048, 2)):
            made = evaluation(picture, **size_of(side), **whole, square__crop__resampling="learnt")
            sample = made.layer("squared", (side, side))
            self.assertEqual(sample.pixels.shape, (side, side, 3))
            self.assertEqual(sample.evidence.get("doublings", 0), times, side)
            if times:
                back = shrink(sample.pixels, 1 << times)
                off = coded(back) - coded(picture)
                self.assertLess(float(np.sqrt(np.mean(off**2))), 1 / 255)

    def test_a_size_that_does_not_divide(self) -> None:
        made = evaluation(linear_photograph("grass"), square__crop__resampling="learnt", square__crop__right=71.0)
        join = made.sizes((999, 999)).work
        self.assertEqual(made.layer("squared", (999, 999)).pixels.shape[:2], (join.height, join.width))
