"""Tone and hues: published colour values, curves that keep their promises, other hues left alone."""

import unittest

import numpy as np

from amber_thicket.core.even.hues import BANDS, shares
from amber_thicket.core.even.tone import levelled
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb, luminance
from amber_thicket.core.numeric.oklab import from_oklab, to_oklab
from tests.support import evaluation, linear_photograph, size_of

PLAIN = {"black": 0.0, "white": 100.0, "midtone": 0.0, "contrast": 0.0}
PURE = {"red": (255, 0, 0), "yellow": (255, 255, 0), "green": (0, 255, 0), "cyan": (0, 255, 255), "blue": (0, 0, 255)}


def linear(*codes: tuple[int, int, int]) -> np.ndarray:
    return decode_srgb(np.array([codes], np.uint8))


def evened(pixels: np.ndarray, **changes: object) -> np.ndarray:
    field = np.broadcast_to(pixels, (64, 64, 3)).astype(np.float32)
    return (
        evaluation(field, **{**size_of(256), "even__light__amount": 0, **changes})
        .layer("evened", (256, 256))
        .pixels[9, 9]
    )


class OklabTest(unittest.TestCase):
    def test_published_values(self) -> None:
        # CSS Color Module Level 4, 9.1 and its sample conversions: pure red is oklab(0.62796 0.22486 0.12585), and
        # white is oklab(1 0 0).
        lab = to_oklab(linear((255, 0, 0), (255, 255, 255)))[0]
        np.testing.assert_allclose(lab[0], [0.62796, 0.22486, 0.12585], atol=2e-4)
        np.testing.assert_allclose(lab[1], [1, 0, 0], atol=2e-4)
        pixels = linear_photograph("brick")
        np.testing.assert_allclose(from_oklab(to_oklab(pixels)), pixels, atol=1e-5)

    def test_bands_lie_on_the_pure_colours(self) -> None:
        for name, codes in PURE.items():
            lab = to_oklab(linear(codes))[0, 0]
            hue = np.degrees(np.arctan2(lab[2], lab[1])) % 360
            self.assertAlmostEqual(hue, BANDS[name], delta=1.0, msg=name)
        everywhere = shares(np.arange(0, 360, 0.5, dtype=np.float32))
        np.testing.assert_allclose(everywhere.sum(-1), 1, atol=1e-5)


class ToneTest(unittest.TestCase):
    def test_the_curve(self) -> None:
        tones = np.linspace(0, 1, 101, dtype=np.float32)
        np.testing.assert_allclose(levelled(tones, **PLAIN), tones, atol=1e-6)
        levels = levelled(tones, **{**PLAIN, "black": 20, "white": 70})
        np.testing.assert_allclose(levels[[0, 20, 45, 70]], [0, 0, 0.5, 1], atol=1e-6)
        self.assertAlmostEqual(float(levelled(tones, **{**PLAIN, "midtone": 100})[50]), 0.75, places=5)
        for changes in ({"contrast": 80.0}, {"contrast": -80.0}, {"midtone": -60.0}, {"black": 30.0, "contrast": 40.0}):
            made = levelled(tones, **{**PLAIN, **changes})
            self.assertTrue((np.diff(made) >= 0).all(), changes)
        self.assertAlmostEqual(float(levelled(tones, **{**PLAIN, "contrast": 60})[50]), 0.5, places=5)

    def test_levels_keep_the_colour(self) -> None:
        before = linear((150, 90, 60))[0, 0]
        after = evened(before, even__tone__midtone=40)
        np.testing.assert_allclose(after / after[0], before / before[0], rtol=2e-3)
        wanted = levelled(encode_srgb(luminance(before[None, None]))[0], **{**PLAIN, "midtone": 40})
        self.assertAlmostEqual(float(encode_srgb(luminance(after[None, None]))[0, 0]), float(wanted[0]), delta=2e-3)

    def test_no_saturation_is_grey_and_one_hue_leaves_the_others(self) -> None:
        grey = evened(linear((150, 90, 60))[0, 0], even__tone__saturation=-100)
        self.assertLess(float(grey.max() - grey.min()), 2e-3)
        red, blue = linear((200, 40, 40))[0, 0], linear((40, 60, 200))[0, 0]
        np.testing.assert_allclose(evened(blue, even__hues__red_colour=-100), blue, atol=2e-3)
        faded = to_oklab(evened(red, even__hues__red_colour=-100)[None, None])[0, 0]
        before = to_oklab(red[None, None])[0, 0]
        self.assertLess(float(np.hypot(*faded[1:])), 0.35 * float(np.hypot(*before[1:])))
        self.assertGreater(float(evened(blue, even__hues__blue_light=50).sum()), 1.25 * float(blue.sum()))
