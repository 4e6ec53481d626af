"""Cheapest paths that may run back, and what lies on either side of them.

A join between courses needs long runs sideways, and now and then a step back: what goes strictly down a row at a time,
as a cut in noise may, cannot follow it. Rows are told from their neighbours, downwards and upwards in turn, until none
gets cheaper (Bellman, Quarterly of Applied Mathematics 16, 1958): paths that mostly go down are found in a few rounds.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

Side = NDArray[np.bool_]
# Where a closed path is tried to begin, in shares of its length.
_BEGINNINGS = (0.25, 0.5, 0.75)


def open_side(down: Pixels, across: Pixels) -> tuple[Side, float]:
    """Left side of the cheapest path from the first row to the last, the path with it, (H, W), and the path's mean
    price. down, across: (H, W), price of coming to a pixel from above or below, from left or right."""
    path, price = cheapest_path(down, across, -1, -1)
    return _left_of(path, down.shape, closed=False), price / len(path)


def closed_side(down: Pixels, across: Pixels) -> tuple[Side, float]:
    """The same for a path whose last row goes on in its first."""
    length = len(down)
    # Where the cheapest path over two rounds passes is where a closed one may well begin.
    through, _ = cheapest_path(np.vstack([down, down]), np.vstack([across, across]), -1, -1)
    best: tuple[float, NDArray[np.int32], int] | None = None
    for share in _BEGINNINGS:
        row = int((0.5 + share) * length)
        column = int(through[through[:, 0] == row][0, 1])
        ring = [np.vstack([part[row % length :], part[: row % length + 1]]) for part in (down, across)]
        path, price = cheapest_path(ring[0], ring[1], column, column)
        if best is None or price < best[0]:
            best = price, path, row
    assert best is not None
    price, path, row = best
    placed = np.column_stack([(path[:, 0] + row) % length, path[:, 1]])
    return _left_of(placed, down.shape, closed=True), price / len(path)


def cheapest_path(down: Pixels, across: Pixels, start: int, end: int) -> tuple[NDArray[np.int32], float]:
    """Pixels (y, x) of the cheapest way from the first row to the last, and its price. start, end: their columns there;
    any where below 0."""
    cost = np.full(down.shape, np.inf, np.float32)
    came = np.full(down.shape, -1, np.int8)
    _tell_rows(down, across, start, cost, came)
    last = int(cost[-1].argmin()) if end < 0 else end
    steps = np.empty((down.size, 2), np.int32)
    count = _traced(came, last, steps)
    return steps[:count][::-1].copy(), float(cost[-1, last])


@compiled()
def _tell_rows(down, across, start, cost, came):  # type: ignore[no-untyped-def]
    """Cost of the cheapest way to each pixel from the first row, and the way the last step of it goes: 0 down, 1 up, 2
    right, 3 left."""
    height, width = down.shape
    for x in range(width):
        if start < 0 or x == start:
            cost[0, x] = down[0, x]
    _tell_along(cost[0], came[0], across[0])
    # Rows that became cheaper since the row below, or above, was told from them.
    below, above = np.zeros(height, np.bool_), np.zeros(height, np.bool_)
    below[0] = True
    is_cheaper = True
    while is_cheaper:
        is_cheaper = False
        for y in range(1, height):
            if below[y - 1] and _tell_from(cost[y - 1], cost[y], came[y], down[y], 0):
                _tell_along(cost[y], came[y], across[y])
                below[y] = above[y] = is_cheaper = True
            below[y - 1] = False
        if is_cheaper:
            is_cheaper = False
            for y in range(height - 2, -1, -1):
                if above[y + 1] and _tell_from(cost[y + 1], cost[y], came[y], down[y], 1):
                    _tell_along(cost[y], came[y], across[y])
                    below[y] = above[y] = is_cheaper = True
                above[y + 1] = False


@compiled(inline=True)
def _tell_from(other, line, came, price, way):  # type: ignore[no-untyped-def]
    """A row from the one beside it; whether anything got cheaper."""
    is_cheaper = False
    for x in range(len(line)):
        new = other[x] + price[x]
        if new < line[x]:
            line[x], came[x], is_cheaper = new, way, True
    return is_cheaper


@compiled(inline=True)
def _tell_along(line, came, price):  # type: ignore[no-untyped-def]
    """A row from itself, to the right and to the left."""
    for x in range(1, len(line)):
        new = line[x - 1] + price[x]
        if new < line[x]:
            line[x], came[x] = new, 2
    for x in range(len(line) - 2, -1, -1):
        new = line[x + 1] + price[x]
        if new < line[x]:
            line[x], came[x] = new, 3


@compiled()
def _traced(came, last, steps):  # type: ignore[no-untyped-def]
    """The way back from the last row; how many pixels it has."""
    y, x, count = came.shape[0] - 1, last, 0
    while True:
        steps[count, 0], steps[count, 1] = y, x
        count += 1
        way = came[y, x]
        if way < 0:
            return count
        y, x = y - (way == 0) + (way == 1), x - (way == 2) + (way == 3)


def _left_of(path: NDArray[np.int32], shape: tuple[int, ...], *, closed: bool) -> Side:
    """Pixels left of a path, and on it."""
    free = np.ones(shape, np.uint8)
    free[path[:, 0], path[:, 1]] = 0
    rounds = 3 if closed else 1
    _, marks = cv2.connectedComponents(np.tile(free, (rounds, 1)), connectivity=4)
    middle = marks[shape[0] :][: shape[0]] if closed else marks
    return np.asarray((middle == middle[0, 0]) | (free == 0))
