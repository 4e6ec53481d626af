"""Gaussian smoothing that either wraps around or mirrors at the edges, at any width, in near constant time.

Wide kernels run on a shrunken grid whose own blur is subtracted from the wanted variance.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

_WORK_SIGMA = 3.0
_FAST_SIGMA = 1.4
# Values that are enlarged at a time.
_BAND_VALUES = 1 << 20
# Share of a smoothed weight at which a value counts half.
_SURE = 0.02


def pad(pixels: Pixels, margin: int, *, wraps: bool) -> Pixels:
    """Margin pixels added on every side: wrapped round, or mirrored. pixels: (H, W[, C])."""
    height, width = pixels.shape[:2]
    if margin <= min(height, width):
        kind = cv2.BORDER_WRAP if wraps else cv2.BORDER_REFLECT
        result: Pixels = cv2.copyMakeBorder(pixels, margin, margin, margin, margin, kind)
        return result
    widths = [(margin, margin), (margin, margin)] + [(0, 0)] * (pixels.ndim - 2)
    return np.pad(pixels, widths, mode="wrap" if wraps else "symmetric")


def _shrink_factor(sigma: float, height: int, width: int, wraps: bool, least: float) -> int:
    factor = 1
    while sigma / (2 * factor) >= least and min(height, width) // (2 * factor) >= 4:
        if wraps and (height % (2 * factor) or width % (2 * factor)):
            break
        factor *= 2
    return factor


def _direct(pixels: Pixels, sigma: float, wraps: bool) -> Pixels:
    if sigma < 0.05:
        return pixels.copy()
    margin = max(1, int(np.ceil(3.5 * sigma)))
    size = 2 * margin + 1
    if margin > min(pixels.shape[:2]) or pixels.dtype != np.float32:
        soft = cv2.GaussianBlur(pad(pixels, margin, wraps=wraps), (size, size), sigma, borderType=cv2.BORDER_REPLICATE)
        return np.ascontiguousarray(soft[margin:-margin, margin:-margin])
    layer = np.ascontiguousarray(pixels)
    # As the library: one channel comes back without an axis of its own.
    out = np.empty(layer.shape[: 2 if layer.shape[2:] == (1,) else 3], np.float32)
    lines, channels = layer.reshape(len(layer), -1), layer.size // (layer.shape[0] * layer.shape[1])
    taps = cv2.getGaussianKernel(size, sigma, cv2.CV_32F)[margin:, 0].copy()
    over_rows(partial(_smooth_rows, lines, channels, wraps, taps, out.reshape(lines.shape)), len(layer), least=32)
    return out


@compiled()
def _around(at, length, wraps):  # type: ignore[no-untyped-def]
    """An index up to one length beyond the ends, wrapped round or mirrored."""
    if at < 0:
        return at + length if wraps else -1 - at
    if at >= length:
        return at - length if wraps else 2 * length - 1 - at
    return at


@compiled(loose=True)
def _smooth_rows(lines, channels, wraps, taps, out, first, last):  # type: ignore[no-untyped-def]
    """Down and across in one go, with less traffic than the library's. lines: (rows, values). taps: the middle one and
    those to one side."""
    height, count = lines.shape
    reach = len(taps) - 1
    room = reach * channels
    wide = np.empty(count + 2 * room, np.float32)
    line = wide[room : room + count]
    for y in range(first, last):
        here, w0 = lines[y], taps[0]
        for i in range(count):
            line[i] = here[i] * w0
        # Two taps a time: half as often to and from memory.
        for k in range(1, reach + 1, 2):
            above, below, w1 = lines[_around(y - k, height, wraps)], lines[_around(y + k, height, wraps)], taps[k]
            if k == reach:
                for i in range(count):
                    line[i] += (above[i] + below[i]) * w1
                continue
            up, down = lines[_around(y - k - 1, height, wraps)], lines[_around(y + k + 1, height, wraps)]
            w2 = taps[k + 1]
            for i in range(count):
                line[i] += (above[i] + below[i]) * w1 + (up[i] + down[i]) * w2
        for k in range(1, reach + 1):
            left = count - k * channels if wraps else (k - 1) * channels
            right = (k - 1) * channels if wraps else count - k * channels
            for c in range(channels):
                wide[room - k * channels + c] = line[left + c]
                wide[room + count + (k - 1) * channels + c] = line[right + c]
        to = out[y]
        for i in range(count):
            to[i] = line[i] * w0
        for k in range(1, reach + 1, 2):
            before, after, w1 = wide[room - k * channels :], wide[room + k * channels :], taps[k]
            if k == reach:
                for i in range(count):
                    to[i] += (before[i] + after[i]) * w1
                continue
            back, ahead, w2 = wide[room - (k + 1) * channels :], wide[room + (k + 1) * channels :], taps[k + 1]
            for i in range(count):
                to[i] += (before[i] + after[i]) * w1 + (back[i] + ahead[i]) * w2


def blur(pixels: Pixels, sigma: float, *, wraps: bool, fast: bool = False) -> Pixels:
    """Gaussian smoothing of (H, W) or (H, W, C) float32 with standard deviation sigma in pixels.

    fast: work on a coarser grid, where any smooth low-pass will do (errors of 2 % of the spread).
    """
    soft = _on_coarse_grid(pixels, sigma, wraps, _FAST_SIGMA if fast else _WORK_SIGMA)
    if soft.shape[:2] == pixels.shape[:2]:
        return soft
    return enlarge(soft, pixels.shape[0], pixels.shape[1], wraps=wraps)


def blur_reduced(pixels: Pixels, sigma: float, *, wraps: bool) -> Pixels:
    """What blur() with fast makes of (H, W[, C]) float32, on the grid that it works on, (h, w[, C]), no finer: enlarged
    linearly it is the same."""
    soft = _on_coarse_grid(pixels, sigma, wraps, _FAST_SIGMA)
    return soft.reshape(*soft.shape[:2], *pixels.shape[2:])


def _on_coarse_grid(pixels: Pixels, sigma: float, wraps: bool, least: float) -> Pixels:
    factor, rest = _coarser(sigma, pixels.shape[0], pixels.shape[1], wraps, least)
    return _direct(shrink(pixels, factor), rest, wraps)


def _coarser(sigma: float, height: int, width: int, wraps: bool, least: float) -> tuple[int, float]:
    """How many times coarser a grid still shows what is smoothed by sigma, and what is left to smooth on it."""
    factor = _shrink_factor(sigma, height, width, wraps, least)
    if factor == 1:
        return 1, sigma
    # Area averaging and linear enlarging blur by about f²/12 and f²/6 on their own.
    return factor, max(sigma * sigma - factor * factor / 4.0, 0.01) ** 0.5 / factor


def shrink(pixels: Pixels, factor: int) -> Pixels:
    """Area average over factor × factor pixels (sizes rounded up). pixels: (H, W[, C])."""
    if factor == 1:
        return pixels
    height, width = pixels.shape[:2]
    size = (max(1, -(-width // factor)), max(1, -(-height // factor)))
    if (height % factor or width % factor) and pixels.dtype == np.float32:
        return _averaged(pixels, size)
    result: Pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return result


def _averaged(pixels: Pixels, size: tuple[int, int]) -> Pixels:
    """Area average where cells are no whole number of pixels, several times as fast as the library's. size: (width,
    height), no larger than the picture."""
    layer = np.ascontiguousarray(pixels).reshape(*pixels.shape[:2], -1)
    out = np.empty((size[1], size[0], layer.shape[2]), np.float32)
    down, across = _cells(pixels.shape[0], size[1]), _cells(pixels.shape[1], size[0])
    over_rows(partial(_average_rows, layer, *down, *across, out), size[1], least=16)
    # As the library: one channel comes back without an axis of its own.
    return out[..., 0] if out.shape[2] == 1 else out


def _cells(extent: int, count: int) -> tuple[NDArray[np.int64], Pixels]:
    """First pixel of each cell, (count,), and how much of each pixel from there on counts, (count, pixels)."""
    edges = np.arange(count + 1) * (extent / count)
    taps = min(int(np.ceil(extent / count)) + 1, extent)
    begin = np.minimum(edges[:-1].astype(np.int64), extent - taps)
    at = begin[:, None] + np.arange(taps)
    inside = np.minimum(edges[1:, None], at + 1) - np.maximum(edges[:-1, None], at)
    return begin, (np.maximum(inside, 0) * (count / extent)).astype(np.float32)


@compiled(loose=True)
def _average_rows(layer, tops, heights, lefts, widths, out, first, last):  # type: ignore[no-untyped-def]
    width, channels = layer.shape[1], layer.shape[2]
    line = np.empty((width, channels), np.float32)
    flat = line.reshape(width * channels)
    for r in range(first, last):
        if heights.shape[1] == 3:
            upper, middle, lower = layer[tops[r]], layer[tops[r] + 1], layer[tops[r] + 2]
            u, m, w = upper.reshape(width * channels), middle.reshape(width * channels), lower.reshape(width * channels)
            s0, s1, s2 = heights[r, 0], heights[r, 1], heights[r, 2]
            for i in range(len(flat)):
                flat[i] = u[i] * s0 + m[i] * s1 + w[i] * s2
        else:
            flat[:] = 0.0
            for t in range(heights.shape[1]):
                share, row = heights[r, t], layer[tops[r] + t].reshape(width * channels)
                if share > 0.0:
                    for i in range(len(flat)):
                        flat[i] += row[i] * share
        if channels == 3 and widths.shape[1] == 3:
            to = out[r].reshape(out.shape[1] * 3)
            for x in range(out.shape[1]):
                at, s0, s1, s2 = 3 * lefts[x], widths[x, 0], widths[x, 1], widths[x, 2]
                to[3 * x] = flat[at] * s0 + flat[at + 3] * s1 + flat[at + 6] * s2
                to[3 * x + 1] = flat[at + 1] * s0 + flat[at + 4] * s1 + flat[at + 7] * s2
                to[3 * x + 2] = flat[at + 2] * s0 + flat[at + 5] * s1 + flat[at + 8] * s2
            continue
        if channels == 3:
            for x in range(out.shape[1]):
                red, green, blue = np.float32(0.0), np.float32(0.0), np.float32(0.0)
                for t in range(widths.shape[1]):
                    share, at = widths[x, t], 3 * (lefts[x] + t)
                    red += flat[at] * share
                    green += flat[at + 1] * share
                    blue += flat[at + 2] * share
                out[r, x, 0], out[r, x, 1], out[r, x, 2] = red, green, blue
            continue
        for x in range(out.shape[1]):
            for c in range(channels):
                total = np.float32(0.0)
                for t in range(widths.shape[1]):
                    total += line[lefts[x] + t, c] * widths[x, t]
                out[r, x, c] = total


def enlarge(pixels: Pixels, height: int, width: int, *, wraps: bool, cubic: bool = False) -> Pixels:
    """Smooth enlarging to (height, width); with wraps the edges still meet."""
    mode = cv2.INTER_CUBIC if cubic else cv2.INTER_LINEAR
    small_height, small_width = pixels.shape[:2]
    if not wraps:
        result: Pixels = cv2.resize(pixels, (width, height), interpolation=mode)
        return result
    if height % small_height or width % small_width:
        return _enlarged_round(pixels, height, width, mode)
    fy, fx, margin = height // small_height, width // small_width, 2
    padded = pad(pixels, margin, wraps=True)
    out = np.empty((height, width, *pixels.shape[2:]), np.float32)
    # In bands, so that all of it is not there twice.
    rows = max(1, _BAND_VALUES // (out[:1].size * fy))
    for first in range(0, small_height, rows):
        band = padded[first : min(first + rows, small_height) + 2 * margin]
        large = cv2.resize(band, (width + 2 * margin * fx, len(band) * fy), interpolation=mode)
        inside = large[margin * fy : -margin * fy, margin * fx : margin * fx + width]
        out[first * fy : first * fy + len(inside)] = inside
    return out


def _enlarged_round(pixels: Pixels, height: int, width: int, mode: int) -> Pixels:
    """Enlarging by any factor, round the edges: middles of pixels lie where resizing puts them."""
    small_height, small_width = pixels.shape[:2]
    margin = 3
    across, down = small_width / width, small_height / height
    matrix = np.array([[across, 0, across / 2 - 0.5 + margin], [0, down, down / 2 - 0.5 + margin]], np.float64)
    flags = mode | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(pad(pixels, margin, wraps=True), matrix, (width, height), flags=flags), np.float32)


def guided(guide: Pixels, sigma: float, eps: float, *, wraps: bool) -> tuple[Pixels, Pixels]:
    """Coefficients (a, b) of the edge-keeping smoothing a·guide + b of a picture by itself.

    sigma: window in pixels. eps: variance below which the result is flat. Source: He, Sun & Tang,
    "Guided image filtering", IEEE TPAMI 35(6), 2013, with Gaussian windows.
    """
    mean = blur(guide, sigma, wraps=wraps)
    variance = np.maximum(blur(guide * guide, sigma, wraps=wraps) - mean * mean, 0)
    a = variance / (variance + np.float32(eps))
    b = mean * (1 - a)
    return blur(a, sigma, wraps=wraps), blur(b, sigma, wraps=wraps)


def fill_by_normalized_convolution(values: Pixels, weight: Pixels, sigmas: Sequence[float]) -> Pixels:
    """Values carried smoothly into places without weight, from those that have one: smoothed from coarse to fine.

    values: (H, W[, C]). weight: (H, W), 0 where nothing is known. sigmas: widths in px, falling. Source: Knutsson &
    Westin, "Normalized and differential convolution", CVPR 1993.
    """
    flat: Pixels = values if values.ndim == 3 else values[..., None]
    known: Pixels = np.empty(flat.shape, np.float32)
    over_rows(partial(_weighed, np.ascontiguousarray(flat), np.ascontiguousarray(weight), known), len(known))
    lines: Pixels = known.reshape(known.shape[0] * known.shape[1], -1)
    # A product with ones: a sum along an axis of three takes many times as long.
    mean = (np.ones(len(lines), np.float32) @ lines) / np.float32(float(weight.sum()) + 1e-6)
    found: Pixels = np.ascontiguousarray(mean.reshape(1, 1, -1))
    height, width = weight.shape
    for sigma in sigmas:
        # What is smooth is carried on a grid that shows it, and only enlarged for the next, finer one.
        factor, rest = _coarser(sigma, height, width, False, _WORK_SIGMA)
        near, power = (_direct(shrink(layer, factor), rest, False) for layer in (known, weight))
        found = _resized(found, power.shape)
        over_rows(partial(_carry, power, near.reshape(found.shape), np.float32(_SURE), found), len(found))
    found = _resized(found, weight.shape)
    return found.reshape(values.shape)


def _resized(field: Pixels, shape: tuple[int, ...]) -> Pixels:
    """A field (h, w, C) on a grid of another size (height, width)."""
    if field.shape[:2] == shape:
        return field
    large = cv2.resize(field, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
    result: Pixels = large.reshape(*shape, field.shape[2])
    return result


@compiled(loose=True)
def _weighed(values, weight, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        for x in range(weight.shape[1]):
            for c in range(values.shape[2]):
                out[y, x, c] = values[y, x, c] * weight[y, x]


@compiled(loose=True)
def _carry(power, near, sure, found, first, last):  # type: ignore[no-untyped-def]
    """What is known near counts by how much is."""
    for y in range(first, last):
        for x in range(power.shape[1]):
            here = power[y, x]
            counts = here / (here + sure)
            gain = counts / max(here, np.float32(1e-6))
            rest = np.float32(1.0) - counts
            if found.shape[2] == 3:
                # Written out: a loop over three is not unrolled, and takes several times as long.
                found[y, x, 0] = gain * near[y, x, 0] + rest * found[y, x, 0]
                found[y, x, 1] = gain * near[y, x, 1] + rest * found[y, x, 1]
                found[y, x, 2] = gain * near[y, x, 2] + rest * found[y, x, 2]
                continue
            for c in range(found.shape[2]):
                found[y, x, c] = gain * near[y, x, c] + rest * found[y, x, c]
