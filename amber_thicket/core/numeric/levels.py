"""Levels with soft ends."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def soft_clip(values: Pixels, low: float = 0.0, high: float = 1.0, *, knee: float = 0.03) -> Pixels:
    """Values held within [low, high]; the last `knee` share at both ends is bent over instead of cut off.

    A plain clip makes flat patches at the limits; these never quite reach them.
    """
    room = np.float32(knee * (high - low))
    if room <= 0:
        return np.full_like(values, low)
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty_like(flat)
    ends = np.array([low, high], np.float32)
    over_rows(lambda first, last: _bend(flat, ends, room, out, first, last), flat.size, least=1 << 16)
    return out.reshape(values.shape)


@compiled()
def _bend(values, ends, room, out, first, last):  # type: ignore[no-untyped-def]
    floor, top = ends[0] + room, ends[1] - room
    for i in range(first, last):
        value = values[i]
        if value < floor:
            value = ends[0] + room * np.exp((value - floor) / room)
        elif value > top:
            value = ends[1] - room * np.exp((top - value) / room)
        out[i] = value
