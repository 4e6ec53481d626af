"""Least-visible joins: shortest paths through the overlap of two shifted copies.

Source: Efros & Freeman, "Image quilting for texture synthesis and transfer", SIGGRAPH 2001 (minimum
error boundary cut). Here one of the two paths is closed round the tile, by trying every start.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

Path = NDArray[np.int32]


def seen(strip: Pixels) -> Pixels:
    """The colours that are compared across a join, (H, W, 3), as the eye sees them. strip: linear RGB."""
    return blur(encode_srgb(strip), 0.7, wraps=False)


def features(strip: Pixels) -> Pixels:
    """What the eye compares across a join: colour and its slopes, (H, W, 9). strip: linear RGB."""
    colour = seen(strip)
    out = np.empty((*colour.shape[:2], 9), np.float32)
    over_rows(partial(_with_slopes, colour, np.float32(3**-0.5), out), len(out))
    return out


@compiled(loose=True)
def _with_slopes(colour, by, out, first, last):  # type: ignore[no-untyped-def]
    """Colours times `by`, and how they change across and down: central differences, 0 beyond the edge."""
    rows, columns = colour.shape[:2]
    half = by * np.float32(0.5)
    for y in range(first, last):
        here, above, below, to = colour[y], colour[max(y - 1, 0)], colour[min(y + 1, rows - 1)], out[y]
        for x in range(columns):
            at, up, down, told = here[x], above[x], below[x], to[x]
            left, right = here[max(x - 1, 0)], here[min(x + 1, columns - 1)]
            # Written out: a loop over three is not unrolled, and takes twice as long.
            told[0], told[1], told[2] = at[0] * by, at[1] * by, at[2] * by
            told[3] = (right[0] - left[0]) * half
            told[4] = (right[1] - left[1]) * half
            told[5] = (right[2] - left[2]) * half
            told[6] = (down[0] - up[0]) * half
            told[7] = (down[1] - up[1]) * half
            told[8] = (down[2] - up[2]) * half


def mismatch(one: Pixels, other: Pixels) -> Pixels:
    """Squared feature difference, (H, W)."""
    out = np.empty(one.shape[:2], np.float32)
    _squared(one, other, out)
    return out


@compiled(loose=True)
def _squared(one, other, out):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            total = np.float32(0.0)
            for c in range(one.shape[2]):
                off = one[y, x, c] - other[y, x, c]
                total += off * off
            out[y, x] = total


# Squared, the weights features() gives to colours and to differences of neighbours two px apart.
_COLOUR, _SLOPE = np.float32(1 / 3), np.float32(1 / 12)
# Columns beside those a path may use.
_ROOM = 2
# How many places tell what places have in common that have nothing to do with each other.
_PAIRS = 7000


@compiled(loose=True)
def _apart(colour, ya, xa, yb, xb):  # type: ignore[no-untyped-def]
    """mismatch() of the features of two places, (y, x) each, without making the features."""
    rows, columns = colour.shape[:2]
    one, other = colour[ya, xa], colour[yb, xb]
    left, right = colour[ya, max(xa - 1, 0)], colour[ya, min(xa + 1, columns - 1)]
    other_left, other_right = colour[yb, max(xb - 1, 0)], colour[yb, min(xb + 1, columns - 1)]
    above, below = colour[max(ya - 1, 0), xa], colour[min(ya + 1, rows - 1), xa]
    other_above, other_below = colour[max(yb - 1, 0), xb], colour[min(yb + 1, rows - 1), xb]
    total = np.float32(0.0)
    for c in range(3):
        off = one[c] - other[c]
        slope = (right[c] - left[c]) - (other_right[c] - other_left[c])
        fall = (below[c] - above[c]) - (other_below[c] - other_above[c])
        total += _COLOUR * off * off + _SLOPE * (slope * slope + fall * fall)
    return total


def apart_across(colour: Pixels, width: int) -> Pixels:
    """mismatch() of a sample with its copy `width` px to the right, (H, overlap). colour: as seen() gives it."""
    out = np.empty((len(colour), colour.shape[1] - width), np.float32)
    over_rows(partial(_across_rows, colour, width, out), len(out))
    return out


@compiled()
def _across_rows(colour, width, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        for x in range(out.shape[1]):
            out[y, x] = _apart(colour, y, x, y, x + width)


def apart_down(colour: Pixels, across: Path, size: tuple[int, int]) -> Pixels:
    """The same with its copy one tile below, (overlap, width), where both are joined across already: left of the path
    the copy to the right shows. size: (width, height) of the tile."""
    width, height = size
    out = np.empty((len(colour) - height, width), np.float32)
    over_rows(partial(_down_rows, colour, across, height, out), len(out), least=16)
    return out


@compiled()
def _down_rows(colour, across, height, out, first, last):  # type: ignore[no-untyped-def]
    width = out.shape[1]
    for y in range(first, last):
        for x in range(width):
            here, below = (x + width if x < across[y] else x), (x + width if x < across[y + height] else x)
            out[y, x] = _apart(colour, y, here, y + height, below)


def usually_apart(colour: Pixels) -> tuple[float, float]:
    """Mean feature difference of places that have nothing to do with each other, and the mean of its square.

    colour: (H, W, C).
    """
    count = colour.shape[0] * colour.shape[1]
    places = np.arange(0, count, max(1, count // _PAIRS))
    out = np.empty(len(places), np.float32)
    _pairs(colour, places, np.random.default_rng(0).permutation(places), out)
    return float(np.sqrt(out).mean()), float(out.mean())


@compiled()
def _pairs(colour, places, others, out):  # type: ignore[no-untyped-def]
    columns = colour.shape[1]
    for i in range(len(places)):
        one, other = places[i], others[i]
        out[i] = _apart(colour, one // columns, one % columns, other // columns, other % columns)


def _banded(cost: Pixels, wander: float) -> Pixels:
    """cost (length, width) with everything but the middle `wander` share of the width made too dear."""
    width = cost.shape[1]
    margin = max(2, width // 12)
    half = max(1.0, wander * (width / 2 - margin))
    away = np.abs(np.arange(width) - (width - 1) / 2)
    # A slight pull to the middle keeps the path off the ends where the feather has no room.
    pull = 0.02 * float(cost.mean()) * (away / (width / 2)) ** 4
    dear = np.where(away > half, np.float32(1e3) * (1 + away - half), 0)
    return np.ascontiguousarray(cost + pull[None, :] + dear[None, :], np.float32)


@compiled()
def _accumulate(cost, start, left, right, best, came):  # type: ignore[no-untyped-def]
    """Cheapest way down to each place, from one column of the first row or, below 0, any. left, right: first and last
    column of each row that may be used, which move by one column a row at most. best: (length, width + 2 · _ROOM)."""
    length = cost.shape[0]
    dear = np.float32(1e9)
    for y in range(length):
        first, count = left[y], right[y] + 1 - left[y]
        # Beside the columns in use everything is too dear, so nobody asks which columns those are.
        best[y, first : first + _ROOM] = dear
        best[y, first + _ROOM + count : first + 2 * _ROOM + count] = dear
        here, to, step = cost[y, first:], best[y, first + _ROOM :], came[y, first:]
        if y == 0:
            for x in range(count):
                to[x] = here[x] if start < 0 or first + x == start else dear
            continue
        before = best[y - 1, first + _ROOM - 1 :]
        one, above, two = before, before[1:], before[2:]
        for x in range(count):
            low = min(one[x], two[x])
            step[x] = np.int8(0) if above[x] <= low else np.int8(-1) if one[x] <= two[x] else np.int8(1)
            to[x] = min(above[x], low) + here[x]


@compiled()
def _trace(came, end, path):  # type: ignore[no-untyped-def]
    x = end
    for y in range(came.shape[0] - 1, -1, -1):
        path[y] = x
        x += came[y, x]


def _room(cost: Pixels) -> tuple[Pixels, NDArray[np.int8]]:
    """What _accumulate() works in."""
    return np.empty((cost.shape[0], cost.shape[1] + 2 * _ROOM), np.float32), np.zeros(cost.shape, np.int8)


def _all(cost: Pixels) -> tuple[Path, Path]:
    """First and last column of each row."""
    return np.zeros(len(cost), np.int32), np.full(len(cost), cost.shape[1] - 1, np.int32)


def open_path(cost: Pixels, *, wander: float) -> Path:
    """Column of the cheapest path from the first row to the last. cost: (length, width). wander: 0..1."""
    banded = _banded(cost, wander)
    best, came = _room(banded)
    _accumulate(banded, -1, *_all(banded), best, came)
    path = np.empty(cost.shape[0], np.int32)
    _trace(came, int(best[-1, _ROOM:-_ROOM].argmin()), path)
    return path


def closed_path(cost: Pixels, *, wander: float) -> Path:
    """The cheapest path whose last row joins its first (columns at most one apart). cost: (length, width).

    Two cheapest paths need not cross, so the one from a start in the middle parts the band for all others.
    """
    banded = _banded(cost, wander)
    # The first row once more, which costs nothing again.
    ring = np.vstack([banded, np.zeros_like(banded[:1])])
    best, came = _room(ring)
    everywhere = _all(ring)
    # No closed path is cheaper than the open one that ends where it does.
    _accumulate(ring, -1, *everywhere, best, came)
    through = best[-1, _ROOM:-_ROOM].copy()
    lowest, winner = np.inf, everywhere[0]
    first = int(through.argmin())
    parts = [(0, len(through) - 1, *everywhere)]
    while parts:
        low, high, left, right = parts.pop()
        if low > high or through[low : high + 1].min() >= lowest:
            continue
        # The likeliest start goes first: what it finds rules out most others.
        start = first if low <= first <= high else (low + high) // 2
        _accumulate(ring, start, left, right, best, came)
        path = np.empty(len(ring), np.int32)
        _trace(came, start, path)
        if best[-1, start + _ROOM] < lowest:
            lowest, winner = float(best[-1, start + _ROOM]), path
        parts += [(low, start - 1, left, path), (start + 1, high, path, right)]
    return winner[:-1]
