"""Levels with soft ends, and smooth steps."""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def soft_clip(values: Pixels, low: float = 0.0, high: float = 1.0, *, knee: float = 0.03) -> Pixels:
    """Values held within [low, high]; the last `knee` share at both ends is bent over instead of cut off.

    A plain clip makes flat patches at the limits; these never quite reach them.
    values: any shape.
    """
    room = np.float32(knee * (high - low))
    if room <= 0:
        return np.full_like(values, low)
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty_like(flat)
    ends = np.array([low, high], np.float32)
    over_rows(lambda first, last: _bend(flat, ends, room, out, first, last), flat.size, least=1 << 16)
    return out.reshape(values.shape)


@compiled(loose=True, inline=True)
def _decay(t):  # type: ignore[no-untyped-def]
    """exp(t) for t ≤ 0, within 2e-5; without a branch or a call, so that a loop goes through several pixels at once."""
    u = max(t, np.float32(-16.0)) * np.float32(1 / 256)
    e = np.float32(1.0) + u * (np.float32(1.0) + u * (np.float32(0.5) + u * np.float32(1 / 6)))
    # To the 256th power.
    for _ in range(8):
        e *= e
    return e


@compiled(loose=True)
def _bend(values, ends, room, out, first, last):  # type: ignore[no-untyped-def]
    floor, top = ends[0] + room, ends[1] - room
    steep = np.float32(1.0) / room
    nothing = np.float32(0.0)
    here, to = values[first:last], out[first:last]
    for i in range(len(here)):
        value = here[i]
        below, above = min((value - floor) * steep, nothing), min((top - value) * steep, nothing)
        to[i] = min(max(value, floor), top) + room * (_decay(below) - _decay(above))


@compiled(loose=True, inline=True)
def stepped(low, high, value):  # type: ignore[no-untyped-def]
    """smooth_step() of one value; for compiled loops."""
    t = min(max((value - low) / max(high - low, np.float32(1e-9)), np.float32(0.0)), np.float32(1.0))
    return t * t * (np.float32(3.0) - np.float32(2.0) * t)


def smooth_step(low: float, high: float, values: Pixels) -> Pixels:
    """0 under low, 1 over high, smooth between them. values: any shape."""
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty_like(flat)
    over_rows(partial(_step_all, np.float32(low), np.float32(high), flat, out), flat.size, least=1 << 15)
    return out.reshape(values.shape)


@compiled(loose=True)
def _step_all(low, high, values, out, first, last):  # type: ignore[no-untyped-def]
    here, to = values[first:last], out[first:last]
    for i in range(len(here)):
        to[i] = stepped(low, high, here[i])
