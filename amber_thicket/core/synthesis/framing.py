"""How a sample is looked at before it is joined: aslant, stretched and bent a little, so that its steps become those
from tile to tile."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
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
        x = np.broadcast_to((np.arange(width, dtype=np.float32) + 0.5) / tile[0], (last - first, width))
        y = np.broadcast_to((np.arange(first, last, dtype=np.float32)[:, None] + 0.5) / tile[0], x.shape)
        if self.shifts is not None:
            rows, columns = self.shifts.shape[:2]
            # Where the grid of the shifts has each of these pixels.
            at_x = (np.arange(width, dtype=np.float32) + 0.5) * np.float32(columns / width) - 0.5
            at_y = (np.arange(first, last, dtype=np.float32)[:, None] + 0.5) * np.float32(rows / height) - 0.5
            grid = np.broadcast_to(at_x, x.shape), np.broadcast_to(at_y, x.shape)
            moved = cv2.remap(
                self.shifts,
                np.ascontiguousarray(grid[0]),
                np.ascontiguousarray(grid[1]),
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )
            x, y = x + moved[..., 0], y + moved[..., 1]
        m = self.matrix.astype(np.float32)
        unit = np.float32(tile[0])
        return (
            (m[0, 0] * x + m[0, 1] * y + m[0, 2]) * unit - np.float32(0.5),
            (m[1, 0] * x + m[1, 1] * y + m[1, 2]) * unit - np.float32(0.5),
        )


def framed(layer: Pixels, framing: Framing, tile: tuple[int, int], *, vectors: bool = False) -> Pixels:
    """A layer of the sample as the framing looks at it, (H, W[, C]). tile: (width, height) in the layer's px. vectors:
    unit normals (Y+) of the surface, which turn and lean with it."""
    width, height = framing.extent(tile)
    source = np.ascontiguousarray(layer)
    out = np.empty((height, width, *layer.shape[2:]), np.float32)
    for first in range(0, height, _ROWS):
        last = min(first + _ROWS, height)
        # One row more on either side, for how the places change down.
        x, y = framing.places(tile, first - 1, last + 1)
        part = cv2.remap(source, x[1:-1], y[1:-1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        out[first:last] = part.reshape(out[first:last].shape)
        if vectors:
            _turn(out[first:last], x, y, framing.scale)
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
