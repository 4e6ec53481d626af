"""Rows of a layer out of a coarser grid of it, as linear enlarging has them, without all of it being there."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled


@compiled()
def grid_columns(columns, width, first, second, part):  # type: ignore[no-untyped-def]
    """Between which columns of a coarser grid each column of a layer lies; at its ends the grid goes on as it ends."""
    scale = np.float64(columns) / np.float64(width)
    for x in range(width):
        at = min(max((x + 0.5) * scale - 0.5, 0.0), columns - 1.0)
        first[x] = int(at)
        second[x] = min(first[x] + 1, columns - 1)
        part[x] = at - first[x]


@compiled(loose=True)
def grid_line(grid, y, height, first, second, part, line, out):  # type: ignore[no-untyped-def]
    """Part of row y of a layer, of so many rows, from its coarser grid. first, second, part: as grid_columns() gives
    them, of the columns wanted. line: a row of the grid to work in; out: values of the pixels, one after the other."""
    rows, columns, channels = grid.shape
    at = min(max((y + 0.5) * (rows / height) - 0.5, 0.0), rows - 1.0)
    y0 = int(at)
    down = np.float32(at - y0)
    begin, end = first[0] * channels, (second[len(part) - 1] + 1) * channels
    upper, lower = grid[y0].reshape(columns * channels), grid[min(y0 + 1, rows - 1)].reshape(columns * channels)
    for i in range(begin, end):
        line[i] = upper[i] + (lower[i] - upper[i]) * down
    if channels == 1:
        for x in range(len(part)):
            near = line[first[x]]
            out[x] = near + (line[second[x]] - near) * part[x]
        return
    if channels == 2:
        for x in range(len(part)):
            one, other, t = 2 * first[x], 2 * second[x], part[x]
            out[2 * x] = line[one] + (line[other] - line[one]) * t
            out[2 * x + 1] = line[one + 1] + (line[other + 1] - line[one + 1]) * t
        return
    if channels == 3:
        for x in range(len(part)):
            one, other, t = 3 * first[x], 3 * second[x], part[x]
            out[3 * x] = line[one] + (line[other] - line[one]) * t
            out[3 * x + 1] = line[one + 1] + (line[other + 1] - line[one + 1]) * t
            out[3 * x + 2] = line[one + 2] + (line[other + 2] - line[one + 2]) * t
        return
    for x in range(len(part)):
        for c in range(channels):
            one, other = line[channels * first[x] + c], line[channels * second[x] + c]
            out[channels * x + c] = one + (other - one) * part[x]
