"""How a sample is looked at before it is joined: aslant, stretched and bent a little, so that its steps become those
from tile to tile."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.enlarging import grid_columns, grid_line
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

_ROWS = 256


@dataclass(frozen=True)
class Framing:
    """matrix: (2, 3), point of the sample = matrix · (x, y, 1), all in tile widths. size: (width, height) of what is
    looked at, in tiles. shifts: (h, w, 2) in tile widths over all of that, where each place looks besides; None where
    nothing is bent."""

    matrix: NDArray[np.float64]
    size: tuple[float, float]
    shifts: Pixels | None = None

    @property
    def nbytes(self) -> int:
        return 0 if self.shifts is None else int(self.shifts.nbytes)

    @property
    def scale(self) -> float:
        """Tile widths of the sample to one of the tile."""
        return float(np.sqrt(abs(np.linalg.det(self.matrix[:, :2]))))

    def extent(self, tile: tuple[int, int]) -> tuple[int, int]:
        """(width, height) in px of what is looked at, for a tile of so many."""
        return int(self.size[0] * tile[0] + 1e-6), int(self.size[1] * tile[1] + 1e-6)

    def places(self, tile: tuple[int, int], first: int, last: int) -> tuple[Pixels, Pixels]:
        """Sample px (x, y) that rows first to last look at, (last − first, width) each."""
        width, height = self.extent(tile)
        x, y = (np.empty((last - first, width), np.float32) for _ in range(2))
        shifts = np.zeros((1, 1, 2), np.float32) if self.shifts is None else self.shifts
        _tell_places(shifts, self.matrix.astype(np.float32), np.float32(tile[0]), first, height, x, y)
        return x, y


@compiled()
def _tell_places(shifts, matrix, unit, top, height, x, y):  # type: ignore[no-untyped-def]
    """Sample px (x, y) that rows from top on look at, of so many in all. shifts: tile widths they are moved besides,
    on a grid over all of them; unit: px of one."""
    width, columns, half = x.shape[1], shifts.shape[1], np.float32(0.5)
    near, beside, part = np.empty(width, np.uint32), np.empty(width, np.uint32), np.empty(width, np.float32)
    grid_columns(columns, False, near, beside, part)
    line, moved = np.empty(2 * columns, np.float32), np.empty(2 * width, np.float32)
    for row in range(x.shape[0]):
        grid_line(shifts, top + row, height, near, beside, part, line, moved)
        down_here = (np.float32(top + row) + half) / unit
        to_x, to_y = x[row], y[row]
        for column in range(width):
            across = (np.float32(column) + half) / unit + moved[2 * column]
            down = down_here + moved[2 * column + 1]
            to_x[column] = (matrix[0, 0] * across + matrix[0, 1] * down + matrix[0, 2]) * unit - half
            to_y[column] = (matrix[1, 0] * across + matrix[1, 1] * down + matrix[1, 2]) * unit - half


def framed(layer: Pixels, framing: Framing, tile: tuple[int, int], *, vectors: bool = False) -> Pixels:
    """A layer of the sample as the framing looks at it, (H, W[, C]). tile: (width, height) in the layer's px. vectors:
    unit normals (Y+) of the surface, which turn and lean with it."""
    width, height = framing.extent(tile)
    source = np.ascontiguousarray(layer)
    out = np.empty((height, width, *layer.shape[2:]), np.float32)

    def look_up(top: int, bottom: int) -> None:
        for first in range(top, bottom, _ROWS):
            last = min(first + _ROWS, bottom)
            # One row more on either side, for how the places change down.
            x, y = framing.places(tile, first - 1, last + 1)
            part = cv2.remap(source, x[1:-1], y[1:-1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
            out[first:last] = part.reshape(out[first:last].shape)
            if vectors:
                _turn(out[first:last], x, y, framing.scale)

    over_rows(look_up, height, least=_ROWS)
    return out


def _turn(normals: Pixels, x: Pixels, y: Pixels, scale: float) -> None:
    """Normals of a surface that is looked up at x, y (with a row more above and below), in place: a height z(p(q)) has
    the slopes Jᵀ ∇z. All of one size: the scale is not a slope."""
    by = np.float32(1 / scale)
    across_x, across_y = (np.gradient(field[1:-1], axis=1) * by for field in (x, y))
    down_x, down_y = ((field[2:] - field[:-2]) * (by / 2) for field in (x, y))
    east, north = normals[..., 0].copy(), normals[..., 1].copy()
    normals[..., 0] = across_x * east - across_y * north
    normals[..., 1] = down_y * north - down_x * east
