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
# Pixels of a tile to one of its plan from which on looking for such blocks costs less than it spares.
_WORTH = 4
# What is known of a block that no one piece is known to have to itself.
_UNSEEN, _SEVERAL = -2, -1

Area = tuple[int, int, int, int]


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
        margin = int(np.ceil(4 * FEATHER[0] * width)) + 1
        reach_x, reach_y = min(width, overlap_x + margin), min(height, overlap_y + margin)
        across = [(0, 0, width, reach_y)] if overlap_y else []
        down = [(0, reach_y if overlap_y else 0, reach_x, height)] if overlap_x else []
        _mix(plan, layer, tile, across + down, np.float32(least))
    return tile[..., 0] if flat else tile


@compiled()
def _held_rows(layer, least, out, first, last):  # type: ignore[no-untyped-def]
    """As much of each row as there is room for, held above a value."""
    for y in range(first, last):
        here, to = layer[y], out[y]
        for i in range(len(to)):
            to[i] = max(here[i], least)


def _mix(plan: TilePlan, layer: Pixels, tile: Pixels, areas: list[Area], least: np.float32) -> None:
    """Fill rectangles of the tile, (left, top, right, bottom), with the plan's mixture."""
    height, width = tile.shape[:2]
    grids = softened(layer, float(width))
    offsets = np.array(plan.pieces, np.int64) * np.array([width, height])
    steeper = np.float32(max(1.0, (width / plan.labels.shape[1]) ** 0.5) if plan.crisp else 1.0)
    worth = height * width >= _WORTH * plan.shares[-1][0].size
    soles = [_sole_pieces(shares) for shares in plan.shares] if worth else []
    for area in areas:
        left, top, right, bottom = area
        blocks = (-(-(bottom - top) // _BLOCK), -(-(right - left) // _BLOCK))
        alone = np.full(blocks, _UNSEEN if worth else _SEVERAL, np.int8)
        for sole in soles:
            _note_alone(sole, (height, width), area, alone)
        given = (grids, layer, plan.shares, steeper, alone, offsets, tile, least, area)
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
    """Shares of part of output row y, interpolated from their own grid, which wraps. size: (height, width) of the tile;
    first, second, part: as grid_columns() gives them, of the columns wanted. out: (pieces, as many or more)."""
    pieces, rows, columns = shares.shape
    count = len(part)
    at_y = (y + np.float32(0.5)) * np.float32(rows) / np.float32(size[0]) - np.float32(0.5)
    y0 = int(np.floor(at_y))
    ty = np.float32(at_y - y0)
    if ty == 0.0 and columns == size[1]:
        out[:, :count] = shares[:, y0 % rows, first[0] : first[0] + count]
        return
    line = np.empty(columns, np.float32)
    begin, end = first[0], second[count - 1] + 1
    if first[0] > first[count - 1] or second[count - 1] < first[count - 1]:
        begin, end = 0, columns
    for piece in range(pieces):
        upper, lower, to = shares[piece, y0 % rows], shares[piece, (y0 + 1) % rows], out[piece]
        most = np.float32(0.0)
        for x in range(begin, end):
            value = upper[x] + (lower[x] - upper[x]) * ty
            line[x] = value
            most = max(most, value)
        if most <= 0.0:
            to[:count] = 0.0
            continue
        for x in range(count):
            near = line[first[x]]
            to[x] = near + (line[second[x]] - near) * part[x]


@compiled(loose=True)
def _sharpen(shares, steeper, total):  # type: ignore[no-untyped-def]
    """Lets shares of a line, (pieces, n or more), change over in less room. total: (n,) to work in."""
    total[:] = np.float32(1e-6)
    for piece in range(len(shares)):
        line = shares[piece]
        for x in range(len(total)):
            sharp = (line[x] - np.float32(0.5)) * steeper + np.float32(0.5)
            sharp = min(max(sharp, np.float32(0.0)), np.float32(1.0))
            line[x] = sharp
            total[x] += sharp
    for piece in range(len(shares)):
        line = shares[piece]
        for x in range(len(total)):
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
def _add_piece(  # type: ignore[no-untyped-def]
    to, y, left, offset, soft, middling, crisp, grids, fine, columns, parts, tile_size, work
):
    """Adds one piece to part of a row, from column `left` on. to: values; soft, middling, crisp: its shares there;
    grids, fine: as softened() gives them, and the layer; columns, parts: between which columns of each grid those of
    the layer lie."""
    height, width, channels = fine.shape
    start, end = 0, len(soft)
    while start < end and soft[start] + middling[start] + crisp[start] <= 0.0:
        start += 1
    while end > start and soft[end - 1] + middling[end - 1] + crisp[end - 1] <= 0.0:
        end -= 1
    sy = y + offset[1]
    sy -= tile_size[0] if sy >= height else 0
    # From where the sample ends on, the pixels a tile before.
    turn = min(max(width - offset[0] - left, start), end)
    for begin, stop, back in ((start, turn, 0), (turn, end, tile_size[1])):
        if begin >= stop:
            continue
        sx = left + begin + offset[0] - back
        ends, values = sx + stop - begin, (stop - begin) * channels
        for band in range(2):
            near, beside = columns[band, 0, sx:ends], columns[band, 1, sx:ends]
            grid_line(grids[band], sy, height, near, beside, parts[band, sx:ends], work[3], work[4 + band])
        _add(
            to[begin * channels : stop * channels],
            channels,
            soft[begin:stop],
            middling[begin:stop],
            crisp[begin:stop],
            work[4, :values],
            work[5, :values],
            fine[sy].reshape(width * channels)[sx * channels : ends * channels],
            work,
        )


@compiled()
def _mix_rows(grids, fine, shares, steeper, alone, offsets, tile, least, area, first, last):  # type: ignore[no-untyped-def]
    """Rows first to last of an area. grids, fine: as softened() gives them, and the layer; alone: see _note_alone()."""
    height, width, channels = fine.shape
    tile_size = tile.shape[:2]
    left, top, right, _ = area
    pieces, wide = shares[0].shape[0], right - left
    lines, total = np.empty((3, pieces, wide), np.float32), np.empty(wide, np.float32)
    # Between which columns of its grid each column lies: of the tile in shares, of the sample in its softer bands.
    columns, parts = np.empty((3, 2, tile_size[1]), np.uint32), np.empty((3, tile_size[1]), np.float32)
    for band in range(3):
        grid_columns(shares[band].shape[2], True, columns[band, 0], columns[band, 1], parts[band])
    soft_columns, soft_parts = np.empty((2, 2, width), np.uint32), np.empty((2, width), np.float32)
    for band in range(2):
        grid_columns(grids[band].shape[1], False, soft_columns[band, 0], soft_columns[band, 1], soft_parts[band])
    work = np.empty((6, width * channels), np.float32)
    for row in range(first, last):
        y, blocks = top + row, alone[row // _BLOCK]
        whole_line = tile[y].reshape(tile_size[1] * channels)
        run = 0
        while run < len(blocks):
            # Blocks side by side that one piece has to itself, or that several share.
            begin, one = left + run * _BLOCK, blocks[run]
            while run < len(blocks) and blocks[run] == one:
                run += 1
            end = min(left + run * _BLOCK, right)
            line = whole_line[begin * channels : end * channels]
            if one >= 0:
                sy = y + offsets[one, 1]
                sy -= tile_size[0] if sy >= height else 0
                _copy(fine, sy, begin + offsets[one, 0], line, channels, least, tile_size[1])
                continue
            for band in range(3):
                near, beside = columns[band, 0, begin:end], columns[band, 1, begin:end]
                _share_line(shares[band], y, tile_size, near, beside, parts[band, begin:end], lines[band])
            count = end - begin
            if steeper > 1.0:
                _sharpen(lines[2], steeper, total[:count])
            line[:] = 0.0
            for piece in range(pieces):
                soft, middling, crisp = lines[0, piece, :count], lines[1, piece, :count], lines[2, piece, :count]
                offset = offsets[piece]
                _add_piece(
                    line,
                    y,
                    begin,
                    offset,
                    soft,
                    middling,
                    crisp,
                    grids,
                    fine,
                    soft_columns,
                    soft_parts,
                    tile_size,
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
