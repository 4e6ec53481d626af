"""Exposure brackets and focus stacks against the truth of the bench."""

from __future__ import annotations

import unittest
from dataclasses import replace

import cv2
import numpy as np

from amber_thicket.core.align.warp import warp_to
from amber_thicket.core.gather.merge import Exposure, Settings
from amber_thicket.core.memory import Memory
from amber_thicket.core.merge.exposure import match_tones
from amber_thicket.core.merge.source import Merged, merged_source
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from tests.support import ArraySource, rig_surface

SIDE = 512
BRIGHT = Shot(gloss=0.8)


def shot(stops: float, seed: int, *, noise: float = 0.006) -> np.ndarray:
    surface = rig_surface("tide_pebbles", SIDE, 5)
    taken = replace(BRIGHT, exposure=0.9 * 2.0**stops, noise=noise)
    return decode_srgb(photograph(surface, taken, np.random.default_rng(seed)))


def merged(photographs: list[np.ndarray], **settings) -> Merged:
    names = [f"{number:016x}" for number in range(len(photographs))]
    asked = Settings(frames=tuple(Exposure(file=name) for name in names), **settings)
    files = {name: ArraySource(pixels, name) for name, pixels in zip(names, photographs, strict=True)}
    made = merged_source(asked, names[0], files, Memory(10**9))
    assert made is not None
    return made


def off(picture: np.ndarray, truth: np.ndarray, where: np.ndarray) -> float:
    """Root mean square difference of coded values."""
    both = [encode_srgb(np.ascontiguousarray(one, np.float32)) for one in (picture, truth)]
    return float(np.sqrt(np.mean((both[0] - both[1])[where] ** 2)))


class Brackets(unittest.TestCase):
    def test_less_noise_in_the_dark_and_nothing_burnt_out(self) -> None:
        # Hand-held, and something walked through one of them.
        moved = np.array([[1, 0.002, 0.004], [-0.002, 1, -0.003], [0, 0, 1.0]])
        dark = np.maximum(warp_to(shot(-2, 2), moved, (SIDE, SIDE)), 0)
        bright = shot(2, 3)
        cv2.circle(bright, (170, 280), 24, (0.02, 0.02, 0.02), -1)
        made = merged([shot(0, 1), dark, bright])
        found = made.merging
        np.testing.assert_allclose([match.middle for match in found.matches], [0, 2, -2], atol=0.03)
        back = np.linalg.inv(moved)
        np.testing.assert_allclose(found.places[1], back / back[2, 2], atol=6e-4)
        picture, clean = made.read(0).pixels * max(found.peak, 1.0), shot(0, 1, noise=0.0)
        inner = np.zeros((SIDE, SIDE), bool)
        inner[10:-10, 10:-10] = True
        shadows = inner & (clean.max(-1) < 0.1)
        self.assertLess(off(picture, clean, shadows), 0.65 * off(shot(0, 1), clean, shadows))
        self.assertLess(off(picture, clean, inner & (clean.max(-1) < 0.7)), 1.02 * off(shot(0, 1), clean, inner))
        # The one who walked through is not there.
        spot = np.s_[268:292, 158:182]
        self.assertLess(float(np.abs(picture - clean)[spot].mean()), 0.01)
        self.assertGreater(found.moved[2], 0.004)
        self.assertGreater(found.clipped[0], 0.001)
        self.assertLess(found.clipped[1], 0.2 * found.clipped[0])
        # What was burnt out goes over white, and is brought below it as a whole.
        self.assertGreater(found.peak, 1.0)
        self.assertLessEqual(float(np.percentile(made.read(0).pixels, 99.9)), 1.0)

    def test_the_ratio_of_two_tone_curves_is_followed(self) -> None:
        rng = np.random.default_rng(4)
        spots = cv2.GaussianBlur(rng.standard_normal((200, 200, 3)).astype(np.float32), (0, 0), 6)
        light = (0.05 * np.exp(1.2 * spots / spots.std())).clip(0.004, 0.6)
        curved = lambda values: (values / (values + 0.4) * 1.2).clip(0, 1)  # noqa: E731
        match = match_tones(curved(light), curved(2 * light), None)
        brought = match.applied(curved(2 * light))
        told = (curved(2 * light) < 0.75) & (curved(light) > 0.01)
        self.assertLess(float(np.abs(np.log2(brought / curved(light)))[told].mean()), 0.03)
        # Nothing well exposed in both: the tags' stops are taken.
        plain = match_tones(np.full((40, 40, 3), 0.5, np.float32), np.full((40, 40, 3), 0.99, np.float32), 3.0)
        self.assertEqual(plain.middle, -3.0)

    def test_all_sizes_show_one_picture(self) -> None:
        made = merged([shot(0, 1), shot(-2, 2)])
        small, large = made.read(1).pixels, made.read(0).pixels
        near = cv2.resize(large, (SIDE // 2, SIDE // 2), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(encode_srgb(small) - encode_srgb(near)).mean()), 0.004)

    def test_a_photograph_of_another_view_is_not_laid(self) -> None:
        other = decode_srgb(photograph(rig_surface("cork_board", SIDE, 5), Shot(), np.random.default_rng(1)))
        self.assertEqual(merged([shot(0, 1), other]).merging.placed, [True, False])


class Focus(unittest.TestCase):
    def test_each_place_comes_from_where_it_is_sharp(self) -> None:
        sharp = photograph(rig_surface("tide_pebbles", SIDE, 5), Shot(), np.random.default_rng(1)).astype(np.float32)
        across = np.linspace(0, 1, SIDE)[None, :, None]
        blurs = [sharp, *(cv2.GaussianBlur(sharp, (0, 0), sigma) for sigma in (1, 2, 3, 4, 5))]
        stack, best = [], []
        for focus in (0.1, 0.5, 0.9):
            away = np.clip(np.abs(across - focus) * 7, 0, 4.999)
            low = np.floor(away)
            picture = sum(
                np.where(low == k, 1 - away + low, 0) * one + np.where(low == k - 1, away - low, 0) * one
                for k, one in enumerate(blurs)
            )
            stack.append(decode_srgb(np.rint(picture).astype(np.uint8)))
            best.append(np.broadcast_to(away[..., 0], (SIDE, SIDE)))
        # A lens that focuses nearer shows a little less of the scene.
        breathing = np.array([[1.01, 0, -0.005], [0, 1.01, -0.005], [0, 0, 1.0]])
        possible = np.choose(np.argmin(best, axis=0)[..., None], stack)
        stack[2] = np.maximum(warp_to(stack[2], breathing, (SIDE, SIDE)), 0)
        made = merged(stack, by="focus")
        truth, inner = decode_srgb(sharp.astype(np.uint8)), np.zeros((SIDE, SIDE), bool)
        inner[16:-16, 16:-16] = True
        chosen = cv2.resize(made.merging.chosen, (SIDE, SIDE), interpolation=cv2.INTER_NEAREST)
        self.assertGreater(float((chosen == np.argmin(best, axis=0))[inner].mean()), 0.9)
        self.assertLess(off(made.read(0).pixels, truth, inner), 1.15 * off(possible, truth, inner))
        self.assertLess(off(made.read(0).pixels, truth, inner), 0.75 * min(off(one, truth, inner) for one in stack))


if __name__ == "__main__":
    unittest.main()
