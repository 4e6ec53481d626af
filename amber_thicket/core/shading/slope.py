"""Slopes of a height field by the Scharr operator, and the way back.

Sources: Scharr, "Optimale Operatoren in der Digitalen Bildverarbeitung", Heidelberg 2000 (3 × 3 kernel 3, 10, 3);
Frankot & Chellappa, "A method for enforcing integrability in shape from shading algorithms", IEEE TPAMI 10(4), 1988.
"""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import pad
from amber_thicket.core.numeric.libraries import cv2, fft
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def slopes(height: Pixels, *, wraps: bool) -> tuple[Pixels, Pixels]:
    """Rise per pixel toward the right and toward the top. height: (H, W) in any unit, rows downwards."""
    padded = pad(height, 1, wraps=wraps)
    right = cv2.Scharr(padded, cv2.CV_32F, 1, 0, scale=1 / 32)
    down = cv2.Scharr(padded, cv2.CV_32F, 0, 1, scale=-1 / 32)
    return right[1:-1, 1:-1], down[1:-1, 1:-1]


def typical_slope(height: Pixels) -> float:
    """Root mean square of slopes() of a height that wraps. height: (H, W) px; rise per run."""
    sums = np.zeros(len(height))
    over_rows(partial(_squared_slopes, np.ascontiguousarray(height, np.float32), sums), len(height))
    return float(np.sqrt(sums.sum() / height.size))


@compiled(loose=True)
def _squared_slopes(height, sums, first, last):  # type: ignore[no-untyped-def]
    rows, columns = height.shape
    side, middle = np.float32(3 / 32), np.float32(10 / 32)
    for y in range(first, last):
        above, here, below = height[y - 1 if y else rows - 1], height[y], height[y + 1 if y + 1 < rows else 0]
        total = np.float32(0.0)
        for x in range(1, columns - 1):
            right = side * (above[x + 1] - above[x - 1] + below[x + 1] - below[x - 1]) + middle * (
                here[x + 1] - here[x - 1]
            )
            down = side * (below[x - 1] - above[x - 1] + below[x + 1] - above[x + 1]) + middle * (below[x] - above[x])
            total += right * right + down * down
        for x in (0, columns - 1):
            a, b = (x - 1) % columns, (x + 1) % columns
            right = side * (above[b] - above[a] + below[b] - below[a]) + middle * (here[b] - here[a])
            down = side * (below[a] - above[a] + below[b] - above[b]) + middle * (below[x] - above[x])
            total += right * right + down * down
        sums[y] = total


def integrated(vectors: Pixels) -> Pixels:
    """The height field, in px, mean 0, whose slopes come nearest to those of unit normals. It wraps.

    vectors: (H, W, 3), +Y up. Uses the transfer function of the operator that slopes() applies, so that slopes and
    integrated undo each other, except for the mean and for patterns the operator cannot see.
    """
    z = np.maximum(vectors[..., 2], np.float32(0.02))
    right = fft.rfft2(-vectors[..., 0] / z, workers=-1)
    up = fft.rfft2(-vectors[..., 1] / z, workers=-1)
    rows, columns = vectors.shape[:2]
    wy = 2 * np.pi * fft.fftfreq(rows)[:, None].astype(np.float32)
    wx = 2 * np.pi * fft.rfftfreq(columns)[None, :].astype(np.float32)
    along_x = np.sin(wx) * (10 + 6 * np.cos(wy)) / 16
    along_y = -np.sin(wy) * (10 + 6 * np.cos(wx)) / 16
    power = along_x**2 + along_y**2
    seen = power > 1e-6
    spectrum = np.where(seen, -1j * (along_x * right + along_y * up) / np.where(seen, power, 1), 0)
    result: Pixels = fft.irfft2(spectrum, s=(rows, columns), workers=-1).astype(np.float32)
    return result
