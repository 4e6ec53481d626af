"""Bends the sample gently near its edges, so that joints and threads of one side run on into the other.

Both sides of the overlap show the same pattern a whole number of repeats apart; where they do not quite meet, each is
moved half the way. Flow: Kroeger et al., "Fast optical flow using dense inverse search", ECCV 2016 (OpenCV's).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Of the tile's width: how far anything is moved at most, how smooth the movement is, and where it has faded out.
MOST, SMOOTH, FADE = 6 / 768, 36 / 768, 0.2
_COARSER = 4
# Rows that are looked up at a time.
_ROWS = 256


def seam_warp(sample: Pixels, width: int, height: int) -> Pixels:
    """Where to look instead: shifts (h, w, 2) in tile widths on a grid of a quarter of the sample's size.

    sample: linear RGB of the whole sample; width, height: of the tile in its px.
    """
    across = _along(sample, width, width)
    moved = apply_warp(sample, across, width)
    down = _along(np.ascontiguousarray(moved.transpose(1, 0, 2)), height, width)
    return np.asarray(across + down.transpose(1, 0, 2)[..., ::-1], np.float32)


def _along(sample: Pixels, period: int, unit: int) -> Pixels:
    """The part of the shift that makes left and right meet. period: px from one side to the other."""
    over = sample.shape[1] - period
    rows, columns = -(-sample.shape[0] // _COARSER), -(-sample.shape[1] // _COARSER)
    if over < 16 or sample.shape[0] < 32:
        return np.zeros((rows, columns, 2), np.float32)
    left, right = (_grey(part) for part in (sample[:, :over], sample[:, period : period + over]))
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    finder.setUseSpatialPropagation(True)
    flow = finder.calc(left, right, None)
    most = MOST * unit
    # Where nothing can be seen to move, the neighbours decide: edges weigh, plain places do not.
    weight = cv2.GaussianBlur(
        cv2.Scharr(left, cv2.CV_32F, 1, 0) ** 2 + cv2.Scharr(left, cv2.CV_32F, 0, 1) ** 2, (0, 0), 3
    )
    weight = np.sqrt(weight) * (np.hypot(flow[..., 0], flow[..., 1]) < 2 * most)
    return halved(flow, weight, sample.shape, period, unit, most=most, sigma=SMOOTH * unit)


def halved(
    flow: Pixels, weight: Pixels, shape: tuple[int, ...], period: int, unit: int, *, most: float, sigma: float
) -> Pixels:
    """The shifts that bring both sides together, each half the way, in units on a grid a quarter as fine.

    flow: (rows, overlap, 2), how far on the right a place of the left is found; weight: how well that is known; shape:
    of the whole; period: px from one side to the other; unit: px of a tile's width; most: px anything is moved; sigma:
    how smooth the movement is, px.
    """
    rows, columns = -(-shape[0] // _COARSER), -(-shape[1] // _COARSER)
    over = flow.shape[1]
    total = blur(np.ascontiguousarray(weight), sigma, wraps=False, fast=True) + 1e-3 * float(weight.mean()) + 1e-9
    smooth = [
        np.clip(blur(np.ascontiguousarray(flow[..., i] * weight), sigma, wraps=False, fast=True) / total, -most, most)
        for i in (0, 1)
    ]
    whole = np.zeros((shape[0], shape[1], 2), np.float32)
    reach = max(1, min(round(FADE * unit), (period - over) // 2))
    fade = _fade(reach)
    for i, field in enumerate(smooth):
        half = 0.5 * field / unit
        # A feature at p on the left lies at p + flow on the right: the left looks back half, the right ahead half.
        whole[:, :over, i] = -half
        whole[:, over : over + reach, i] = -half[:, -1:] * fade
        whole[:, period : period + over, i] = half
        whole[:, period - reach : period, i] = half[:, :1] * fade[:, ::-1]
    return np.asarray(cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA), np.float32)


def _fade(count: int) -> NDArray[np.float32]:
    t = (np.arange(count, dtype=np.float32) + 0.5) / count
    return np.asarray((1 - t * t * (3 - 2 * t))[None], np.float32)


def _grey(part: Pixels) -> NDArray[np.uint8]:
    result: NDArray[np.uint8] = cv2.cvtColor(encode_srgb8(np.ascontiguousarray(part)), cv2.COLOR_RGB2GRAY)
    return result


def apply_warp(layer: Pixels, shifts: Pixels, width: int) -> Pixels:
    """A layer of the sample, looked up at its shifts. width: of the tile in the layer's px."""
    if not np.any(shifts):
        return layer
    rows, columns = layer.shape[:2]
    fine = cv2.resize(shifts, (columns, rows), interpolation=cv2.INTER_LINEAR)
    fine *= np.float32(width)
    source, out = np.ascontiguousarray(layer), np.empty(layer.shape, np.float32)
    across = np.arange(columns, dtype=np.float32)
    # In bands: where each pixel is looked up takes twice the room of a channel.
    for first in range(0, rows, _ROWS):
        last = min(first + _ROWS, rows)
        x = fine[first:last, :, 0] + across
        y = fine[first:last, :, 1] + np.arange(first, last, dtype=np.float32)[:, None]
        part = cv2.remap(source, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        out[first:last] = part.reshape(out[first:last].shape)
    return out
