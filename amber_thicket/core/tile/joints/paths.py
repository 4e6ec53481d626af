"""Cheapest paths that may run back, and what lies on either side of them.

A join between courses needs long runs sideways, and now and then a step back: what goes strictly down a row at a time,
as a cut in noise may, cannot follow it. Source: Dijkstra, Numerische Mathematik 1, 1959.
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
    last = _spread(down, across, start, end, cost, came)
    steps = np.empty((down.size, 2), np.int32)
    count = _traced(came, last, steps)
    return steps[:count][::-1].copy(), float(cost[-1, last])


@compiled()
def _spread(down, across, start, end, cost, came):  # type: ignore[no-untyped-def]
    """Cost of the cheapest way to each pixel from the first row; the column it ends at in the last one."""
    height, width = down.shape
    room = 4 * height * width + width
    keys, nodes = np.empty(room, np.float32), np.empty(room, np.int32)
    count = 0
    for x in range(width):
        if start < 0 or x == start:
            cost[0, x] = down[0, x]
            count = _push(keys, nodes, count, down[0, x], x)
    while count:
        key, node = keys[0], nodes[0]
        count = _pop(keys, nodes, count)
        y, x = node // width, node % width
        if key > cost[y, x]:
            continue
        if y == height - 1 and (end < 0 or x == end):
            return x
        for way in range(4):
            ny, nx = y + (way == 0) - (way == 1), x + (way == 2) - (way == 3)
            if ny < 0 or ny >= height or nx < 0 or nx >= width:
                continue
            new = key + (down[ny, nx] if way < 2 else across[ny, nx])
            if new < cost[ny, nx]:
                cost[ny, nx] = new
                came[ny, nx] = way
                count = _push(keys, nodes, count, new, ny * width + nx)
    return 0


@compiled(inline=True)
def _push(keys, nodes, count, key, node):  # type: ignore[no-untyped-def]
    at = count
    while at > 0:
        above = (at - 1) // 2
        if keys[above] <= key:
            break
        keys[at], nodes[at] = keys[above], nodes[above]
        at = above
    keys[at], nodes[at] = key, node
    return count + 1


@compiled(inline=True)
def _pop(keys, nodes, count):  # type: ignore[no-untyped-def]
    count -= 1
    key, node = keys[count], nodes[count]
    at = 0
    while True:
        below = 2 * at + 1
        if below >= count:
            break
        if below + 1 < count and keys[below + 1] < keys[below]:
            below += 1
        if keys[below] >= key:
            break
        keys[at], nodes[at] = keys[below], nodes[below]
        at = below
    keys[at], nodes[at] = key, node
    return count


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
