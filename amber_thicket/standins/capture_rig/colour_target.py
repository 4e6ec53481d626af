"""The simulated camera photographs a colour target: made-up sensor colours, light, perspective and noise."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.chart.reference import COLUMNS, ROWS, reference_linear
from amber_thicket.core.numeric.colour import encode_srgb

# Sensor colours that overlap more than those of the screen: (3, 3) for linear RGB, rows sum to 1.
CAMERA = np.array([[0.74, 0.21, 0.05], [0.16, 0.71, 0.13], [0.03, 0.27, 0.70]])


@dataclass(frozen=True)
class Target:
    """codes: (H, W, 3) 8-bit sRGB. corners: (4, 2) middles of the corner patches, dark skin first, clockwise, 0..1."""

    codes: NDArray[np.uint8]
    corners: NDArray[np.float64]


def photograph_target(
    background: NDArray[np.float32],
    rng: np.random.Generator,
    *,
    turn: float = 8.0,
    size: float = 0.5,
    lamp: tuple[float, float, float] = (1.08, 1.0, 0.78),
    exposure: float = 0.8,
    camera: NDArray[np.float64] = CAMERA,
) -> Target:
    """The target lying on a surface. background: (H, W, 3) linear. turn: degrees clockwise; size: of its width, in
    widths of the picture. lamp: the light's colour."""
    cell, gap = 60, 12
    wide, high = COLUMNS * (cell + gap) + gap + 40, ROWS * (cell + gap) + gap + 40
    card = np.full((high, wide, 3), 0.025, np.float32)
    middles = []
    for number, colour in enumerate(reference_linear()):
        top = 20 + gap + (number // COLUMNS) * (cell + gap)
        left = 20 + gap + (number % COLUMNS) * (cell + gap)
        card[top : top + cell, left : left + cell] = np.maximum(colour, 0.002)
        middles.append((left + cell / 2, top + cell / 2))
    height, width = background.shape[:2]
    scale = size * width / wide
    c, s = np.cos(np.radians(turn)) * scale, np.sin(np.radians(turn)) * scale
    to_middle = np.array([[1, 0, -wide / 2], [0, 1, -high / 2], [0, 0, 1.0]])
    place = np.array([[c, -s, 0.52 * width], [s, c, 0.47 * height], [0, 0, 1]]) @ to_middle
    lean = np.array([[1, 0, 0], [0, 1, 0], [0.00012, -0.00008, 1.0]])
    place = place @ np.linalg.inv(to_middle) @ lean @ to_middle
    seen = cv2.warpPerspective(card, place, (width, height), flags=cv2.INTER_AREA)
    mask = cv2.warpPerspective(np.ones((high, wide), np.float32), place, (width, height))[..., None]
    light = (background * (1 - mask) + seen * mask) * np.array(lamp) * exposure
    light = cv2.GaussianBlur((light @ camera.T).astype(np.float32), (0, 0), 0.8)
    light = light + rng.standard_normal(light.shape) * np.sqrt(np.maximum(light, 0) + 0.01) * 0.006
    at = np.array([(*middles[n], 1.0) for n in (0, COLUMNS - 1, ROWS * COLUMNS - 1, (ROWS - 1) * COLUMNS)]) @ place.T
    codes = np.rint(encode_srgb(light.clip(0, 1).astype(np.float32)) * 255).astype(np.uint8)
    return Target(codes, at[:, :2] / at[:, 2:] / np.array([width, height]))
