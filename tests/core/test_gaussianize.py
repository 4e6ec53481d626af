"""Channels made Gaussian and independent of each other; what is mixed of them has the colours that were there."""

from __future__ import annotations

import unittest

import numpy as np

from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.gaussianize import count_levels, gaussianize, restore
from amber_thicket.core.tile.stochastic import mix, patches

SIDE = 384


def earth() -> Pixels:
    """Clods and cracks: light decides of the colour, along a bend; a little of it is left to chance."""
    draw = np.random.default_rng(3)
    light = draw.gamma(3.0, 0.1, (SIDE, SIDE))
    green, blue = 0.01 * light * draw.standard_normal((2, SIDE, SIDE))
    return np.stack([light, 0.55 * light + 0.3 * light**2 + green, 0.3 * light**2 + blue], -1).astype(np.float32)


def off_bend(colours: Pixels) -> Pixels:
    """How far green and blue lie from where light alone puts them."""
    light = colours[..., 0]
    green, blue = 0.55 * light + 0.3 * light**2, 0.3 * light**2
    return np.hypot(colours[..., 1] - green, colours[..., 2] - blue)


class LevelsTest(unittest.TestCase):
    def test_levels_are_gaussian_and_independent(self) -> None:
        sample = earth()
        found = gaussianize(sample, count_levels(sample.reshape(-1, 3).astype(np.float64))).reshape(-1, 3)
        np.testing.assert_allclose(found.mean(0), 0, atol=0.01)
        np.testing.assert_allclose(found.std(0), 1, atol=0.02)
        for power in (1, 2):
            apart = np.corrcoef(found.T**power)[np.triu_indices(3, 1)]
            np.testing.assert_allclose(apart, 0, atol=0.06, err_msg=f"power {power}")

    def test_of_normal_values_they_are_the_standardized_principal_components(self) -> None:
        """Rosenblatt, The Annals of Mathematical Statistics 23(3), 1952: given the others, components of a normal
        distribution are normal; along its axes they do not depend on each other at all."""
        draw = np.random.default_rng(4)
        mixed = np.array([[2.0, 0.4, 0.1], [0.4, 1.0, 0.3], [0.1, 0.3, 0.5]])
        sample = (draw.standard_normal((SIDE, SIDE, 3)) @ mixed).astype(np.float32)
        flat = sample.reshape(-1, 3).astype(np.float64)
        spread, axes = np.linalg.eigh(np.cov(flat.T))
        expected = ((flat - flat.mean(0)) @ axes / np.sqrt(spread))[:, ::-1]
        found = gaussianize(sample, count_levels(flat)).reshape(-1, 3)
        # Of single values far out nothing can be counted.
        inside = (np.abs(expected) < 2).all(1)
        for channel in range(3):
            sign = np.sign((found[:, channel] * expected[:, channel]).sum())
            off = sign * found[inside, channel] - expected[inside, channel]
            self.assertLess(np.sqrt((off**2).mean()), 0.06, channel)

    def test_values_come_back(self) -> None:
        for sample in (earth(), earth()[..., :1], earth()[..., 1:]):
            levels = count_levels(sample.reshape(-1, sample.shape[2]).astype(np.float64))
            found = gaussianize(sample, levels)
            restore(found, levels)
            inside = (sample < np.quantile(sample, 0.995, axis=(0, 1))).all(-1)
            self.assertLess(np.quantile(np.abs(found - sample)[inside], 0.99), 2e-3)

    def test_grey_stays_grey(self) -> None:
        sample = np.repeat(earth()[..., :1], 3, -1)
        tile = mix(patches((SIDE, SIDE), (256, 256), 64, 1), sample, (256, 256))
        self.assertLess(np.ptp(tile, axis=-1).max(), 1e-5)


class ColoursTest(unittest.TestCase):
    def test_what_is_mixed_has_the_colours_that_were_there(self) -> None:
        sample = earth()
        tile = mix(patches((SIDE, SIDE), (256, 256), 64, 1), sample, (256, 256))
        # Of each channel mixed by itself: .059 for .015 of the sample's own.
        self.assertLess(np.quantile(off_bend(tile), 0.99), 1.2 * np.quantile(off_bend(sample), 0.99))
        self.assertGreater(tile.min(), -0.01)
        for share in (0.05, 0.5, 0.95):
            np.testing.assert_allclose(
                np.quantile(tile, share, axis=(0, 1)), np.quantile(sample, share, axis=(0, 1)), rtol=0.03, atol=0.002
            )
