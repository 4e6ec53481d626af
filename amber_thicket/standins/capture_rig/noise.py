"""Building blocks of the made-up surfaces: fractal fields, cells, warps, streaks. All seeded."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Field = NDArray[Any]


def neighbours(points: Field) -> Any:
    """A tree of points, asked for those next to others. Loaded here: it is a third of what a program start takes, and
    only surfaces that are being made up need it."""
    from scipy.spatial import cKDTree

    return cKDTree(points)


def fractal(
    shape: tuple[int, int],
    rng: np.random.Generator,
    *,
    slope: float = 1.0,
    largest: float = 1.0,
    smallest: float = 0.0,
    stretch: tuple[float, float] = (1.0, 1.0),
) -> Field:
    """Noise with amplitude ~ frequency^-slope, mean 0 and spread 1.

    largest, smallest: sizes of structure kept, as fractions of the width. stretch: (x, y) elongation.
    """
    height, width = shape
    fy = np.fft.fftfreq(height)[:, None] * width * stretch[1]
    fx = np.fft.rfftfreq(width)[None, :] * width * stretch[0]
    frequency = np.hypot(fx, fy)
    amplitude = np.where(frequency > 0, 1 / np.maximum(frequency, 1e-6) ** slope, 0)
    amplitude *= 1 / (1 + np.exp(-(frequency - 1 / largest) * 4 * largest))
    if smallest > 0:
        amplitude *= np.exp(-((frequency * smallest) ** 2))
    spectrum = np.fft.rfft2(rng.standard_normal(shape)) * amplitude
    field = np.fft.irfft2(spectrum, s=shape)
    result: Field = ((field - field.mean()) / max(field.std(), 1e-9)).astype(np.float32)
    return result


def warped(field: Field, dx: Field, dy: Field) -> Field:
    """field looked up at shifted places (px)."""
    height, width = field.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    result: Field = cv2.remap(field, x + dx, y + dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    return result


def smoothstep(low: float, high: float, value: Field) -> Field:
    """0 below low, 1 above high, smooth between (also for low > high)."""
    t = np.clip((value - low) / (high - low), 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


class Cells:
    """Irregular cells: for each pixel the nearest seed, and the distance to the border of its cell (px)."""

    def __init__(self, shape: tuple[int, int], spacing: float, rng: np.random.Generator, *, warp: float = 0.0) -> None:
        height, width = shape
        count = int((height + 4 * spacing) * (width + 4 * spacing) / spacing**2)
        points = rng.uniform((-2 * spacing, -2 * spacing), (height + 2 * spacing, width + 2 * spacing), (count, 2))
        points = _relaxed(points, spacing)
        y, x = np.mgrid[0:height, 0:width].astype(np.float32)
        if warp:
            y = y + warp * fractal(shape, rng, slope=1.6, largest=3 * spacing / width)
            x = x + warp * fractal(shape, rng, slope=1.6, largest=3 * spacing / width)
        places = np.stack([y.ravel(), x.ravel()], -1)
        near, index = neighbours(points).query(places, k=2, workers=2)
        first, second = points[index[:, 0]], points[index[:, 1]]
        apart = np.linalg.norm(second - first, axis=1)
        self.edge: Field = ((near[:, 1] ** 2 - near[:, 0] ** 2) / (2 * apart)).reshape(shape).astype(np.float32)
        self.index = index[:, 0].reshape(shape)
        self.count = count
        self.off_y: Field = (places[:, 0] - first[:, 0]).reshape(shape).astype(np.float32)
        self.off_x: Field = (places[:, 1] - first[:, 1]).reshape(shape).astype(np.float32)


def _relaxed(points: NDArray[np.float64], spacing: float) -> NDArray[np.float64]:
    """Points pushed a little apart, so that no two cells are slivers."""
    for _ in range(2):
        distance, index = neighbours(points).query(points, k=2)
        away = points - points[index[:, 1]]
        push = np.clip(spacing * 0.75 - distance[:, 1], 0, None)[:, None]
        points = points + 0.5 * push * away / np.maximum(distance[:, 1], 1e-6)[:, None]
    return points


def per_cell(cells: Cells, rng: np.random.Generator, spread: float = 1.0) -> Field:
    """One normal random number a cell."""
    result: Field = (rng.standard_normal(cells.count) * spread).astype(np.float32)[cells.index]
    return result


def mix(one: Field, other: Field, share: Field) -> Field:
    """Linear mix of two colours or fields; share is (H, W)."""
    weight = share[..., None] if one.ndim == 3 or other.ndim == 3 else share
    result: Field = (one * (1 - weight) + other * weight).astype(np.float32)
    return result


def flat(shape: tuple[int, int], srgb: tuple[int, int, int]) -> Field:
    """A constant colour, linear, from 8-bit sRGB."""
    from amber_thicket.core.numeric.colour import decode_srgb

    return np.broadcast_to(decode_srgb(np.array(srgb, np.uint8)), (*shape, 3)).astype(np.float32).copy()
