"""Oklab: lightness and two colour axes in which hue and chroma are even to the eye.

Source: Ottosson, "A perceptual color space for image processing", 2020 (also CSS Color Module Level 4, section 9.1).
"""

from __future__ import annotations

import numpy as np

from amber_thicket.core.raster import Pixels

_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float64,
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ],
    np.float64,
)
# How far a tone is moved at the most; nothing that dark or bright is a blotch.
_MOST_GAIN = 1.6
_FROM_LAB, _FROM_CONES = np.linalg.inv(_TO_LAB), np.linalg.inv(_TO_CONES)


def to_oklab(linear: Pixels) -> Pixels:
    """L, a, b of linear RGB, (H, W, 3); white is (1, 0, 0)."""
    cones = np.cbrt(linear @ _TO_CONES.T.astype(np.float32))
    return np.asarray(cones @ _TO_LAB.T.astype(np.float32), np.float32)


def from_oklab(lab: Pixels) -> Pixels:
    """Linear RGB of Oklab, (H, W, 3); may lie outside 0..1."""
    cones = lab @ _FROM_LAB.T.astype(np.float32)
    return np.asarray((cones * cones * cones) @ _FROM_CONES.T.astype(np.float32), np.float32)


def moved_in_oklab(linear: Pixels, by: Pixels) -> Pixels:
    """Linear RGB with a smooth field (H, W, 3) added in Oklab; detail keeps its contrast against its tone."""
    lab = to_oklab(linear)
    # A tone moved up takes its detail along: albedo varies by shares, not by steps.
    light = np.maximum(lab[..., :1], 0.02)
    lab *= np.clip(1 + by[..., :1] / light, 1 / _MOST_GAIN, _MOST_GAIN)
    lab[..., 1:] += by[..., 1:]
    return np.asarray(np.maximum(from_oklab(lab), 0), np.float32)
