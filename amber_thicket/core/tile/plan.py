"""The tile plan: where each output pixel comes from, decided once and applied to every layer at any size."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.filters import blur
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

    shares: (bands, pieces, H, W) float32 at plan size, coarse band first: each piece's share of each
    output pixel; they sum to 1, or to unit power where a band keeps its contrast. pieces: (tiles right,
    tiles down) a piece is taken from: output pixel (x, y) of piece (a, b) is sample pixel (x + a·width, y + b·height).
    labels: (H, W) uint8, the piece with the largest fine share. crisp: joins are cuts, whose fine band
    is kept narrow at larger sizes. evidence: figures about the joins.
    """

    pieces: tuple[tuple[int, int], ...]
    shares: Pixels
    labels: NDArray[np.uint8]
    crisp: bool = True
    evidence: dict[str, Any] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return int(self.shares.nbytes + self.labels.nbytes)


def feathered(labels: NDArray[np.uint8], pieces: int, widths: tuple[float, ...], valid: NDArray[np.bool_]) -> Pixels:
    """Shares from hard labels: each label's mask smoothed per band by widths (px), kept where a piece exists.

    valid: (pieces, H, W) where each piece has pixels. Returns (bands, pieces, H, W) that sum to 1.
    """
    height, width = labels.shape
    shares = np.empty((len(widths), pieces, height, width), np.float32)
    # The masks sum to 1 before and after smoothing, so the first one is what the others leave.
    masks = np.stack([(labels == piece).astype(np.float32) for piece in range(1, pieces)], -1)
    for band, sigma in enumerate(widths):
        soft = np.atleast_3d(blur(masks, sigma, wraps=True, fast=True))

        def rows(first: int, last: int, soft: Pixels = soft, out: Pixels = shares[band]) -> None:
            _share_rows(soft, valid, out, first, last)

        over_rows(rows, height)
    return shares


@numba.njit(cache=True, nogil=True)
def _share_rows(soft, valid, out, first, last):  # type: ignore[no-untyped-def]
    others, width = soft.shape[2], soft.shape[1]
    for y in range(first, last):
        for x in range(width):
            rest = np.float32(1.0)
            total = np.float32(0.0)
            for piece in range(others):
                rest -= soft[y, x, piece]
                share = soft[y, x, piece] if valid[piece + 1, y, x] else np.float32(0.0)
                out[piece + 1, y, x] = share
                total += share
            rest = max(rest, np.float32(0.0)) if valid[0, y, x] else np.float32(0.0)
            out[0, y, x] = rest
            inverse = np.float32(1.0) / max(total + rest, np.float32(1e-6))
            for piece in range(others + 1):
                out[piece, y, x] *= inverse


def split_bands(sample: Pixels, tile_width: float) -> list[Pixels]:
    """Coarse, middle and fine parts of a layer; they sum to the layer. Edges mirror."""
    coarse, softened = (
        blur(sample, fraction * tile_width, wraps=False, fast=True).reshape(sample.shape) for fraction in SPLIT
    )
    return [coarse, softened - coarse, sample - softened]


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
    if len(plan.pieces) > 1:
        bands = [np.ascontiguousarray(band) for band in split_bands(layer, float(width))]
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
    """Fill one rectangle of the tile with the plan's mixture."""
    left, top, _, bottom = area
    height, width = tile.shape[:2]
    shares = _shares_at(plan, (width, height), area)
    offsets = np.array(plan.pieces, np.int64) * np.array([width, height])

    def rows(first: int, last: int) -> None:
        _mix_rows(bands[0], bands[1], bands[2], shares, offsets, tile, left, top, first, last)

    over_rows(rows, bottom - top, least=16)


def _shares_at(plan: TilePlan, size: tuple[int, int], area: tuple[int, int, int, int]) -> Pixels:
    """The plan's shares inside area of a tile of another size; the fine band stays as crisp in pixels."""
    width, height = size
    left, top, right, bottom = area
    planned = plan.labels.shape
    if (height, width) == planned:
        return np.ascontiguousarray(plan.shares[:, :, top:bottom, left:right])
    fy, fx = planned[0] / height, planned[1] / width
    (y0, y1), (x0, x1) = _cover(top, bottom, fy), _cover(left, right, fx)
    rows, columns = np.arange(y0, y1) % planned[0], np.arange(x0, x1) % planned[1]
    result = np.empty((*plan.shares.shape[:2], bottom - top, right - left), np.float32)
    grid_x = ((np.arange(left, right, dtype=np.float32) + 0.5) * fx - 0.5 - x0).astype(np.float32)
    grid_y = ((np.arange(top, bottom, dtype=np.float32) + 0.5) * fy - 0.5 - y0).astype(np.float32)
    for band in range(plan.shares.shape[0]):
        for piece in range(plan.shares.shape[1]):
            small = plan.shares[band, piece][np.ix_(rows, columns)]
            result[band, piece] = _lerp(small, grid_x, grid_y)
    if plan.crisp:
        fine, steeper = result[-1], np.float32(max(1.0, (width / planned[1]) ** 0.5))
        np.clip((fine - 0.5) * steeper + 0.5, 0, 1, out=fine)
        fine /= np.maximum(fine.sum(axis=0, keepdims=True), 1e-6)
    return result


def _cover(first: int, last: int, factor: float) -> tuple[int, int]:
    """Plan rows or columns needed for output pixels first..last, with room for interpolation."""
    return int(np.floor((first + 0.5) * factor - 0.5)) - 1, int(np.ceil((last + 0.5) * factor)) + 2


def _lerp(small: Pixels, x: Pixels, y: Pixels) -> Pixels:
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    tx, ty = (x - x0).astype(np.float32), (y - y0).astype(np.float32)
    across = small[:, x0] * (1 - tx) + small[:, x0 + 1] * tx
    return across[y0] * (1 - ty)[:, None] + across[y0 + 1] * ty[:, None]


@numba.njit(cache=True, nogil=True)
def _mix_rows(coarse, middle, fine, shares, offsets, tile, left, top, first, last):  # type: ignore[no-untyped-def]
    height, width = coarse.shape[0], coarse.shape[1]
    tile_height, tile_width = tile.shape[0], tile.shape[1]
    pieces, channels = shares.shape[1], tile.shape[2]
    for row in range(first, last):
        y = top + row
        for column in range(shares.shape[3]):
            x = left + column
            if (
                shares[0, 0, row, column] > 0.9999
                and shares[1, 0, row, column] > 0.9999
                and shares[2, 0, row, column] > 0.9999
            ):
                continue
            for channel in range(channels):
                tile[y, x, channel] = 0.0
            for piece in range(pieces):
                sx, sy = x + offsets[piece, 0], y + offsets[piece, 1]
                if sx >= width:
                    sx -= tile_width
                if sy >= height:
                    sy -= tile_height
                w0, w1, w2 = shares[0, piece, row, column], shares[1, piece, row, column], shares[2, piece, row, column]
                if w0 + w1 + w2 <= 0.0:
                    continue
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
