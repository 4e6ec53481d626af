"""Resampling of pictures: area averaging down, cubic or Lanczos up."""

from __future__ import annotations

from functools import partial
from typing import Protocol

import cv2
import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

MODES = {"smooth": cv2.INTER_CUBIC, "sharp": cv2.INTER_LANCZOS4}


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
            return np.maximum(part, least, out=None if np.may_share_memory(part, pixels) else part)
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
    """Weights of the four samples round a place t past the second one (Keys, a = -1/2)."""
    out[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    out[1] = (1.5 * t - 2.5) * t * t + 1.0
    out[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    out[3] = (0.5 * t - 0.5) * t * t


@compiled(loose=True)
def _warp_rows(layer, m, lens, frame, places, out, first, last):  # type: ignore[no-untyped-def]
    rows, columns, channels = layer.shape
    half = np.hypot(columns, rows)
    hx, hy = columns / half, rows / half
    wx, wy = np.empty(4), np.empty(4)
    share = 1.0 / (places * places)
    bends = lens[0] != 0.0 or lens[1] != 0.0 or lens[2] != 0.0 or lens[3] != 0.0
    for y in range(first, last):
        for x in range(out.shape[1]):
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
                _cubic(sx - x0, wx)
                _cubic(sy - y0, wy)
                inside = x0 >= 1 and y0 >= 1 and x0 < columns - 2 and y0 < rows - 2
                for j in range(4):
                    line = layer[y0 - 1 + j] if inside else layer[_mirrored(y0 - 1 + j, rows)]
                    for i in range(4):
                        at = x0 - 1 + i if inside else _mirrored(x0 - 1 + i, columns)
                        weight = np.float32(wy[j] * wx[i] * share)
                        for channel in range(channels):
                            out[y, x, channel] += weight * line[at, channel]


def _presmoothed(pixels: Pixels, left: float, top: float, right: float, bottom: float) -> tuple[Pixels, float, float]:
    """Only the part that is needed, with a little room, so that smoothing costs no more than it must."""
    x0, y0 = max(0, int(left) - 8), max(0, int(top) - 8)
    x1, y1 = min(pixels.shape[1], int(right) + 9), min(pixels.shape[0], int(bottom) + 9)
    return np.ascontiguousarray(pixels[y0:y1, x0:x1]), left - x0, top - y0


def _is_whole(at: Pixels) -> bool:
    steps_are_one = at.size < 2 or abs(float(at[-1] - at[0]) - (at.size - 1)) < 1e-3
    return steps_are_one and abs(float(at[0]) - round(float(at[0]))) < 1e-3


def _kernel(distance: Pixels, mode: str) -> Pixels:
    away = np.abs(distance)
    if mode == "sharp":
        return np.where(away < 3, np.sinc(distance) * np.sinc(distance / 3), 0).astype(np.float32)
    near = 1.5 * away**3 - 2.5 * away**2 + 1
    far = -0.5 * away**3 + 2.5 * away**2 - 4 * away + 2
    return np.where(away < 1, near, np.where(away < 2, far, 0)).astype(np.float32)


def _taps(at: Pixels, limit: int, mode: str) -> tuple[np.ndarray, Pixels]:
    reach = 3 if mode == "sharp" else 2
    base = np.floor(at).astype(np.int64)
    index = base[:, None] + np.arange(1 - reach, reach + 1)[None, :]
    weight = _kernel(at[:, None] - index.astype(np.float32), mode)
    weight /= weight.sum(axis=1, keepdims=True)
    index = np.abs(index)
    index = np.where(index >= limit, np.maximum(2 * limit - 2 - index, 0), index)
    return np.clip(index, 0, limit - 1), weight


def _separable(pixels: Pixels, x: Pixels, y: Pixels, mode: str, least: np.float32) -> Pixels:
    """Exact separable interpolation; weights are the same for every row and column."""
    channels = pixels.reshape(pixels.shape[0], pixels.shape[1], -1)
    lines = np.ascontiguousarray(channels)
    index_y, weight_y = _taps(y, pixels.shape[0], mode)
    index_x, weight_x = _taps(x, pixels.shape[1], mode)
    together = (np.diff(index_x, axis=1) == 1).all(axis=1)
    kernel = _combine_colours if channels.shape[2] == 3 else _combine
    out = np.empty((y.size, x.size, channels.shape[2]), np.float32)
    needed = int(index_y.max()) + 1 - int(index_y.min())
    if needed < 0.8 * y.size:
        # Enlarging down: there are fewer rows to go along before it than after it.
        top = int(index_y.min())
        wide = np.empty((needed, x.size, channels.shape[2]), np.float32)
        itself, whole = np.arange(top, top + needed)[:, None], np.ones((needed, 1), np.float32)
        over_rows(partial(kernel, lines, itself, whole, index_x, weight_x, together, wide), needed)
        flat, result = wide.reshape(needed, -1), out.reshape(y.size, -1)
        over_rows(partial(_down, flat, index_y - top, weight_y, least, result), y.size)
    else:
        over_rows(partial(kernel, lines, index_y, weight_y, index_x, weight_x, together, out), y.size)
        if least > -np.inf:
            np.maximum(out, least, out=out)
    return out.reshape((y.size, x.size, *pixels.shape[2:]))


@compiled(loose=True)
def _down(lines, index, weight, least, out, first, last):  # type: ignore[no-untyped-def]
    """Each output row from a few input rows, (rows, values)."""
    for r in range(first, last):
        to, at, w = out[r], index[r], weight[r]
        if len(w) == 6:
            a, b, c, d, e, f = lines[at[0]], lines[at[1]], lines[at[2]], lines[at[3]], lines[at[4]], lines[at[5]]
            w0, w1, w2, w3, w4, w5 = w[0], w[1], w[2], w[3], w[4], w[5]
            for i in range(len(to)):
                to[i] = max((a[i] * w0 + b[i] * w1) + (c[i] * w2 + d[i] * w3) + (e[i] * w4 + f[i] * w5), least)
        else:
            a, b, c, d = lines[at[0]], lines[at[1]], lines[at[2]], lines[at[3]]
            w0, w1, w2, w3 = w[0], w[1], w[2], w[3]
            for i in range(len(to)):
                to[i] = max((a[i] * w0 + b[i] * w1) + (c[i] * w2 + d[i] * w3), least)


@compiled(loose=True)
def _combine(lines, index_y, weight_y, index_x, weight_x, together, out, first, last):  # type: ignore[no-untyped-def]
    """Each output row from a few input rows, laid together in a row of its own first."""
    columns, channels = lines.shape[1], lines.shape[2]
    taps, width = index_x.shape[1], out.shape[1]
    source = np.empty((columns, channels), np.float32)
    flat = source.reshape(columns * channels)
    for r in range(first, last):
        flat[:] = 0
        for t in range(index_y.shape[1]):
            row, w = lines[index_y[r, t]].reshape(columns * channels), weight_y[r, t]
            if w != 0.0:
                for i in range(columns * channels):
                    flat[i] += row[i] * w
        target = out[r].reshape(width * channels)
        for x in range(width):
            at, w = index_x[x, 0] * channels, weight_x[x]
            # Nearly everywhere the places lie side by side, which needs no list of them.
            if together[x] and taps == 4:
                for c in range(at, at + channels):
                    target[x * channels + c - at] = (flat[c] * w[0] + flat[c + channels] * w[1]) + (
                        flat[c + 2 * channels] * w[2] + flat[c + 3 * channels] * w[3]
                    )
            elif together[x] and taps == 6:
                for c in range(at, at + channels):
                    target[x * channels + c - at] = (
                        (flat[c] * w[0] + flat[c + channels] * w[1])
                        + (flat[c + 2 * channels] * w[2] + flat[c + 3 * channels] * w[3])
                        + (flat[c + 4 * channels] * w[4] + flat[c + 5 * channels] * w[5])
                    )
            else:
                for c in range(channels):
                    total = np.float32(0.0)
                    for t in range(taps):
                        total += source[index_x[x, t], c] * w[t]
                    target[x * channels + c] = total


@compiled(loose=True)
def _combine_colours(lines, index_y, weight_y, index_x, weight_x, together, out, first, last):  # type: ignore[no-untyped-def]
    """As _combine, for three channels: a fourth beside them lets the processor take a whole pixel at once."""
    columns, taps, width = lines.shape[1], index_x.shape[1], out.shape[1]
    flat, four = np.empty(columns * 3, np.float32), np.zeros(columns * 4, np.float32)
    wide = np.empty(width * 4, np.float32)
    # Places that lie side by side are those in the middle.
    low, high = 0, width
    while low < width and not together[low]:
        low += 1
    while high > low and not together[high - 1]:
        high -= 1
    for r in range(first, last):
        flat[:] = 0
        for t in range(index_y.shape[1]):
            row, v = lines[index_y[r, t]].reshape(columns * 3), weight_y[r, t]
            if v != 0.0:
                for i in range(columns * 3):
                    flat[i] += row[i] * v
        for x in range(columns):
            four[4 * x], four[4 * x + 1], four[4 * x + 2] = flat[3 * x], flat[3 * x + 1], flat[3 * x + 2]
        # Weights by name: the compiler then knows that writing a pixel does not change them.
        for x in range(low, high if taps == 6 else low):
            at, to, w = index_x[x, 0] * 4, 4 * x, weight_x[x]
            w0, w1, w2, w3, w4, w5 = w[0], w[1], w[2], w[3], w[4], w[5]
            for c in range(4):
                wide[to + c] = (
                    (four[at + c] * w0 + four[at + 4 + c] * w1)
                    + (four[at + 8 + c] * w2 + four[at + 12 + c] * w3)
                    + (four[at + 16 + c] * w4 + four[at + 20 + c] * w5)
                )
        for x in range(low, high if taps == 4 else low):
            at, to, w = index_x[x, 0] * 4, 4 * x, weight_x[x]
            w0, w1, w2, w3 = w[0], w[1], w[2], w[3]
            for c in range(4):
                wide[to + c] = (four[at + c] * w0 + four[at + 4 + c] * w1) + (
                    four[at + 8 + c] * w2 + four[at + 12 + c] * w3
                )
        for n in range(low + width - high):
            x = n if n < low else n - low + high
            for c in range(3):
                total = np.float32(0.0)
                for t in range(taps):
                    total += four[index_x[x, t] * 4 + c] * weight_x[x, t]
                wide[4 * x + c] = total
        target = out[r].reshape(width * 3)
        for x in range(width):
            target[3 * x], target[3 * x + 1], target[3 * x + 2] = wide[4 * x], wide[4 * x + 1], wide[4 * x + 2]


def repeated(pixels: Pixels, size: tuple[int, int], count: int) -> Pixels:
    """A tile laid side by side `count` times across and as often as needed down. size: (width, height) px."""
    width, height = size
    down = max(1, round(count * height * pixels.shape[1] / (width * pixels.shape[0])))
    whole = np.tile(pixels, (down, count) + (1,) * (pixels.ndim - 2))
    if whole.shape[:2] == (height, width):
        return whole
    return np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_LINEAR))
