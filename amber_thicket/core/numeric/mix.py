"""One picture led over to another by a mask."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def mix(one: Pixels, other: Any, share: Pixels) -> Pixels:
    """one + share · (other − one), in one pass.

    one: (H, W) or (H, W, 3) float32. other: the same, or a value or colour for all of it. share: (H, W).
    """
    height, width = one.shape[:2]
    lines = np.ascontiguousarray(one, np.float32).reshape(height, -1)
    # A value for all of it is one row, which serves every other.
    wanted = np.asarray(other, np.float32)
    wanted = wanted if wanted.shape[:2] == (height, width) else np.broadcast_to(wanted, (1, *one.shape[1:]))
    wanted = np.ascontiguousarray(wanted).reshape(len(wanted), -1)
    out = np.empty_like(lines)
    mask = np.ascontiguousarray(share, np.float32)
    over_rows(partial(_mix_rows, lines, wanted, mask, out), height)
    return out.reshape(one.shape)


@compiled(loose=True)
def _mix_rows(one, other, share, out, first, last):  # type: ignore[no-untyped-def]
    width = share.shape[1]
    for y in range(first, last):
        here, there, by, to = one[y], other[y if len(other) > 1 else 0], share[y], out[y]
        if len(here) == width:
            for x in range(width):
                to[x] = here[x] + by[x] * (there[x] - here[x])
            continue
        for x in range(width):
            s = by[x]
            to[3 * x] = here[3 * x] + s * (there[3 * x] - here[3 * x])
            to[3 * x + 1] = here[3 * x + 1] + s * (there[3 * x + 1] - here[3 * x + 1])
            to[3 * x + 2] = here[3 * x + 2] + s * (there[3 * x + 2] - here[3 * x + 2])


def tint(one: Pixels, shade: Pixels, colour: Pixels, share: Pixels) -> Pixels:
    """one + share · (shade · colour − one), in one pass. one: (H, W, 3) float32; shade, share: (H, W); colour: (3,)."""
    lines = np.ascontiguousarray(one, np.float32).reshape(len(one), -1)
    out = np.empty_like(lines)
    layers = (np.ascontiguousarray(layer, np.float32) for layer in (shade, share))
    over_rows(partial(_tint_rows, lines, *layers, np.asarray(colour, np.float32), out), len(out))
    return out.reshape(one.shape)


@compiled(loose=True)
def _tint_rows(one, shade, share, colour, out, first, last):  # type: ignore[no-untyped-def]
    red, green, blue = colour[0], colour[1], colour[2]
    for y in range(first, last):
        here, tone, by, to = one[y], shade[y], share[y], out[y]
        for x in range(len(tone)):
            s, t = by[x], tone[x]
            to[3 * x] = here[3 * x] + s * (t * red - here[3 * x])
            to[3 * x + 1] = here[3 * x + 1] + s * (t * green - here[3 * x + 1])
            to[3 * x + 2] = here[3 * x + 2] + s * (t * blue - here[3 * x + 2])
