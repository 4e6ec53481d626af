"""Resampling of pictures: area averaging down, cubic or Lanczos up.

Sources: Keys, "Cubic convolution interpolation for digital image processing", IEEE Transactions on Acoustics, Speech,
and Signal Processing 29(6), 1981 (a = −1/2); Duchon, "Lanczos filtering in one and two dimensions", Journal of Applied
Meteorology 18(8), 1979 (three lobes); Turkowski, "Filters for common resampling tasks", Graphics Gems, 1990 (both for
pictures).
"""

from __future__ import annotations

from functools import partial
from typing import Protocol

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

# Rows that are gone along side by side.
_ROWS = 16
# No limit at all; loops whose sums may be taken in another order know no infinity.
_LOWEST = np.finfo(np.float32).min


def region(
    pixels: Pixels,
    box: tuple[float, float, float, float],
    size: tuple[int, int],
    *,
    mode: str,
    least: float = -np.inf,
) -> Pixels:
    """A sub-rectangle resampled to size. least: where resampling would swing below this, it is this.

    pixels: (H, W[, C]) float32. box: left, top, right, bottom in pixels (edges, not centres; may be
    fractional). size: (width, height) of the result. mode: "smooth" or "sharp", used when enlarging.
    """
    left, top, right, bottom = box
    width, height = size
    scale_x, scale_y = (right - left) / width, (bottom - top) / height
    if scale_x > 1.0 or scale_y > 1.0:
        pixels, left, top = _presmoothed(pixels, left, top, right, bottom)
        soft = max(scale_x, scale_y)
        if soft > 1.15:
            sigma = 0.42 * (soft * soft - 1) ** 0.5
            pixels = cv2.GaussianBlur(pixels, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    x = (np.arange(width, dtype=np.float32) + 0.5) * np.float32(scale_x) + np.float32(left - 0.5)
    y = (np.arange(height, dtype=np.float32) + 0.5) * np.float32(scale_y) + np.float32(top - 0.5)
    if _is_whole(x) and _is_whole(y) and x[0] >= 0 and y[0] >= 0:
        x0, y0 = round(float(x[0])), round(float(y[0]))
        if x0 + width <= pixels.shape[1] and y0 + height <= pixels.shape[0]:
            part = np.ascontiguousarray(pixels[y0 : y0 + height, x0 : x0 + width])
            if least == -np.inf:
                return part
            # What was only cut out is the picture's own memory.
            result: Pixels = np.maximum(part, least, out=None if np.may_share_memory(part, pixels) else part)
            return result
    return _separable(pixels, x, y, mode, np.float32(least))


class Mapping(Protocol):
    """From the flattened picture to the capture; see core/square/view.py."""

    @property
    def homography(self) -> Pixels: ...
    @property
    def lens(self) -> tuple[float, float, float, float]: ...
    @property
    def size(self) -> tuple[float, float]: ...
    def scales(self, box: tuple[float, float, float, float], width: int) -> tuple[float, float]: ...


def warped(pixels: Pixels, view: Mapping, box: tuple[float, float, float, float], size: tuple[int, int]) -> Pixels:
    """The box of a flattened picture, looked up in the capture with cubic interpolation.

    pixels: (H, W[, C]) float32, the capture. box: left, top, right, bottom in px of the flattened picture. size:
    (width, height) of the result. Where an output pixel covers several of the capture, several places are averaged.
    """
    width, height = size
    least, most = view.scales(box, width)
    if least > 1.15:
        pixels = cv2.GaussianBlur(pixels, (0, 0), 0.42 * (least**2 - 1) ** 0.5, borderType=cv2.BORDER_REFLECT)
    places = min(4, max(1, round(most / max(least, 1.0) + 0.2)))
    layer = np.ascontiguousarray(pixels.reshape(pixels.shape[0], pixels.shape[1], -1))
    out = np.zeros((height, width, layer.shape[2]), np.float32)
    frame = np.array([box[0] / view.size[0], box[1] / view.size[1], (box[2] - box[0]) / view.size[0] / width,
                      (box[3] - box[1]) / view.size[1] / height])  # fmt: skip
    matrix, lens = np.ascontiguousarray(view.homography, np.float64), np.array(view.lens, np.float64)

    def rows(first: int, last: int) -> None:
        _warp_rows(layer, matrix, lens, frame, places, out, first, last)

    over_rows(rows, height, least=16)
    return out.reshape((height, width, *pixels.shape[2:]))


@compiled()
def _mirrored(at, limit):  # type: ignore[no-untyped-def]
    at = abs(at)
    if at >= limit:
        at = max(2 * limit - 2 - at, 0)
    return min(at, limit - 1)


@compiled(loose=True)
def _cubic(t, out):  # type: ignore[no-untyped-def]
    """Weights of the four samples round a place t past the second one (Keys 1981, a = −1/2). t, out: float32."""
    half, one, two = np.float32(0.5), np.float32(1.0), np.float32(2.0)
    out[0] = ((-half * t + one) * t - half) * t
    out[1] = ((one + half) * t - (two + half)) * t * t + one
    out[2] = ((-(one + half) * t + two) * t + half) * t
    out[3] = half * (t - one) * t * t


@compiled(loose=True)
def _warp_rows(layer, m, lens, frame, places, out, first, last):  # type: ignore[no-untyped-def]
    rows, columns, channels = layer.shape
    half = np.hypot(columns, rows)
    hx, hy = columns / half, rows / half
    wx, wy = np.empty(4, np.float32), np.empty(4, np.float32)
    share = np.float32(1.0 / (places * places))
    bends = lens[0] != 0.0 or lens[1] != 0.0 or lens[2] != 0.0 or lens[3] != 0.0
    for y in range(first, last):
        for x in range(out.shape[1]):
            red, green, blue = np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for part in range(places * places):
                u = frame[0] + (x + (part % places + 0.5) / places) * frame[2]
                v = frame[1] + (y + (part // places + 0.5) / places) * frame[3]
                w = m[2, 0] * u + m[2, 1] * v + m[2, 2]
                px = (m[0, 0] * u + m[0, 1] * v + m[0, 2]) / w
                py = (m[1, 0] * u + m[1, 1] * v + m[1, 2]) / w
                if bends:
                    cx, cy = (px * 2 - 1) * hx, (py * 2 - 1) * hy
                    r2 = cx * cx + cy * cy
                    radial = 1 + lens[0] * r2 + lens[1] * r2 * r2
                    bx = cx * radial + 2 * lens[2] * cx * cy + lens[3] * (r2 + 2 * cx * cx)
                    by = cy * radial + lens[2] * (r2 + 2 * cy * cy) + 2 * lens[3] * cx * cy
                    px, py = (bx / hx + 1) / 2, (by / hy + 1) / 2
                sx, sy = px * columns - 0.5, py * rows - 0.5
                x0, y0 = int(np.floor(sx)), int(np.floor(sy))
                _cubic(np.float32(sx - x0), wx)
                _cubic(np.float32(sy - y0), wy)
                inside = x0 >= 1 and y0 >= 1 and x0 < columns - 2 and y0 < rows - 2
                if inside and channels == 3:
                    # Most places of a picture in colour: everything stays in the processor.
                    w0, w1, w2, w3 = wx[0], wx[1], wx[2], wx[3]
                    for j in range(4):
                        a, b = layer[y0 - 1 + j, x0 - 1], layer[y0 - 1 + j, x0]
                        c, d = layer[y0 - 1 + j, x0 + 1], layer[y0 - 1 + j, x0 + 2]
                        weight = wy[j] * share
                        red += weight * ((a[0] * w0 + b[0] * w1) + (c[0] * w2 + d[0] * w3))
                        green += weight * ((a[1] * w0 + b[1] * w1) + (c[1] * w2 + d[1] * w3))
                        blue += weight * ((a[2] * w0 + b[2] * w1) + (c[2] * w2 + d[2] * w3))
                    continue
                for j in range(4):
                    line = layer[_mirrored(y0 - 1 + j, rows)]
                    for i in range(4):
                        at = _mirrored(x0 - 1 + i, columns)
                        weight = wy[j] * wx[i] * share
                        for channel in range(channels):
                            out[y, x, channel] += weight * line[at, channel]
            if channels == 3:
                out[y, x, 0] += red
                out[y, x, 1] += green
                out[y, x, 2] += blue


def _presmoothed(pixels: Pixels, left: float, top: float, right: float, bottom: float) -> tuple[Pixels, float, float]:
    """Only the part that is needed, with a little room, so that smoothing costs no more than it must."""
    x0, y0 = max(0, int(left) - 8), max(0, int(top) - 8)
    x1, y1 = min(pixels.shape[1], int(right) + 9), min(pixels.shape[0], int(bottom) + 9)
    return np.ascontiguousarray(pixels[y0:y1, x0:x1]), left - x0, top - y0


def _is_whole(at: Pixels) -> bool:
    steps_are_one = at.size < 2 or abs(float(at[-1] - at[0]) - (at.size - 1)) < 1e-3
    return steps_are_one and abs(float(at[0]) - round(float(at[0]))) < 1e-3


def _kernel(distance: Pixels, mode: str) -> Pixels:
    """Weight of a sample at a distance in px: Lanczos of three lobes where the mode is "sharp", else Keys' cubic."""
    away = np.abs(distance)
    if mode == "sharp":
        return np.where(away < 3, np.sinc(distance) * np.sinc(distance / 3), 0).astype(np.float32)
    near = 1.5 * away**3 - 2.5 * away**2 + 1
    far = -0.5 * away**3 + 2.5 * away**2 - 4 * away + 2
    return np.where(away < 1, near, np.where(away < 2, far, 0)).astype(np.float32)


def _taps(at: Pixels, limit: int, mode: str) -> tuple[np.ndarray, Pixels]:
    """The six samples around each place and their weights; where the mode asks for four, the outer ones weigh 0."""
    index = np.floor(at).astype(np.int64)[:, None] + np.arange(-2, 4)[None, :]
    weight = _kernel(at[:, None] - index.astype(np.float32), mode)
    weight /= weight.sum(axis=1, keepdims=True)
    index = np.abs(index)
    index = np.where(index >= limit, np.maximum(2 * limit - 2 - index, 0), index)
    return np.clip(index, 0, limit - 1), weight


def _separable(pixels: Pixels, x: Pixels, y: Pixels, mode: str, least: np.float32) -> Pixels:
    """Exact separable interpolation; weights are the same for every row and column."""
    channels = pixels.size // (pixels.shape[0] * pixels.shape[1])
    lines = np.ascontiguousarray(pixels).reshape(len(pixels), -1)
    down, across = _taps(y, pixels.shape[0], mode), _taps(x, pixels.shape[1], mode)
    out = np.empty((y.size, x.size * channels), np.float32)
    least = max(least, _LOWEST)
    top, end = int(down[0].min()), int(down[0].max()) + 1
    if end - top < 0.8 * y.size:
        # Enlarging down: there are fewer rows to go along before it than after it.
        wide = np.empty((end - top, out.shape[1]), np.float32)
        over_rows(partial(_across, lines[top:end], *across, channels, _LOWEST, wide), len(wide))
        over_rows(partial(_down, wide, down[0] - top, down[1], least, out), y.size)
    else:
        over_rows(partial(_down_and_across, lines, *down, *across, channels, least, out), y.size)
    return out.reshape((y.size, x.size, *pixels.shape[2:]))


@compiled(loose=True)
def _down(lines, index, weight, least, out, first, last):  # type: ignore[no-untyped-def]
    """Each output row from six input rows, (rows, values)."""
    for r in range(first, last):
        to, at, w = out[r], index[r], weight[r]
        a, b, c, d, e, f = lines[at[0]], lines[at[1]], lines[at[2]], lines[at[3]], lines[at[4]], lines[at[5]]
        w0, w1, w2, w3, w4, w5 = w[0], w[1], w[2], w[3], w[4], w[5]
        for i in range(lines.shape[1]):
            to[i] = max((a[i] * w0 + b[i] * w1) + (c[i] * w2 + d[i] * w3) + (e[i] * w4 + f[i] * w5), least)


@compiled(loose=True)
def _across(lines, index, weight, channels, least, out, first, last):  # type: ignore[no-untyped-def]
    """Each output value of a row from six of the same row. Several rows side by side, turned so that the processor
    takes the same place of all of them at once: four to six times as fast as along one row."""
    values = lines.shape[1]
    block, done = np.empty((values, _ROWS), np.float32), np.empty((channels, _ROWS), np.float32)
    for top in range(first, last, _ROWS):
        count = min(_ROWS, last - top)
        some, to = lines[top : top + count], out[top : top + count]
        if count == _ROWS:
            # How many is known beforehand, which lets the compiler write it out.
            for i in range(values):
                for r in range(_ROWS):
                    block[i, r] = some[r, i]
        else:
            for i in range(values):
                for r in range(count):
                    block[i, r] = some[r, i]
        for x in range(len(index)):
            at, w = index[x], weight[x]
            w0, w1, w2, w3, w4, w5 = w[0], w[1], w[2], w[3], w[4], w[5]
            for channel in range(channels):
                a, b = block[at[0] * channels + channel], block[at[1] * channels + channel]
                c, d = block[at[2] * channels + channel], block[at[3] * channels + channel]
                e, f = block[at[4] * channels + channel], block[at[5] * channels + channel]
                told = done[channel]
                for r in range(_ROWS):
                    value = (a[r] * w0 + b[r] * w1) + (c[r] * w2 + d[r] * w3) + (e[r] * w4 + f[r] * w5)
                    told[r] = max(value, least)
            if channels == 3:
                for r in range(count):
                    to[r, 3 * x], to[r, 3 * x + 1], to[r, 3 * x + 2] = done[0, r], done[1, r], done[2, r]
            else:
                for channel in range(channels):
                    for r in range(count):
                        to[r, channels * x + channel] = done[channel, r]


@compiled(loose=True)
def _down_and_across(  # type: ignore[no-untyped-def]
    lines, index_y, weight_y, index_x, weight_x, channels, least, out, first, last
):
    """Down for a few rows at a time, which then lie near for going across."""
    rows = np.empty((_ROWS, lines.shape[1]), np.float32)
    for top in range(first, last, _ROWS):
        count, end = min(_ROWS, last - top), min(top + _ROWS, last)
        _down(lines, index_y[top:end], weight_y[top:end], np.float32(_LOWEST), rows, 0, count)
        _across(rows, index_x, weight_x, channels, least, out[top:end], 0, count)


def repeated(pixels: Pixels, size: tuple[int, int], count: int) -> Pixels:
    """A tile laid side by side `count` times across and as often as needed down. size: (width, height) px."""
    width, height = size
    down = max(1, round(count * height * pixels.shape[1] / (width * pixels.shape[0])))
    whole = np.tile(pixels, (down, count) + (1,) * (pixels.ndim - 2))
    if whole.shape[:2] == (height, width):
        return whole
    return np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_LINEAR))
