"""Enlarging with detail that the picture itself shows elsewhere, held true to the input.

Sources: Glasner, Bagon & Irani, "Super-resolution from a single image", ICCV 2009 (finer copies within the picture);
Barnes et al., "PatchMatch", SIGGRAPH 2009 (the search); Irani & Peleg, "Improving resolution by image registration",
CVGIP 53(3), 1991 (iterative back-projection).
"""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb, linear_of_coded, luminance
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.upscale_filters import UpscaleFilters, upscaled

_REACH = 2  # patches of 5 × 5
_STRIDE = 2
# Rows of patches that are put together at a time.
_BAND = 32
# Rounds of the search: two find as good ones as four (27.735 dB on eighteen surfaces); 0.1 took four.
_ROUNDS, _ROUNDS_OF_0_1 = 2, 4
_TRUST = 0.03
_LEAST, _MOST, _SURE = 0.2, 0.8, 0.012
_BACK = 8
# How much of the result learnt filters tell.
_TOLD = 0.6
# How far a pixel may go beyond the values around it, in shares of their range; how often that and the block's mean are
# held in turn.
_BEYOND, _HELD = 0.1, 3


def doubled(pixels: Pixels, *, filters: UpscaleFilters | None = None, seed: int = 7) -> Pixels:
    """Twice the size. pixels: (H, W[, C]) linear float32, not negative.

    Shrinking the result by area averaging gives pixels back within 1/255 rms of coded values.

    The finest octave is looked up where the picture, seen at half its size, looks like the enlarged one. filters:
    learnt from the picture before it was first enlarged; what they tell, which is nearer to the truth and less crisp,
    is mixed in, and nothing goes far beyond the values around it. Without them it is as it was in version 0.1.
    """
    flat = pixels.ndim == 2
    layer = pixels[..., None] if flat else pixels
    height, width = layer.shape[:2]
    report_progress(0.0, "Enlarging")
    smooth = np.maximum(_twice(layer), 0)
    if min(height, width) >= 16:
        even = layer[: height // 2 * 2, : width // 2 * 2]
        soft = np.maximum(_twice(shrink(np.ascontiguousarray(even), 2).reshape(height // 2, width // 2, -1)), 0)
        coded, coded_soft = encode_srgb(np.ascontiguousarray(even)), encode_srgb(soft)
        detail = coded - coded_soft
        target = encode_srgb(smooth)
        found = _borrowed(
            _tone(target), _tone(coded_soft), np.ascontiguousarray(detail), seed, _ROUNDS if filters else _ROUNDS_OF_0_1
        )
        report_progress(0.5, "Enlarging")
        found += target
        smooth = linear_of_coded(found if filters is None else (1 - _TOLD) * found + _TOLD * upscaled(layer, filters))
    report_progress(0.7, "Enlarging")
    result = _held_to(smooth, layer)
    result = _evened_out(result if filters is None else _within(result, layer), layer)
    return result[..., 0] if flat else result


def _tone(coded: Pixels) -> Pixels:
    return np.ascontiguousarray(luminance(coded) if coded.shape[-1] == 3 else coded[..., 0])


def _twice(layer: Pixels) -> Pixels:
    height, width = layer.shape[:2]
    larger = cv2.resize(layer, (2 * width, 2 * height), interpolation=cv2.INTER_CUBIC)
    result: Pixels = larger.reshape(2 * height, 2 * width, -1)
    return result


def _held_to(larger: Pixels, layer: Pixels) -> Pixels:
    """Iterative back-projection: what shrinking shows too much or too little is put back."""
    height, width = layer.shape[:2]
    result = larger
    for _ in range(_BACK):
        # In place: fresh memory would cost as much as what is done in it.
        missing = layer - shrink(np.ascontiguousarray(result), 2).reshape(layer.shape)
        step = _twice(missing)
        step += result
        result = np.maximum(step, 0, out=step)
    return result


def _within(larger: Pixels, layer: Pixels) -> Pixels:
    """Nothing goes far beyond the values around it: no black specks, no glints that the picture does not have."""
    near = np.ones((3, 3), np.uint8)
    low, high = (morph(layer, near).reshape(layer.shape) for morph in (cv2.erode, cv2.dilate))
    room = np.float32(_BEYOND) * (high - low)
    least, most = _blocks(np.maximum(low - room, (1 - _BEYOND) * low)), _blocks(high + room)
    result = np.clip(larger, least, most)
    for _ in range(_HELD):
        # What was taken from one pixel of a block goes to the others.
        evened = _evened_out(result, layer)
        result = np.clip(evened, least, most, out=evened)
    return np.asarray(result)


def _evened_out(larger: Pixels, layer: Pixels) -> Pixels:
    """What is left goes back block by block: shrinking then gives the input itself wherever nothing had to be
    clipped."""
    missing = layer - shrink(np.ascontiguousarray(larger), 2).reshape(layer.shape)
    step = _blocks(missing)
    step += larger
    answer: Pixels = np.maximum(step, 0, out=step)
    return answer


def _blocks(layer: Pixels) -> Pixels:
    height, width = layer.shape[:2]
    result: Pixels = cv2.resize(layer, (2 * width, 2 * height), interpolation=cv2.INTER_NEAREST)
    return result.reshape(2 * height, 2 * width, *layer.shape[2:])


def _borrowed(target: Pixels, soft: Pixels, detail: Pixels, seed: int, rounds: int) -> Pixels:
    """Detail for each place of target (2H, 2W) from where soft (H, W) looks the same. detail: (H, W, C)."""
    rows, columns = target.shape
    grid = ((rows - 2 * _REACH - 1) // _STRIDE + 1, (columns - 2 * _REACH - 1) // _STRIDE + 1)
    at = np.zeros((*grid, 2), np.int32)
    cost = np.full(grid, np.inf, np.float32)

    def rows_of(first: int, last: int) -> None:
        _match(target, soft, at, cost, seed, rounds, first, last)

    over_rows(rows_of, grid[0], least=32)
    total = np.zeros((rows, columns, detail.shape[2]), np.float32)
    weight = np.full((rows, columns), 1e-6, np.float32)
    # Patches of one band reach into the next one, so every other band is done first.
    for odd in (0, 1):
        starts = np.arange(odd * _BAND, grid[0], 2 * _BAND)
        over_rows(partial(_gather, at, cost, detail, starts, total, weight), len(starts), least=1)
    total /= weight[..., None]
    return total


@compiled(loose=True)
def _distance(target, soft, y, x, v, u, most):  # type: ignore[no-untyped-def]
    total = np.float32(0.0)
    # Unsigned places: none has to be asked whether it counts from the end.
    top, left, other_top, other_left = (
        np.uint64(y - _REACH), np.uint64(x - _REACH), np.uint64(v - _REACH), np.uint64(u - _REACH),
    )  # fmt: skip
    for j in range(np.uint64(2 * _REACH + 1)):
        for i in range(np.uint64(2 * _REACH + 1)):
            off = target[top + j, left + i] - soft[other_top + j, other_left + i]
            total += off * off
        if total >= most:
            return total
    return total


@compiled(loose=True)
def _match(target, soft, at, cost, seed, rounds, first, last):  # type: ignore[no-untyped-def]
    """Nearest patches by propagation and random search, rows first..last of the grid by themselves."""
    height, width = soft.shape
    columns = at.shape[1]
    low_y, high_y, low_x, high_x = _REACH, height - 1 - _REACH, _REACH, width - 1 - _REACH
    state = np.uint32(seed * 7919 + first * 104729 + 1)
    for turn in range(rounds):
        forth = turn % 2 == 0
        for step_y in range(last - first):
            gy = first + step_y if forth else last - 1 - step_y
            y = gy * _STRIDE + _REACH
            for step_x in range(columns):
                gx = step_x if forth else columns - 1 - step_x
                x = gx * _STRIDE + _REACH
                best = cost[gy, gx]
                v, u = at[gy, gx, 0], at[gy, gx, 1]
                if turn == 0:
                    v = min(max(y // 2, low_y), high_y)
                    u = min(max(x // 2, low_x), high_x)
                    best = _distance(target, soft, y, x, v, u, np.float32(np.inf))
                back = -1 if forth else 1
                for side in range(2):
                    ny, nx = (gy + back, gx) if side == 0 else (gy, gx + back)
                    if ny < first or ny >= last or nx < 0 or nx >= columns:
                        continue
                    tv = at[ny, nx, 0] - (back * _STRIDE if side == 0 else 0)
                    tu = at[ny, nx, 1] - (back * _STRIDE if side == 1 else 0)
                    if tv < low_y or tv > high_y or tu < low_x or tu > high_x:
                        continue
                    d = _distance(target, soft, y, x, tv, tu, best)
                    if d < best:
                        best, v, u = d, tv, tu
                reach = max(height, width) // 2
                while reach >= 1:
                    state = np.uint32(state * np.uint32(1664525) + np.uint32(1013904223))
                    ry = np.int64(state >> np.uint32(9)) % (2 * reach + 1) - reach
                    state = np.uint32(state * np.uint32(1664525) + np.uint32(1013904223))
                    rx = np.int64(state >> np.uint32(9)) % (2 * reach + 1) - reach
                    tv = min(max(v + ry, low_y), high_y)
                    tu = min(max(u + rx, low_x), high_x)
                    d = _distance(target, soft, y, x, tv, tu, best)
                    if d < best:
                        best, v, u = d, tv, tu
                    reach //= 3
                at[gy, gx, 0], at[gy, gx, 1] = v, u
                cost[gy, gx] = best


@compiled(loose=True)
def _gather(at, cost, detail, starts, total, weight, first, last):  # type: ignore[no-untyped-def]
    """Sum of the overlapping patches of some bands of the grid, the better matches counting more."""
    area = np.float32((2 * _REACH + 1) ** 2)
    scale, sure = np.float32(1.0 / (_TRUST * _TRUST)), np.float32(1.0 / (_SURE * _SURE))
    for band in range(first, last):
        for gy in range(starts[band], min(starts[band] + _BAND, at.shape[0])):
            _gather_row(gy, at, cost, detail, total, weight, scale, sure, area)


@compiled(loose=True)
def _gather_row(gy, at, cost, detail, total, weight, scale, sure, area):  # type: ignore[no-untyped-def]
    side = np.uint64(2 * _REACH + 1)
    for gx in range(at.shape[1]):
        top, left = np.uint64(gy * _STRIDE), np.uint64(gx * _STRIDE)
        from_top, from_left = np.uint64(at[gy, gx, 0] - _REACH), np.uint64(at[gy, gx, 1] - _REACH)
        w = np.exp(-cost[gy, gx] / area * scale) + np.float32(1e-4)
        share = w * (_LEAST + (_MOST - _LEAST) * np.exp(-cost[gy, gx] / area * sure))
        for j in range(side):
            for i in range(side):
                weight[top + j, left + i] += w
                for c in range(detail.shape[2]):
                    total[top + j, left + i, c] += share * detail[from_top + j, from_left + i, c]
