"""How far colours lie from picked ones."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.levels import stepped
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def alike(
    lab: Pixels, picks: Sequence[Pixels], against: Sequence[Pixels], *, light: float, tolerance: float, soft: float
) -> Pixels:
    """How far each pixel belongs to the picked colours, (H, W) in [0, 1].

    lab: (H, W, 3), Oklab × 100. picks, against: linear RGB; a pixel belongs to those it is nearer to. light: how much
    lightness counts, 0..1. tolerance: distance in Oklab × 100 up to which colours are alike; soft: 0..1, how gradually
    that ends.
    """
    out = np.zeros(lab.shape[:2], np.float32)
    if not picks:
        return out
    weights = np.array([light, 1, 1], np.float32)
    sides = [
        np.array([to_oklab(colour[None, None])[0, 0] * 100 * weights for colour in side], np.float32).reshape(-1, 3)
        for side in (picks, against)
    ]
    ends = np.array([tolerance * (1 - soft), tolerance * (1 + soft) + 1e-3, 6 * soft + 0.05], np.float32)
    over_rows(partial(_alike_rows, np.ascontiguousarray(lab), *sides, weights, ends, out), len(out))
    return out


@compiled(loose=True)
def _nearest(light, a, b, colours, out):  # type: ignore[no-untyped-def]
    """Distance of each pixel of a row to the nearest of some colours."""
    for n in range(len(colours)):
        l0, a0, b0 = colours[n, 0], colours[n, 1], colours[n, 2]
        for x in range(len(out)):
            off = (light[x] - l0) ** 2 + (a[x] - a0) ** 2 + (b[x] - b0) ** 2
            out[x] = off if n == 0 else min(out[x], off)
    for x in range(len(out)):
        out[x] = np.sqrt(out[x])


@compiled(loose=True)
def _alike_rows(lab, picks, against, weights, ends, out, first, last):  # type: ignore[no-untyped-def]
    width = lab.shape[1]
    light, a, b = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    near, far = np.empty(width, np.float32), np.empty(width, np.float32)
    for y in range(first, last):
        here, to = lab[y].reshape(3 * width), out[y]
        for x in range(width):
            light[x], a[x], b[x] = here[3 * x] * weights[0], here[3 * x + 1], here[3 * x + 2]
        _nearest(light, a, b, picks, near)
        for x in range(width):
            to[x] = np.float32(1.0) - stepped(ends[0], ends[1], near[x])
        if len(against):
            _nearest(light, a, b, against, far)
            for x in range(width):
                to[x] *= stepped(-ends[2], ends[2], far[x] - near[x])
