"""Arcs for compiled loops."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled


@compiled(loose=True, inline=True)
def arctan(t):  # type: ignore[no-untyped-def]
    """arctan to 1e-6 without a library call, so that whole rows are computed at once."""
    size = abs(t)
    q = min(size, np.float32(1.0)) / max(size, np.float32(1.0))
    s = q * q
    poly = np.float32(-0.01172120)
    poly = poly * s + np.float32(0.05265332)
    poly = poly * s + np.float32(-0.11643287)
    poly = poly * s + np.float32(0.19354346)
    poly = poly * s + np.float32(-0.33262347)
    poly = poly * s + np.float32(0.99997726)
    poly = poly * q
    angle = np.float32(1.5707964) - poly if size > np.float32(1.0) else poly
    return -angle if t < np.float32(0.0) else angle


@compiled(loose=True, inline=True)
def degrees_of(y, x):  # type: ignore[no-untyped-def]
    """Direction of (x, y) in degrees, 0 to 360; 0 where both are 0."""
    if abs(x) > np.float32(1e-20):
        angle = arctan(y / x)
    elif y == 0.0:
        angle = np.float32(0.0)
    else:
        angle = np.float32(1.5707964) if y > 0.0 else -np.float32(1.5707964)
    if x < -np.float32(1e-20):
        angle += np.float32(np.pi)
    angle *= np.float32(180 / np.pi)
    return angle + np.float32(360.0) if angle < 0.0 else angle
