"""Rows of a layer out of a coarser grid of it, as linear enlarging has them, without all of it being there."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled


@compiled()
def grid_columns(columns, wraps, first, second, part):  # type: ignore[no-untyped-def]
    """Between which columns of a coarser grid each column of a layer lies. Past its ends the grid wraps, or goes on as
    it ends."""
    width = len(part)
    scale = np.float64(columns) / np.float64(width)
    for x in range(width):
        at = (x + 0.5) * scale - 0.5
        if not wraps:
            at = min(max(at, 0.0), columns - 1.0)
        x0 = int(np.floor(at))
        part[x] = at - x0
        first[x] = x0 % columns
        second[x] = (x0 + 1) % columns if wraps else min(x0 + 1, columns - 1)


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
    # Channel by channel: with these innermost it takes half as long again.
    for c in range(channels):
        for x in range(len(part)):
            one, other = line[channels * first[x] + c], line[channels * second[x] + c]
            out[channels * x + c] = one + (other - one) * part[x]
