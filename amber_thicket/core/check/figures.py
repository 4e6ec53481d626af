"""Figures about tiling: seam, hidden seam, drift."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.raster import Pixels
from amber_thicket.core.roles import ROLES

SCALES = (1, 2, 4, 8)
PASS, BLOCKED = 4.0, 8.0
_OWN_LINES = 4.0
_SMALL = 96


class Seam(NamedTuple):
    """border: z of the edge. inner: worst z of any other line, at `at` (0..1 along the axis)."""

    border: float
    inner: float
    at: float

    @property
    def passes(self) -> bool:
        """Below the limit, or no worse than the surface's own lines."""
        return self.border < PASS or (self.inner > _OWN_LINES and self.border <= self.inner)

    @property
    def level(self) -> str:
        if self.passes:
            return "pass"
        return "blocked" if self.border > BLOCKED else "attention"


def coded(pixels: Pixels, role: str) -> Pixels:
    """The values the eye compares: colours as sRGB codes, the rest as they are; always (H, W, C)."""
    values = encode_srgb(pixels) if ROLES[role].encoding == "srgb" else pixels
    return values[..., None] if values.ndim == 2 else values


def roughness_of_lines(values: Pixels) -> Pixels:
    """e(x): mean over the rows of |step(x) − ½(step(x−1) + step(x+1))| for each wrapped column step."""
    step = values - np.roll(values, 1, axis=1)
    bend = step - 0.5 * (np.roll(step, 1, axis=1) + np.roll(step, -1, axis=1))
    return np.abs(bend).mean(axis=(0, 2))


def _z(e: Pixels) -> Pixels:
    middle = float(np.median(e))
    mad = float(np.median(np.abs(e - middle)))
    return (e - middle) / (1.4826 * mad + 0.02 * middle + 1e-9)


def seam(values: Pixels, *, axis: int) -> Seam:
    """The seam figure of one axis (0: left against right, 1: top against bottom), worst over the scales.

    values: (H, W, C). QUALITY: pass under 4, blocked over 8. Border and its two neighbours are left out of `inner`.
    """
    lines = values if axis == 0 else np.swapaxes(values, 0, 1)
    border, inner, at = -np.inf, -np.inf, 0.0
    for scale in SCALES:
        scaled = shrink(np.ascontiguousarray(lines), scale) if scale > 1 else lines
        scaled = scaled[..., None] if scaled.ndim == 2 else scaled
        if min(scaled.shape[:2]) < 16:
            break
        z = _z(roughness_of_lines(scaled))
        border = max(border, float(z[0]))
        within = z[2:-1]
        if within.max() > inner:
            inner, at = float(within.max()), float((within.argmax() + 2) / z.size)
    return Seam(round(border, 2), round(inner, 2), round(at, 4))


def own_worst(values: Pixels, *, axis: int) -> float:
    """The worst inner z of a picture that need not tile: what its own lines amount to."""
    return seam(values, axis=axis).inner


def drift(values: Pixels) -> float:
    """Spread (standard deviation) of local means, σ = 1/8 of the width, over the wrapped tile."""
    # Nothing finer than the smoothing matters: a small copy tells it at once, whatever the size.
    small = shrink(np.ascontiguousarray(values), max(1, min(values.shape[:2]) // _SMALL))
    soft = blur(small, small.shape[1] / 8, wraps=True)
    return float(soft.reshape(-1, soft.shape[-1] if soft.ndim == 3 else 1).std(axis=0).mean())
