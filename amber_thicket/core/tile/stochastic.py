"""Mixes overlapping patches of a noise-like surface so that its histogram stays: no joins, and nothing to recognise.

Source: Heitz & Neyret, "High-performance by-example noise using a histogram-preserving blending operator",
Proceedings of the ACM on Computer Graphics and Interactive Techniques 1(2), 2018. Values are made Gaussian, mixed with
weights of unit power, and given their histogram back: that of colours, not of each channel by itself (see gaussianize).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.gaussianize import count_levels, gaussianize, restore

_COUNTED, _TRIES = 400_000, 80


@dataclass(frozen=True)
class Mixture:
    """centres: (rows, columns, 2) where each patch is taken from, in tile widths of the sample, across and down.
    Patches sit on a grid of triangles round the tile. unfit: (h, w) what of the sample does not count."""

    centres: NDArray[np.float64]
    unfit: NDArray[np.bool_] | None = None
    evidence: dict[str, Any] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return int(self.centres.nbytes)


def patches(
    sample: tuple[int, int], tile: tuple[int, int], size: float, seed: int, unfit: NDArray[np.bool_] | None = None
) -> Mixture:
    """Where each patch comes from. sample, tile: (width, height) px. size: of a patch, in tile px. unfit: (Hs, Ws)
    what should not be used; the patch with the least of it is taken of some."""
    columns = max(3, round(2 * tile[0] / size))
    rows = max(3, round(2 * tile[1] / size))
    whole = np.array(sample) / tile[0]
    low = np.minimum([1.05 / columns, 1.05 * tile[1] / tile[0] / rows], 0.49 * whole)
    choose = np.random.default_rng(seed)
    drawn = low + choose.uniform(size=(rows, columns, 2)) * (whole - 2 * low)
    if unfit is not None and unfit.any():
        reach = tuple(max(1, 2 * int(tile[0] * part)) for part in low)
        spoilt = cv2.boxFilter(unfit.astype(np.float32), -1, reach, borderType=cv2.BORDER_REPLICATE)
        for _ in range(_TRIES):
            other = low + choose.uniform(size=(rows, columns, 2)) * (whole - 2 * low)
            better = _at(spoilt, other, tile[0]) < _at(spoilt, drawn, tile[0])
            drawn = np.where(better[..., None], other, drawn)
    return Mixture(drawn, unfit)


def _at(field: Pixels, centres: NDArray[np.float64], width: int) -> Pixels:
    x, y = (np.minimum((centres[..., i] * width).astype(int), field.shape[1 - i] - 1) for i in (0, 1))
    result: Pixels = field[y, x]
    return result


def mix(plan: Mixture, sample: Pixels, size: tuple[int, int]) -> Pixels:
    """One layer of the tile. sample: (Hs, Ws[, C]) float32; size: (width, height) of the tile. Returns (H, W[, C])."""
    width, height = size
    flat = sample.ndim == 2
    layer = sample[..., None] if flat else sample
    levels = count_levels(_counted(layer, plan.unfit))
    out = np.empty((height, width, layer.shape[2]), np.float32)
    over_rows(partial(_mix_rows, gaussianize(layer, levels), plan.centres, out), height, least=16)
    restore(out, levels)
    return out[..., 0] if flat else out


def _counted(layer: Pixels, unfit: NDArray[np.bool_] | None) -> Pixels:
    """Pixels that the histogram is taken from, (N, C) float64."""
    every = layer.reshape(-1, layer.shape[2])
    if unfit is not None and unfit.any() and not unfit.all():
        mask = cv2.resize(unfit.astype(np.uint8), (layer.shape[1], layer.shape[0]), interpolation=cv2.INTER_LINEAR)
        every = every[mask.ravel() == 0]
    return every[:: max(1, len(every) // _COUNTED)].astype(np.float64)


@compiled()
def _mix_rows(gaussian, centres, out, first, last):  # type: ignore[no-untyped-def]
    height, width, channels = out.shape
    rows, columns = centres.shape[0], centres.shape[1]
    tall, wide = gaussian.shape[0], gaussian.shape[1]
    corner = np.empty((3, 2), np.int64)
    part = np.empty(3)
    for y in range(first, last):
        v = (y + 0.5) * rows / height
        j = int(np.floor(v))
        tv = v - j
        for x in range(width):
            u = (x + 0.5) * columns / width
            i = int(np.floor(u))
            tu = u - i
            if tu + tv < 1.0:
                corner[0, 0], corner[0, 1], part[0] = i, j, 1.0 - tu - tv
                corner[1, 0], corner[1, 1], part[1] = i + 1, j, tu
                corner[2, 0], corner[2, 1], part[2] = i, j + 1, tv
            else:
                corner[0, 0], corner[0, 1], part[0] = i + 1, j + 1, tu + tv - 1.0
                corner[1, 0], corner[1, 1], part[1] = i, j + 1, 1.0 - tu
                corner[2, 0], corner[2, 1], part[2] = i + 1, j, 1.0 - tv
            power = 0.0
            for k in range(3):
                part[k] = part[k] * part[k] * (3.0 - 2.0 * part[k])
                power += part[k] * part[k]
            power = np.sqrt(power)
            for channel in range(channels):
                out[y, x, channel] = 0.0
            for k in range(3):
                share = np.float32(part[k] / power)
                if share < 1e-4:
                    continue
                ci, cj = corner[k, 0], corner[k, 1]
                centre = centres[cj % rows, ci % columns]
                # Moved by whole 256ths of the tile: whole pixels at every size there is.
                dx = np.rint(256 * (centre[0] - ci / columns)) / 256 * width
                dy = np.rint(256 * (centre[1] - cj * height / (width * rows))) / 256 * width
                sx = x + int(np.rint(dx))
                sy = y + int(np.rint(dy))
                sx = min(max(sx, 0), wide - 1)
                sy = min(max(sy, 0), tall - 1)
                for channel in range(channels):
                    out[y, x, channel] += share * gaussian[sy, sx, channel]
