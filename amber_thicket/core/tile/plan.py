"""The tile plan: where each output pixel comes from, decided once and applied to every layer at any size."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import ShapeError

# Widths at which a picture is split into coarse, middle and fine, and the feather each is joined with,
# as fractions of the tile width (3 and 14, .8, 4 and 16 px of 768).
SPLIT = (14 / 768, 3 / 768)
FEATHER = (16 / 768, 4 / 768, 0.8 / 768)


@dataclass(frozen=True)
class TilePlan:
    """Pieces of the sample, each shifted by whole tiles, and how they share the output.

    shares: a (pieces, h, w) float32 array a band, coarse band first, at plan size or, where a band is soft enough,
    at a whole fraction of it: each piece's share of each output pixel; they sum to 1, or to unit power where a band
    keeps its contrast. pieces: (tiles right, tiles down) a piece is taken from: output pixel (x, y) of piece (a, b) is
    sample pixel (x + a·width, y + b·height), or the one a tile before where the sample ends.
    labels: (H, W) uint8, the piece with the largest fine share. crisp: joins are cuts, whose fine band
    is kept narrow at larger sizes. shifts: where the sample is looked up instead so that joints meet (meet.py).
    evidence: figures about the joins.
    """

    pieces: tuple[tuple[int, int], ...]
    shares: tuple[Pixels, ...]
    labels: NDArray[np.uint8]
    crisp: bool = True
    shifts: Pixels | None = None
    evidence: dict[str, Any] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        nbytes = 0 if self.shifts is None else self.shifts.nbytes
        return int(sum(band.nbytes for band in self.shares) + self.labels.nbytes + nbytes)


def feathered(labels: NDArray[np.uint8], pieces: int, widths: tuple[float, ...]) -> tuple[Pixels, ...]:
    """Shares from hard labels: each label's mask smoothed per band by widths (px). They sum to 1."""
    masks = [(labels == piece).astype(np.float32) for piece in range(1, pieces)]
    with ThreadPoolExecutor(2) as beside:
        return tuple(beside.map(partial(_feathered, masks), widths))


def _feathered(masks: list[Pixels], sigma: float) -> Pixels:
    """The shares of one band. masks: of all pieces but the first."""
    height, width = masks[0].shape
    factor = 1
    while factor * 3 <= sigma and height % (2 * factor) == 0 and width % (2 * factor) == 0:
        factor *= 2
    # Area averaging and linear enlarging blur by about f²/4 together.
    rest = max(sigma * sigma - factor * factor / 4, 0.01) ** 0.5 / factor
    shares = np.empty((len(masks) + 1, height // factor, width // factor), np.float32)
    for piece, mask in enumerate(masks, 1):
        shares[piece] = blur(shrink(mask, factor), rest, wraps=True)
    # They sum to 1 before and after smoothing, so the first one is what the others leave.
    shares[0] = np.maximum(1 - shares[1:].sum(axis=0), 0)
    return shares


def softened(sample: Pixels, tile_width: float) -> list[Pixels]:
    """A layer without its middle and fine parts, without its fine part, and as it is. Edges mirror."""
    soft = [blur(sample, fraction * tile_width, wraps=False, fast=True).reshape(sample.shape) for fraction in SPLIT]
    return [*soft, sample]


def split_bands(sample: Pixels, tile_width: float) -> list[Pixels]:
    """Coarse, middle and fine parts of a layer; they sum to the layer. Edges mirror."""
    coarse, softer, _ = softened(sample, tile_width)
    return [
        coarse,
        cv2.subtract(softer, coarse).reshape(sample.shape),
        cv2.subtract(sample, softer).reshape(sample.shape),
    ]


def render(plan: TilePlan, sample: Pixels, size: tuple[int, int]) -> Pixels:
    """One layer of the tile.

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
    tile = layer[:height, :width].copy()
    overlap_x, overlap_y = layer.shape[1] - width, layer.shape[0] - height
    if len(plan.pieces) > 1 and (overlap_x or overlap_y):
        bands = softened(layer, float(width))
        margin = int(np.ceil(4 * FEATHER[0] * width)) + 1
        reach_x, reach_y = min(width, overlap_x + margin), min(height, overlap_y + margin)
        areas = []
        if overlap_y:
            areas.append((0, 0, width, reach_y))
        if overlap_x:
            areas.append((0, reach_y if overlap_y else 0, reach_x, height))
        for area in areas:
            _mix(plan, bands, tile, area)
    return tile[..., 0] if flat else tile


def _mix(plan: TilePlan, bands: list[Pixels], tile: Pixels, area: tuple[int, int, int, int]) -> None:
    """Fill one rectangle of the tile with the plan's mixture. bands: as softened() gives them."""
    left, top, right, bottom = area
    height, width = tile.shape[:2]
    offsets = np.array(plan.pieces, np.int64) * np.array([width, height])
    steeper = np.float32(max(1.0, (width / plan.labels.shape[1]) ** 0.5) if plan.crisp else 1.0)
    coarse, middle, fine = plan.shares

    def rows(first: int, last: int) -> None:
        _mix_rows(
            bands[0], bands[1], bands[2], coarse, middle, fine, steeper, offsets, tile, left, right, top, first, last
        )

    over_rows(rows, bottom - top, least=16)


@compiled()
def _share_line(shares, y, left, right, height, width, out, first, second, part):  # type: ignore[no-untyped-def]
    """The shares of output row y from left to right, interpolated from their own grid, which wraps."""
    pieces, rows, columns = shares.shape
    at_y = (y + np.float32(0.5)) * rows / height - np.float32(0.5)
    y0 = int(np.floor(at_y))
    ty = np.float32(at_y - y0)
    above, below = y0 % rows, (y0 + 1) % rows
    if columns == width and ty == 0.0:
        for piece in range(pieces):
            for x in range(left, right):
                out[piece, x - left] = shares[piece, above, x]
        return
    line = np.empty(columns, np.float32)
    for piece in range(pieces):
        upper, lower = shares[piece, above], shares[piece, below]
        for x in range(columns):
            line[x] = upper[x] + (lower[x] - upper[x]) * ty
        for x in range(right - left):
            near = line[first[x]]
            out[piece, x] = near + (line[second[x]] - near) * part[x]


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


@compiled()
def _mix_rows(  # type: ignore[no-untyped-def]
    coarse, middle, fine, share0, share1, share2, steeper, offsets, tile, left, right, top, first, last
):
    height, width = coarse.shape[0], coarse.shape[1]
    tile_height, tile_width = tile.shape[0], tile.shape[1]
    pieces, channels = share0.shape[0], tile.shape[2]
    line0 = np.empty((pieces, right - left), np.float32)
    line1 = np.empty((pieces, right - left), np.float32)
    line2 = np.empty((pieces, right - left), np.float32)
    near = np.empty((3, right - left), np.int64)
    next_ = np.empty((3, right - left), np.int64)
    part = np.empty((3, right - left), np.float32)
    for band, columns in enumerate((share0.shape[2], share1.shape[2], share2.shape[2])):
        _columns(columns, left, right, tile_width, near[band], next_[band], part[band])
    for row in range(first, last):
        y = top + row
        _share_line(share0, y, left, right, tile_height, tile_width, line0, near[0], next_[0], part[0])
        _share_line(share1, y, left, right, tile_height, tile_width, line1, near[1], next_[1], part[1])
        _share_line(share2, y, left, right, tile_height, tile_width, line2, near[2], next_[2], part[2])
        for column in range(right - left):
            if line0[0, column] > 0.9999 and line1[0, column] > 0.9999 and line2[0, column] > 0.9999:
                continue
            x = left + column
            if steeper > 1.0:
                total = np.float32(0.0)
                for piece in range(pieces):
                    sharp = (line2[piece, column] - np.float32(0.5)) * steeper + np.float32(0.5)
                    sharp = min(max(sharp, np.float32(0.0)), np.float32(1.0))
                    line2[piece, column] = sharp
                    total += sharp
                for piece in range(pieces):
                    line2[piece, column] /= max(total, np.float32(1e-6))
            for channel in range(channels):
                tile[y, x, channel] = 0.0
            for piece in range(pieces):
                w0, w1, w2 = line0[piece, column], line1[piece, column], line2[piece, column]
                if w0 + w1 + w2 <= 0.0:
                    continue
                sx, sy = x + offsets[piece, 0], y + offsets[piece, 1]
                if sx >= width:
                    sx -= tile_width
                if sy >= height:
                    sy -= tile_height
                # A band is what one layer has more than the softer one before it.
                w0, w1 = w0 - w1, w1 - w2
                for channel in range(channels):
                    tile[y, x, channel] += (
                        w0 * coarse[sy, sx, channel] + w1 * middle[sy, sx, channel] + w2 * fine[sy, sx, channel]
                    )


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
