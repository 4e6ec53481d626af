"""The tile plan: where each output pixel comes from, decided once and applied to every layer at any size."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.enlarging import grid_columns, grid_line
from amber_thicket.core.numeric.filters import blur_reduced, enlarge
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.framing import Framing
from amber_thicket.errors import ShapeError

# Widths at which a picture is split into coarse, middle and fine, and the feather each is joined with,
# as fractions of the tile width (3 and 14, .8, 4 and 16 px of 768).
SPLIT = (14 / 768, 3 / 768)
FEATHER = (16 / 768, 4 / 768, 0.8 / 768)
# Side of the blocks of a tile that are looked at for more than one piece, and what does not count of a share: less than
# a step of 16 bits.
_BLOCK, _NOTHING = 32, np.float32(1e-5)
# Pixels of a tile to one of its plan from which on it is worth looking for such blocks.
_WORTH = 4
# What is known of a block that no one piece is known to have to itself.
_UNSEEN, _SEVERAL = -2, -1


@dataclass(frozen=True)
class TilePlan:
    """Pieces of the sample, each shifted by whole tiles, and how they share the output.

    shares: a (pieces, h, w) float32 array a band, coarse band first, at plan size or, where a band is soft enough,
    at a whole fraction of it: each piece's share of each output pixel; they sum to 1, or to unit power where a band
    keeps its contrast. pieces: (tiles right, tiles down) a piece is taken from: output pixel (x, y) of piece (a, b) is
    sample pixel (x + a·width, y + b·height), or the one a tile before where the sample ends.
    labels: (H, W) uint8, the piece with the largest fine share. crisp: joins are cuts, whose fine band
    is kept narrow at larger sizes. shifts: where the sample is looked up instead so that joints meet (meet.py).
    evidence: figures about the joins. framing: how the sample is looked at before all that.
    """

    pieces: tuple[tuple[int, int], ...]
    shares: tuple[Pixels, ...]
    labels: NDArray[np.uint8]
    crisp: bool = True
    shifts: Pixels | None = None
    evidence: dict[str, Any] = field(default_factory=dict)
    framing: Framing | None = None

    @property
    def nbytes(self) -> int:
        nbytes = (0 if self.shifts is None else self.shifts.nbytes) + (self.framing.nbytes if self.framing else 0)
        return int(sum(band.nbytes for band in self.shares) + self.labels.nbytes + nbytes)


def softened(sample: Pixels, tile_width: float) -> tuple[Pixels, Pixels]:
    """A layer without its middle and fine parts, and without its fine part, each on a grid as coarse as that allows,
    (h, w[, C]): enlarged linearly they are as large as the layer. Edges mirror.

    sample: (H, W[, C]); tile_width: px.
    """
    coarse, middle = (blur_reduced(sample, fraction * tile_width, wraps=False) for fraction in SPLIT)
    return coarse, middle


def split_bands(sample: Pixels, tile_width: float) -> list[Pixels]:
    """Coarse, middle and fine parts of a layer; they sum to the layer. Edges mirror.

    sample: (H, W[, C]); tile_width: px.
    """
    height, width = sample.shape[:2]
    coarse, softer = (
        enlarge(soft, height, width, wraps=False).reshape(sample.shape) for soft in softened(sample, tile_width)
    )
    fine = cv2.subtract(sample, softer).reshape(sample.shape)
    # In place, for all of a large picture is not there once more without need.
    return [coarse, np.subtract(softer, coarse, out=softer), fine]


def render(plan: TilePlan, sample: Pixels, size: tuple[int, int], *, least: float = -np.inf) -> Pixels:
    """One layer of the tile. least: what would come to less is this.

    sample: (Hs, Ws[, C]) float32 in linear light, at least as large as the tile; size: (width, height) of
    the tile in the sample's pixels. Returns (height, width[, C]). Raises ShapeError when the sample is
    smaller than the tile. Linear in the sample, so it serves every map; renormalise vectors after it.
    """
    width, height = size
    if sample.shape[0] < height or sample.shape[1] < width:
        raise ShapeError(
            f"A tile of {width} × {height} px cannot be cut from a sample of {sample.shape[1]} × {sample.shape[0]} px.",
            remedy="Give a sample at least as large as the tile.",
        )
    flat = sample.ndim == 2
    layer = np.ascontiguousarray(sample[..., None] if flat else sample)

    tile = np.empty((height, width, layer.shape[2]), np.float32)
    over_rows(partial(_held_rows, layer.reshape(len(layer), -1), np.float32(least), tile.reshape(height, -1)), height)
    overlap_x, overlap_y = layer.shape[1] - width, layer.shape[0] - height
    if len(plan.pieces) > 1 and (overlap_x or overlap_y):
        bands = (*softened(layer, float(width)), layer)
        margin = int(np.ceil(4 * FEATHER[0] * width)) + 1
        reach_x, reach_y = min(width, overlap_x + margin), min(height, overlap_y + margin)
        areas = []
        if overlap_y:
            areas.append((0, 0, width, reach_y))
        if overlap_x:
            areas.append((0, reach_y if overlap_y else 0, reach_x, height))
        for area in areas:
            _mix(plan, bands, tile, area, np.float32(least))
    return tile[..., 0] if flat else tile


@compiled()
def _held_rows(layer, least, out, first, last):  # type: ignore[no-untyped-def]
    """As much of each row as there is room for, held above a value."""
    for y in range(first, last):
        here, to = layer[y], out[y]
        for i in range(len(to)):
            to[i] = max(here[i], least)


def _mix(
    plan: TilePlan,
    bands: tuple[Pixels, Pixels, Pixels],
    tile: Pixels,
    area: tuple[int, int, int, int],
    least: np.float32,
) -> None:
    """Fill one rectangle of the tile with the plan's mixture. bands: as softened() gives them, and the layer."""
    left, top, right, bottom = area
    height, width = tile.shape[:2]
    offsets = np.array(plan.pieces, np.int64) * np.array([width, height])
    steeper = np.float32(max(1.0, (width / plan.labels.shape[1]) ** 0.5) if plan.crisp else 1.0)
    # Below, looking costs what it spares.
    worth = height * width >= _WORTH * plan.shares[-1][0].size
    alone = np.full(
        (-(-(bottom - top) // _BLOCK), -(-(right - left) // _BLOCK)), _UNSEEN if worth else _SEVERAL, np.int8
    )
    for shares in plan.shares if worth else ():
        _note_alone(_sole_pieces(shares), (height, width), area, alone)
    given = (*bands, *plan.shares, steeper, alone, offsets, tile, least, left, right, top)
    over_rows(partial(_mix_rows, *given), bottom - top, least=16)


@compiled(loose=True)
def _sole_pieces(shares):  # type: ignore[no-untyped-def]
    """Which piece has each cell of a band to itself, (h, w) int8; _SEVERAL where none has."""
    pieces, rows, columns = shares.shape
    sole = np.full((rows, columns), _SEVERAL, np.int8)
    for y in range(rows):
        line = sole[y]
        for piece in range(pieces):
            share = shares[piece, y]
            for x in range(columns):
                if share[x] >= np.float32(1.0) - _NOTHING:
                    line[x] = piece
        # Of the others none either: where shares are of unit power, much is left beside nearly all.
        for piece in range(pieces):
            share = shares[piece, y]
            for x in range(columns):
                if share[x] > _NOTHING and line[x] != piece:
                    line[x] = _SEVERAL
    return sole


@compiled()
def _note_alone(sole, size, area, alone):  # type: ignore[no-untyped-def]
    """Notes which piece has each block of an area to itself in a band too, or that several share it. size: (height,
    width) of the tile; area: (left, top, right, bottom)."""
    rows, columns = sole.shape
    left, top, right, bottom = area
    scale_y, scale_x = np.float64(rows) / size[0], np.float64(columns) / size[1]
    for by in range(alone.shape[0]):
        upper = int(np.floor((top + by * _BLOCK + 0.5) * scale_y - 0.5))
        lower = int(np.floor((min(top + (by + 1) * _BLOCK, bottom) - 0.5) * scale_y - 0.5)) + 1
        for bx in range(alone.shape[1]):
            first = int(np.floor((left + bx * _BLOCK + 0.5) * scale_x - 0.5))
            last = int(np.floor((min(left + (bx + 1) * _BLOCK, right) - 0.5) * scale_x - 0.5)) + 1
            one = alone[by, bx] if alone[by, bx] != _UNSEEN else sole[upper % rows, first % columns]
            for y in range(upper, lower + 1):
                for x in range(first, last + 1):
                    if sole[y % rows, x % columns] != one:
                        one = _SEVERAL
                if one == _SEVERAL:
                    break
            alone[by, bx] = one


@compiled(loose=True)
def _share_line(shares, y, size, first, second, part, out):  # type: ignore[no-untyped-def]
    """The shares of output row y, interpolated from their own grid, which wraps. size: (height, width) of the tile;
    first, second, part: as _columns() gives them, of the columns wanted."""
    pieces, rows, columns = shares.shape
    at_y = (y + np.float32(0.5)) * np.float32(rows) / np.float32(size[0]) - np.float32(0.5)
    y0 = int(np.floor(at_y))
    ty = np.float32(at_y - y0)
    if ty == 0.0 and columns == size[1]:
        out[:] = shares[:, y0 % rows, first[0] : first[0] + out.shape[1]]
        return
    line = np.empty(columns, np.float32)
    begin, end = first[0], second[out.shape[1] - 1] + 1
    if begin >= end:
        begin, end = 0, columns
    for piece in range(pieces):
        upper, lower, to = shares[piece, y0 % rows], shares[piece, (y0 + 1) % rows], out[piece]
        most = np.float32(0.0)
        for x in range(begin, end):
            value = upper[x] + (lower[x] - upper[x]) * ty
            line[x] = value
            most = max(most, value)
        if most <= 0.0:
            to[:] = 0.0
            continue
        for x in range(len(to)):
            near = line[first[x]]
            to[x] = near + (line[second[x]] - near) * part[x]


@compiled()
def _columns(columns, left, right, width, first, second, part):  # type: ignore[no-untyped-def]
    """Between which columns of a share grid each output column lies."""
    scale = np.float32(columns) / np.float32(width)
    for x in range(left, right):
        at = (x + np.float32(0.5)) * scale - np.float32(0.5)
        x0 = int(np.floor(at))
        part[x - left] = np.float32(at - x0)
        first[x - left] = x0 % columns
        second[x - left] = (x0 + 1) % columns


@compiled(loose=True)
def _sharpened(shares, steeper, total):  # type: ignore[no-untyped-def]
    """Shares of a line, (pieces, n), that change over from piece to piece in less room. total: (n,) to work in."""
    total[:] = np.float32(1e-6)
    for piece in range(len(shares)):
        line = shares[piece]
        for x in range(len(line)):
            sharp = (line[x] - np.float32(0.5)) * steeper + np.float32(0.5)
            sharp = min(max(sharp, np.float32(0.0)), np.float32(1.0))
            line[x] = sharp
            total[x] += sharp
    for piece in range(len(shares)):
        line = shares[piece]
        for x in range(len(line)):
            line[x] /= total[x]


@compiled(loose=True)
def _add(to, channels, soft, middling, crisp, coarse, middle, fine, shares):  # type: ignore[no-untyped-def]
    """Adds part of one piece to part of a row: a band is what one layer has more than the softer one before it.
    to, coarse, middle, fine: values of the pixels, one after the other. shares: (3, values) to work in."""
    first, second, third = shares[0], shares[1], shares[2]
    if channels == 3:
        # Each share once a value: then all that follows goes along the row without steps.
        for x in range(len(soft)):
            w0, w1, w2 = soft[x] - middling[x], middling[x] - crisp[x], crisp[x]
            first[3 * x], first[3 * x + 1], first[3 * x + 2] = w0, w0, w0
            second[3 * x], second[3 * x + 1], second[3 * x + 2] = w1, w1, w1
            third[3 * x], third[3 * x + 1], third[3 * x + 2] = w2, w2, w2
    else:
        for x in range(len(soft)):
            for c in range(channels * x, channels * (x + 1)):
                first[c], second[c], third[c] = soft[x] - middling[x], middling[x] - crisp[x], crisp[x]
    for i in range(len(to)):
        to[i] += first[i] * coarse[i] + second[i] * middle[i] + third[i] * fine[i]


@compiled()
def _copy(layer, y, from_x, to, channels, least, tile_width):  # type: ignore[no-untyped-def]
    """Part of a row as it is in row y of a layer from a column on, from where that ends a tile before. to: values."""
    width, count = layer.shape[1], len(to) // channels
    here = layer[y].reshape(width * channels)
    turn = min(max(width - from_x, 0), count)
    for begin, end, back in ((0, turn, 0), (turn, count, tile_width)):
        start = (from_x - back) * channels
        for i in range(begin * channels, end * channels):
            to[i] = max(here[start + i], least)


@compiled()
def _mix_rows(  # type: ignore[no-untyped-def]
    coarse, middle, fine, share0, share1, share2, steeper, alone, offsets, tile, least, left, right, top, first, last
):
    height, width, channels = fine.shape
    tile_height, tile_width = tile.shape[:2]
    pieces, wide = share0.shape[0], right - left
    work = np.empty((3, wide * channels), np.float32)
    lines = np.empty((3, pieces, wide), np.float32)
    near, beside = np.empty((3, wide), np.uint32), np.empty((3, wide), np.uint32)
    part, total = np.empty((3, wide), np.float32), np.empty(wide, np.float32)
    for band, columns in enumerate((share0.shape[2], share1.shape[2], share2.shape[2])):
        _columns(columns, left, right, tile_width, near[band], beside[band], part[band])
    soft_lines = np.empty((2, wide * channels), np.float32)
    grid_row = np.empty(max(coarse.shape[1], middle.shape[1]) * channels, np.float32)
    low, high = np.empty((2, width), np.uint32), np.empty((2, width), np.uint32)
    between = np.empty((2, width), np.float32)
    grid_columns(coarse.shape[1], width, low[0], high[0], between[0])
    grid_columns(middle.shape[1], width, low[1], high[1], between[1])
    for row in range(first, last):
        y, blocks = top + row, alone[row // _BLOCK]
        whole_line = tile[y].reshape(tile_width * channels)
        run = 0
        while run < len(blocks):
            # Blocks side by side that one piece has to itself, or that several share.
            block, one = run, blocks[run]
            while run < len(blocks) and blocks[run] == one:
                run += 1
            at, to = block * _BLOCK, min(run * _BLOCK, wide)
            line = whole_line[(left + at) * channels : (left + to) * channels]
            if one >= 0:
                sy = y + offsets[one, 1]
                sy -= tile_height if sy >= height else 0
                _copy(fine, sy, left + at + offsets[one, 0], line, channels, least, tile_width)
                continue
            shared = lines[:, :, at:to]
            _share_line(share0, y, tile.shape, near[0, at:to], beside[0, at:to], part[0, at:to], shared[0])
            _share_line(share1, y, tile.shape, near[1, at:to], beside[1, at:to], part[1, at:to], shared[1])
            _share_line(share2, y, tile.shape, near[2, at:to], beside[2, at:to], part[2, at:to], shared[2])
            if steeper > 1.0:
                _sharpened(shared[2], steeper, total[: to - at])
            line[:] = 0.0
            for piece in range(pieces):
                soft, middling, crisp = shared[0, piece], shared[1, piece], shared[2, piece]
                start, end = 0, to - at
                while start < end and soft[start] + middling[start] + crisp[start] <= 0.0:
                    start += 1
                while end > start and soft[end - 1] + middling[end - 1] + crisp[end - 1] <= 0.0:
                    end -= 1
                sy = y + offsets[piece, 1]
                sy -= tile_height if sy >= height else 0
                # From where the sample ends on, the pixels a tile before.
                turn = min(max(width - offsets[piece, 0] - left - at, start), end)
                for begin, stop, back in ((start, turn, 0), (turn, end, tile_width)):
                    if begin >= stop:
                        continue
                    sx = left + at + begin + offsets[piece, 0] - back
                    ends, values = sx + stop - begin, (stop - begin) * channels
                    for band, grid in enumerate((coarse, middle)):
                        grid_line(
                            grid,
                            sy,
                            height,
                            low[band, sx:ends],
                            high[band, sx:ends],
                            between[band, sx:ends],
                            grid_row,
                            soft_lines[band, :values],
                        )
                    _add(
                        line[begin * channels : stop * channels],
                        channels,
                        soft[begin:stop],
                        middling[begin:stop],
                        crisp[begin:stop],
                        soft_lines[0, :values],
                        soft_lines[1, :values],
                        fine[sy].reshape(width * channels)[sx * channels : ends * channels],
                        work,
                    )
            for i in range(len(line)):
                line[i] = max(line[i], least)


def source_of(plan: TilePlan, size: tuple[int, int], sample: tuple[int, int]) -> NDArray[np.int32]:
    """Sample coordinates (x, y) shown at each tile pixel, (H, W, 2) int32: the identity map of the plan."""
    width, height = size
    labels = cv2.resize(plan.labels, (width, height), interpolation=cv2.INTER_NEAREST)
    y, x = np.mgrid[0:height, 0:width]
    pieces = np.array(plan.pieces)
    sx, sy = x + pieces[labels, 0] * width, y + pieces[labels, 1] * height
    sx = np.where(sx >= sample[0], sx - width, sx)
    sy = np.where(sy >= sample[1], sy - height, sy)
    return np.stack([sx, sy], -1).astype(np.int32)
