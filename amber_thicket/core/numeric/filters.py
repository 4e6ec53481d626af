"""Gaussian smoothing that either wraps around or mirrors at the edges, at any width, in near constant time.

Wide kernels run on a shrunken grid whose own blur is subtracted from the wanted variance.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from amber_thicket.core.raster import Pixels

_WORK_SIGMA = 3.0
_FAST_SIGMA = 1.4
# Share of a smoothed weight at which a value counts half.
_SURE = 0.02


def pad(pixels: Pixels, margin: int, *, wraps: bool) -> Pixels:
    """Margin pixels added on every side: wrapped round, or mirrored."""
    height, width = pixels.shape[:2]
    if margin <= min(height, width):
        kind = cv2.BORDER_WRAP if wraps else cv2.BORDER_REFLECT
        return cv2.copyMakeBorder(pixels, margin, margin, margin, margin, kind)
    widths = [(margin, margin), (margin, margin)] + [(0, 0)] * (pixels.ndim - 2)
    return np.pad(pixels, widths, mode="wrap" if wraps else "symmetric")


def _shrink_factor(sigma: float, height: int, width: int, wraps: bool, least: float) -> int:
    factor = 1
    while sigma / (2 * factor) >= least and min(height, width) // (2 * factor) >= 4:
        if wraps and (height % (2 * factor) or width % (2 * factor)):
            break
        factor *= 2
    return factor


def _direct(pixels: Pixels, sigma: float, wraps: bool) -> Pixels:
    if sigma < 0.05:
        return pixels.copy()
    margin = max(1, int(np.ceil(3.5 * sigma)))
    size = 2 * margin + 1
    if not wraps and margin <= min(pixels.shape[:2]):
        return cv2.GaussianBlur(pixels, (size, size), sigma, borderType=cv2.BORDER_REFLECT)
    padded = pad(pixels, margin, wraps=wraps)
    soft = cv2.GaussianBlur(padded, (size, size), sigma, borderType=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(soft[margin:-margin, margin:-margin])


def blur(pixels: Pixels, sigma: float, *, wraps: bool, fast: bool = False) -> Pixels:
    """Gaussian smoothing of (H, W) or (H, W, C) float32 with standard deviation sigma in pixels.

    fast: work on a coarser grid, where any smooth low-pass will do (errors of 2 % of the spread).
    """
    height, width = pixels.shape[:2]
    factor = _shrink_factor(sigma, height, width, wraps, _FAST_SIGMA if fast else _WORK_SIGMA)
    if factor == 1:
        return _direct(pixels, sigma, wraps)
    small = shrink(pixels, factor)
    # Area averaging and linear enlarging blur by about f²/12 and f²/6 on their own.
    rest = max(sigma * sigma - factor * factor / 4.0, 0.01) ** 0.5 / factor
    return enlarge(_direct(small, rest, wraps), height, width, wraps=wraps)


def shrink(pixels: Pixels, factor: int) -> Pixels:
    """Area average over factor × factor pixels (sizes rounded up)."""
    if factor == 1:
        return pixels
    height, width = pixels.shape[:2]
    size = (max(1, -(-width // factor)), max(1, -(-height // factor)))
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)


def enlarge(pixels: Pixels, height: int, width: int, *, wraps: bool, cubic: bool = False) -> Pixels:
    """Smooth enlarging to (height, width); with wraps the edges still meet (needs whole factors)."""
    mode = cv2.INTER_CUBIC if cubic else cv2.INTER_LINEAR
    small_height, small_width = pixels.shape[:2]
    if not wraps or height % small_height or width % small_width:
        return cv2.resize(pixels, (width, height), interpolation=mode)
    fy, fx, margin = height // small_height, width // small_width, 2
    padded = pad(pixels, margin, wraps=True)
    size = (width + 2 * margin * fx, height + 2 * margin * fy)
    large = cv2.resize(padded, size, interpolation=mode)
    return np.ascontiguousarray(large[margin * fy : margin * fy + height, margin * fx : margin * fx + width])


def guided(guide: Pixels, sigma: float, eps: float, *, wraps: bool) -> tuple[Pixels, Pixels]:
    """Coefficients (a, b) of the edge-keeping smoothing a·guide + b of a picture by itself.

    sigma: window in pixels. eps: variance below which the result is flat. Source: He, Sun & Tang,
    "Guided image filtering", IEEE TPAMI 35(6), 2013, with Gaussian windows.
    """
    mean = blur(guide, sigma, wraps=wraps)
    variance = np.maximum(blur(guide * guide, sigma, wraps=wraps) - mean * mean, 0)
    a = variance / (variance + np.float32(eps))
    b = mean * (1 - a)
    return blur(a, sigma, wraps=wraps), blur(b, sigma, wraps=wraps)


def carried_in(values: Pixels, weight: Pixels, sigmas: Sequence[float]) -> Pixels:
    """Values carried smoothly into places without weight, from those that have one: smoothed from coarse to fine.

    values: (H, W[, C]). weight: (H, W), 0 where nothing is known. sigmas: widths in px, falling. Source: Knutsson &
    Westin, "Normalized and differential convolution", CVPR 1993.
    """
    flat = values if values.ndim == 3 else values[..., None]
    known = np.ascontiguousarray(flat * weight[..., None], np.float32)
    found = np.ones_like(flat) * (known.sum(axis=(0, 1)) / (float(weight.sum()) + 1e-6))
    for sigma in sigmas:
        power = blur(weight, sigma, wraps=False)[..., None]
        near = blur(known, sigma, wraps=False).reshape(flat.shape)
        sure = power / (power + np.float32(_SURE))
        found = sure * near / np.maximum(power, 1e-6) + (1 - sure) * found
    return np.ascontiguousarray(found.reshape(values.shape), np.float32)
