"""A tile put together from pieces of the sample: any number, each moved, turned, sized or mirrored.

Decided at plan size as labels and one placement a piece; rendered for every layer at any size, in three bands of
detail whose joins are feathered differently. Whole-tile copies have a quicker plan of their own (plan.py).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.framing import Framing
from amber_thicket.core.synthesis.tile_plan import FEATHER, split_bands

_REACH = 3.2


@dataclass(frozen=True)
class Placement:
    """Where a piece comes from: sample pixel = matrix · (x, y, 1) for output pixel (x, y), at plan size.

    window: (left, top, width, height) of output pixels it may show in; it may lie over the tile's edges.
    """

    matrix: NDArray[np.float64]
    window: tuple[int, int, int, int]

    @property
    def moved_only(self) -> bool:
        return bool(np.array_equal(self.matrix[:, :2], np.eye(2)))


def moved(dx: float, dy: float, window: tuple[int, int, int, int]) -> Placement:
    """A piece taken from (dx, dy) further on."""
    return Placement(np.array([[1.0, 0.0, dx], [0.0, 1.0, dy]]), window)


def located(
    placements: Sequence[Placement], number: NDArray[Any], x: NDArray[Any], y: NDArray[Any], shape: tuple[int, ...]
) -> NDArray[np.float64]:
    """Sample coordinates (x, y) that pieces show at output pixels, (..., 2). number, x, y: of one shape; the piece, and
    the pixel in a tile of that shape. A pixel is counted on from the corner of its piece's window."""
    corners = np.array([placement.window[:2] for placement in placements], np.float64).reshape(-1, 2)
    matrices = np.array([placement.matrix for placement in placements], np.float64).reshape(-1, 2, 3)
    out = np.empty((*number.shape, 2), np.float64)
    flat = [np.ascontiguousarray(part).ravel() for part in (number, x, y)]
    extent = float(shape[1]), float(shape[0])
    over_rows(partial(_locate, corners, matrices, *flat, extent, out.reshape(-1, 2)), number.size, least=1 << 14)
    return out


@compiled()
def _locate(corners, matrices, number, x, y, extent, out, first, last):  # type: ignore[no-untyped-def]
    wide, high = extent
    for i in range(first, last):
        # As NumPy counts: -1 is the last.
        k = number[i] if number[i] >= 0 else number[i] + len(matrices)
        left, top = corners[k, 0], corners[k, 1]
        u, v = x[i] - left, y[i] - top
        if u < 0 or u >= wide:
            u -= np.floor(u / wide) * wide
        if v < 0 or v >= high:
            v -= np.floor(v / high) * high
        u, v = u + left, v + top
        out[i, 0] = matrices[k, 0, 0] * u + matrices[k, 0, 1] * v + matrices[k, 0, 2]
        out[i, 1] = matrices[k, 1, 0] * u + matrices[k, 1, 1] * v + matrices[k, 1, 2]


@dataclass(frozen=True)
class Mosaic:
    """labels: (H, W) int32, the piece shown at each output pixel of plan size. shares: one (left, top, masks) a piece,
    masks (3, h, w) float32: its share of the coarse, middle and fine band; over all pieces they sum to 1.
    shifts, evidence, framing: as in plan.TilePlan."""

    labels: NDArray[np.int32]
    placements: tuple[Placement, ...]
    shares: tuple[tuple[int, int, Pixels], ...]
    shifts: Pixels | None = None
    evidence: dict[str, Any] = field(default_factory=dict)
    framing: Framing | None = None

    @property
    def nbytes(self) -> int:
        bent = self.framing.nbytes if self.framing else 0
        return int(self.labels.nbytes + bent + sum(masks.nbytes for _, _, masks in self.shares))


def mosaic(
    labels: NDArray[np.int32],
    placements: Sequence[Placement],
    feather: float,
    evidence: dict[str, Any],
    shifts: Pixels | None = None,
    framing: Framing | None = None,
) -> Mosaic:
    """The plan of labels. feather: of coarse structure, in % of the tile. Pieces nobody sees are dropped.

    labels: (H, W), which placement shows.
    """
    height, width = labels.shape
    soft = [feather / 100 * width, feather / 100 * width * FEATHER[1] / FEATHER[0], FEATHER[2] * width]
    shown = [number for number in range(len(placements)) if np.any(labels == number)]
    renamed = np.zeros(len(placements), np.int32)
    renamed[shown] = np.arange(len(shown))
    labels = renamed[labels]
    kept = [placements[number] for number in shown]
    shares = [_shares(labels, number, placement.window, soft) for number, placement in enumerate(kept)]
    return Mosaic(labels, tuple(kept), _summed_to_one(shares, labels.shape), shifts, evidence, framing)


def _summed_to_one(
    shares: list[tuple[int, int, Pixels]], shape: tuple[int, ...]
) -> tuple[tuple[int, int, Pixels], ...]:
    """Shares scaled so that they sum to 1 even where a window had no room for all of a soft edge."""
    total = np.zeros((3, *shape), np.float32)
    places = [
        (np.arange(top, top + masks.shape[1])[:, None] % shape[0], np.arange(left, left + masks.shape[2]) % shape[1])
        for left, top, masks in shares
    ]
    for (_, _, masks), (y, x) in zip(shares, places, strict=True):
        total[:, y, x] += masks
    total = np.maximum(total, 1e-3)
    return tuple((left, top, masks / total[:, y, x]) for (left, top, masks), (y, x) in zip(shares, places, strict=True))


def _shares(
    labels: NDArray[np.int32], number: int, window: tuple[int, int, int, int], soft: Sequence[float]
) -> tuple[int, int, Pixels]:
    """One piece's soft masks around the place it shows in."""
    height, width = labels.shape
    left, top, right, bottom = _tight(labels, number, window)
    reach = int(np.ceil(_REACH * soft[0])) + 1
    across, down = min(reach, max(0, (width - (right - left)) // 2)), min(reach, max(0, (height - (bottom - top)) // 2))
    # Smoothed with room to spare; a piece all the way round goes on over its own edge.
    x = np.arange(left - reach, right + reach)
    y = np.arange(top - reach, bottom + reach)
    across_in = ((x >= left) & (x < right)) | (right - left == width)
    down_in = ((y >= top) & (y < bottom)) | (bottom - top == height)
    mask = ((labels[np.ix_(y % height, x % width)] == number) & across_in[None] & down_in[:, None]).astype(np.float32)
    rows, columns = slice(reach - down, len(y) - reach + down), slice(reach - across, len(x) - reach + across)
    masks = [np.ascontiguousarray(blur(mask, max(sigma, 0.3), wraps=False)[rows, columns]) for sigma in soft]
    return left - across, top - down, np.stack(masks)


def _tight(labels: NDArray[np.int32], number: int, window: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
    """The part of a window in which a label shows: left, top, right, bottom."""
    height, width = labels.shape
    left, top, wide, high = window
    x, y = np.arange(left, left + wide), np.arange(top, top + high)
    there = labels[np.ix_(y % height, x % width)] == number
    columns, rows = np.flatnonzero(there.any(axis=0)), np.flatnonzero(there.any(axis=1))
    if columns.size == 0:
        return left, top, left, top
    return left + int(columns[0]), top + int(rows[0]), left + int(columns[-1]) + 1, top + int(rows[-1]) + 1


def render_mosaic(plan: Mosaic, sample: Pixels, size: tuple[int, int], *, vectors: bool = False) -> Pixels:
    """One layer of the tile. sample: (Hs, Ws[, C]) float32, linear light; size: (width, height) of the tile in the
    sample's pixels. vectors: unit normals (Y+), which turn with their piece. Returns (height, width[, C])."""
    width, height = size
    flat = sample.ndim == 2
    layer = np.ascontiguousarray(sample[..., None] if flat else sample)
    scale = width / plan.labels.shape[1]
    steeper = np.float32(max(1.0, scale**0.5))
    bands = split_bands(layer, float(width))
    soft = np.zeros((height, width, layer.shape[2]), np.float32)
    # Large ones may go by now.
    del sample, layer
    fine, weight = np.zeros_like(soft), np.zeros((height, width), np.float32)
    for placement, (left, top, masks) in zip(plan.placements, plan.shares, strict=True):
        if masks.size == 0:
            continue
        x0, y0 = round(left * scale), round(top * scale)
        x1, y1 = round((left + masks.shape[2]) * scale), round((top + masks.shape[1]) * scale)
        matrix = _at_scale(placement.matrix, scale)
        if placement.moved_only:
            parts = bands
            dx, dy = round(matrix[0, 2]), round(matrix[1, 2])
        else:
            parts = _turned(bands, matrix, (x0, y0, x1 - x0, y1 - y0), vectors)
            dx, dy = -x0, -y0
        run = _piece_rows(parts, masks, (soft, fine, weight), (x0, y0, x1), (dx, dy), (left, top), scale, steeper)
        over_rows(run, y1 - y0, least=16)
    fine /= np.maximum(weight, 1e-6, out=weight)[..., None]
    soft += fine
    return soft[..., 0] if flat else soft


def _piece_rows(
    parts: list[Pixels],
    masks: Pixels,
    into: tuple[Pixels, Pixels, Pixels],
    box: tuple[int, int, int],
    offset: tuple[int, int],
    origin: tuple[int, int],
    scale: float,
    steeper: np.float32,
) -> Callable[[int, int], None]:
    def run(first: int, last: int) -> None:
        _add_rows(*(*parts, masks, *into, *box, *offset, *origin, scale, steeper, first, last))

    return run


def _at_scale(matrix: NDArray[np.float64], scale: float) -> NDArray[np.float64]:
    """The matrix between pixels of a picture `scale` times as large. Pixel 0's middle lies half a pixel in."""
    linear, shift = matrix[:, :2], matrix[:, 2]
    half = np.array([0.5, 0.5])
    placed = scale * (shift + half - linear @ half) + linear @ half - half
    return np.column_stack([linear, placed])


def _turned(
    bands: list[Pixels], matrix: NDArray[np.float64], window: tuple[int, int, int, int], vectors: bool
) -> list[Pixels]:
    """The bands looked up through a matrix for a window of the output."""
    x0, y0, wide, high = window
    local = matrix.copy()
    local[:, 2] += matrix[:, :2] @ np.array([x0, y0])
    found = []
    for number, band in enumerate(bands):
        # The softer bands have nothing that a cubic could keep.
        how = cv2.INTER_CUBIC if number == 2 else cv2.INTER_LINEAR
        part = cv2.warpAffine(
            band,
            local,
            (wide, high),
            flags=how | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REFLECT_101,
        ).reshape(high, wide, band.shape[2])
        found.append(_turned_normals(part, matrix[:, :2]) if vectors else part)
    return found


def _turned_normals(part: Pixels, linear: NDArray[np.float64]) -> Pixels:
    """Normals of a surface looked up through a linear map. Linear in the vectors, so bands may be turned apart."""
    down_up = np.diag([-1.0, 1.0])
    # A height z(A u) has the slopes Aᵀ ∇z; a normal is (-∂x, +∂y downwards, 1) before it is made a unit.
    turn = (down_up @ linear.T @ down_up).astype(np.float32)
    out = part.copy()
    out[..., :2] = part[..., :2] @ turn.T
    return out


@compiled()
def _add_rows(  # type: ignore[no-untyped-def]
    coarse, middle, sharp, masks, soft, fine, weight, x0, y0, x1, dx, dy, left, top, scale, steeper, first, last
):
    height, width, channels = soft.shape
    rows, columns = coarse.shape[0], coarse.shape[1]
    high, wide = masks.shape[1], masks.shape[2]
    lines = np.empty((3, wide), np.float32)
    half = np.float32(0.5)
    for row in range(first, last):
        y = y0 + row
        at_y = (y + 0.5) / scale - 0.5 - top
        above = min(max(int(np.floor(at_y)), 0), high - 1)
        below = min(above + 1, high - 1)
        ty = np.float32(min(max(at_y - above, 0.0), 1.0))
        some = False
        for x in range(wide):
            for band in range(3):
                value = masks[band, above, x] + (masks[band, below, x] - masks[band, above, x]) * ty
                lines[band, x] = value
                if value > 1e-4:
                    some = True
        if not some:
            continue
        to_y = y % height
        sy = min(max(y + dy, 0), rows - 1)
        for x in range(x0, x1):
            at_x = (x + 0.5) / scale - 0.5 - left
            a = min(max(int(np.floor(at_x)), 0), wide - 1)
            b = min(a + 1, wide - 1)
            tx = np.float32(min(max(at_x - a, 0.0), 1.0))
            w0 = lines[0, a] + (lines[0, b] - lines[0, a]) * tx
            w1 = lines[1, a] + (lines[1, b] - lines[1, a]) * tx
            w2 = lines[2, a] + (lines[2, b] - lines[2, a]) * tx
            if w0 + w1 + w2 < 1e-4:
                continue
            w2 = min(max((w2 - half) * steeper + half, np.float32(0.0)), np.float32(1.0))
            to_x = x % width
            sx = min(max(x + dx, 0), columns - 1)
            weight[to_y, to_x] += w2
            for channel in range(channels):
                soft[to_y, to_x, channel] += w0 * coarse[sy, sx, channel] + w1 * middle[sy, sx, channel]
                fine[to_y, to_x, channel] += w2 * sharp[sy, sx, channel]


def source_of_mosaic(plan: Mosaic, size: tuple[int, int]) -> NDArray[np.float64]:
    """Sample coordinates (x, y) shown at each tile pixel, (H, W, 2): the identity map of the plan."""
    width, height = size
    scale = width / plan.labels.shape[1]
    labels = cv2.resize(plan.labels, (width, height), interpolation=cv2.INTER_NEAREST)
    scaled = []
    for placement in plan.placements:
        matrix = _at_scale(placement.matrix, scale)
        if placement.moved_only:
            matrix = np.column_stack([matrix[:, :2], np.round(matrix[:, 2])])
        left, top, wide, high = (round(value * scale) for value in placement.window)
        scaled.append(Placement(matrix, (left, top, wide, high)))
    y, x = np.mgrid[0:height, 0:width]
    return located(scaled, labels, x, y, labels.shape)
