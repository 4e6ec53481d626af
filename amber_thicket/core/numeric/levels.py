"""Levels with soft ends."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.raster import Pixels


def soft_clip(values: Pixels, low: float = 0.0, high: float = 1.0, *, knee: float = 0.03) -> Pixels:
    """Values held within [low, high]; the last `knee` share at both ends is bent over instead of cut off.

    A plain clip makes flat patches at the limits; these never quite reach them.
    """
    room = np.float32(knee * (high - low))
    if room <= 0:
        return np.full_like(values, low)
    floor, top = np.float32(low) + room, np.float32(high) - room
    under = low + room * np.exp(np.minimum(values - floor, 0) / room)
    over = high - room * np.exp(np.minimum(top - values, 0) / room)
    return np.where(values < floor, under, np.where(values > top, over, values)).astype(np.float32)
