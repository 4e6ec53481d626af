"""Arcs for compiled loops.

Source: Hastings, Approximations for Digital Computers, Princeton 1955 (six terms; sheet and coefficients from memory,
the error below is measured in test_numeric).
"""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled


@compiled(loose=True, inline=True)
def _within(q):  # type: ignore[no-untyped-def]
    """arctan for q in 0..1, within 2e-6."""
    s = q * q
    poly = np.float32(-0.01172120)
    poly = poly * s + np.float32(0.05265332)
    poly = poly * s + np.float32(-0.11643287)
    poly = poly * s + np.float32(0.19354346)
    poly = poly * s + np.float32(-0.33262347)
    poly = poly * s + np.float32(0.99997726)
    return poly * q


@compiled(loose=True, inline=True)
def arctan(t):  # type: ignore[no-untyped-def]
    """arctan within 2e-6 without a library call, so that whole rows are computed at once."""
    size = abs(t)
    poly = _within(min(size, np.float32(1.0)) / max(size, np.float32(1.0)))
    angle = np.float32(1.5707964) - poly if size > np.float32(1.0) else poly
    return -angle if t < np.float32(0.0) else angle


@compiled(loose=True, inline=True)
def degrees_of(y, x):  # type: ignore[no-untyped-def]
    """Direction of (x, y) in degrees, 0 to 360; 0 where both are 0."""
    wide, high = abs(x), abs(y)
    angle = _within(min(wide, high) / (max(wide, high) + np.float32(1e-30)))
    angle = np.float32(1.5707964) - angle if high > wide else angle
    angle = np.float32(np.pi) - angle if x < np.float32(0.0) else angle
    angle = np.float32(2 * np.pi) - angle if y < np.float32(0.0) else angle
    return angle * np.float32(180 / np.pi)
