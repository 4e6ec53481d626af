"""Enlarging against plain interpolation: photographs and bench surfaces, shrunk by two and enlarged again."""

from __future__ import annotations

import cv2
import numpy as np
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.square.enlarge import doubled
from amber_thicket.core.square.upscale_filters import learn_filters
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.timing import best, table
from tests.support import PHOTOGRAPHS, linear_photograph


def run(side: int) -> None:
    side = side or 512
    pictures = {name: linear_photograph(name)[:side, :side] for name in PHOTOGRAPHS}
    for name, make in KINDS.items():
        codes = photograph(make(side, 3), Shot(noise=0.002), np.random.default_rng(1))
        pictures[name] = decode_srgb(codes)
    rows, scores = [], []
    for name, truth in pictures.items():
        small = shrink(truth, 2)
        size = (truth.shape[1], truth.shape[0])
        guesses = [
            cv2.resize(small, size, interpolation=cv2.INTER_CUBIC),
            cv2.resize(small, size, interpolation=cv2.INTER_LANCZOS4),
            doubled(small, filters=learn_filters(small)),
        ]
        found = [_score(guess, truth) for guess in guesses]
        back = encode_srgb(shrink(guesses[2], 2)) - encode_srgb(np.ascontiguousarray(small))
        scores.append(found)
        rows.append([name, *(f"{p:.2f} / {s:.3f}" for p, s in found), f"{np.sqrt(np.mean(back**2)) * 255:.2f}"])
    mean = np.mean(scores, 0)
    rows.append(["mean", *(f"{p:.2f} / {s:.3f}" for p, s in mean), ""])
    head = ["picture", "bicubic", "Lanczos", "own detail", "shrunk back, of 255"]
    table(f"Enlarging {side // 2}² by two: PSNR (dB) / SSIM of the coded picture", head, rows)
    small = shrink(next(iter(pictures.values())), 2)
    plain = best(lambda: cv2.resize(small, (side, side), interpolation=cv2.INTER_LANCZOS4))
    print(
        f"  own detail takes {best(lambda: doubled(small, filters=learn_filters(small)), runs=1) / plain:.0f} × as long as Lanczos"
    )


def _score(guess: np.ndarray, truth: np.ndarray) -> tuple[float, float]:
    one, other = (encode_srgb(np.ascontiguousarray(p.clip(0, 1), np.float32)) for p in (guess, truth))
    return (
        float(peak_signal_noise_ratio(other, one, data_range=1)),
        float(structural_similarity(one, other, data_range=1, channel_axis=-1)),
    )
