"""Normal and albedo of every pixel from photographs under known lamps, with shadow and glare set aside.

Sources: Woodham, "Photometric method for determining surface orientation from multiple images", Optical Engineering
19(1), 1980; reweighting with Cauchy weights as in Holland & Welsch, "Robust regression using iteratively reweighted
least-squares", Communications in Statistics A6, 1977.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

# Slopes steeper than this are noise.
_STEEPEST = 0.12
_ROUNDS = 2


class Solved(NamedTuple):
    """normal: (H, W, 3) unit vectors, +Y up. albedo: (H, W, 3) linear, as bright as a level place was lit.
    residual: (H, W), rms difference of photographs and relit surface as a share of the albedo.
    glint: (H, W), the largest light beyond the relit surface, as a share of the same exposure."""

    normal: Pixels
    albedo: Pixels
    residual: Pixels
    glint: Pixels


def dropped(count: int) -> tuple[int, int]:
    """How many of the darkest and of the brightest values of a pixel are not looked at, for so many lamps."""
    if count >= 7:
        return 2, 1
    if count >= 5:
        return 1, 1
    return (1, 0) if count == 4 else (0, 0)


def solve_light_set(photographs: Pixels, lamps: Pixels) -> Solved:
    """photographs: (N, H, W, 3) float32 linear, one exposure. lamps: (N, 3) unit vectors toward the lamps, +Y up, +Z
    out. N at least 3, lamps not all in one plane through the surface.
    """
    count, rows, columns = photographs.shape[:3]
    normal, albedo = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns, 3), np.float32)
    residual, glint = np.empty((rows, columns), np.float32), np.empty((rows, columns), np.float32)
    low, high = dropped(count)
    toward = np.ascontiguousarray(lamps, np.float64)
    level = float(np.mean(toward[:, 2]))

    def work(first: int, last: int) -> None:
        _rows(photographs, toward, low, high, level, normal, albedo, residual, glint, first, last)

    over_rows(work, rows, least=8)
    return Solved(normal, albedo, residual, glint)


@compiled()
def _fit(values, lamps, weights, out):  # type: ignore[no-untyped-def]
    """Weighted least squares g with values ≈ lamps · g, by the adjugate; false where the lamps do not tell."""
    a = b = c = d = e = f = x = y = z = 0.0
    for k in range(values.size):
        w, lx, ly, lz = weights[k], lamps[k, 0], lamps[k, 1], lamps[k, 2]
        a += w * lx * lx
        b += w * lx * ly
        c += w * lx * lz
        d += w * ly * ly
        e += w * ly * lz
        f += w * lz * lz
        v = w * values[k]
        x += v * lx
        y += v * ly
        z += v * lz
    p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
    whole = a * p + b * q + c * r
    if abs(whole) < 1e-9:
        return False
    out[0] = (p * x + q * y + r * z) / whole
    out[1] = (q * x + (a * f - c * c) * y + (b * c - a * e) * z) / whole
    out[2] = (r * x + (b * c - a * e) * y + (a * d - b * b) * z) / whole
    return True


@compiled()
def _median(values):  # type: ignore[no-untyped-def]
    """Of numbers that are put in another order by it (Hoare's selection): the middle, or the mean of both middles."""
    low, high, middle = 0, values.size - 1, values.size // 2
    while low < high:
        pivot = values[(low + high) // 2]
        left, right = low, high
        while left <= right:
            while values[left] < pivot:
                left += 1
            while values[right] > pivot:
                right -= 1
            if left <= right:
                values[left], values[right] = values[right], values[left]
                left += 1
                right -= 1
        if middle <= right:
            high = right
        elif middle >= left:
            low = left
        else:
            break
    found = values[middle]
    if values.size % 2 == 0:
        below = values[0]
        for k in range(1, middle):
            below = max(below, values[k])
        found = 0.5 * (found + below)
    return found


@compiled()
def _drop(values, sign, weights):  # type: ignore[no-untyped-def]
    """Sets the weight of the value that is largest after the sign, among those that count, to 0."""
    found = -1
    for k in range(values.size):
        if weights[k] > 0.0 and (found < 0 or sign * values[k] > sign * values[found]):
            found = k
    weights[found] = 0.0


@compiled(inline=True)
def _direct(g, good, n):  # type: ignore[no-untyped-def]
    """Puts the direction of g into n: straight up where there is none, and never steeper than can be seen."""
    length = np.sqrt(g[0] * g[0] + g[1] * g[1] + g[2] * g[2]) if good else 0.0
    if length < 1e-6:
        n[0], n[1], n[2] = 0.0, 0.0, 1.0
    else:
        n[0], n[1], n[2] = g[0] / length, g[1] / length, g[2] / length
        if n[2] < _STEEPEST:
            flat = np.sqrt(max(n[0] * n[0] + n[1] * n[1], 1e-12))
            side = np.sqrt(1.0 - _STEEPEST * _STEEPEST) / flat
            n[0], n[1], n[2] = n[0] * side, n[1] * side, _STEEPEST


@compiled()
def _rows(photos, lamps, low, high, level, normal, albedo, residual, glint, first, last):  # type: ignore[no-untyped-def]
    count, columns = photos.shape[0], photos.shape[2]
    values, weights, off, size = np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    g, n = np.zeros(3), np.zeros(3)
    for row in range(first, last):
        for column in range(columns):
            for k in range(count):
                values[k] = (photos[k, row, column, 0] + photos[k, row, column, 1] + photos[k, row, column, 2]) / 3.0
                weights[k] = 1.0
            for _ in range(low):
                _drop(values, -1.0, weights)
            for _ in range(high):
                _drop(values, 1.0, weights)
            good = _fit(values, lamps, weights, g)
            spread = 0.0
            for _ in range(_ROUNDS if good and count > 3 else 0):
                for k in range(count):
                    off[k] = values[k] - (lamps[k, 0] * g[0] + lamps[k, 1] * g[1] + lamps[k, 2] * g[2])
                    size[k] = abs(off[k])
                spread = 1.4826 * _median(size) + 1e-5
                for k in range(count):
                    away = off[k] / (2.0 * spread)
                    weights[k] = 1.0 / (1.0 + away * away)
                    if off[k] < -3.0 * spread:
                        weights[k] *= 0.2
                good = _fit(values, lamps, weights, g)
            _direct(g, good, n)
            under = 1e-9
            red = green = blue = 0.0
            for k in range(count):
                facing = lamps[k, 0] * n[0] + lamps[k, 1] * n[1] + lamps[k, 2] * n[2]
                if facing > 0.0:
                    w = weights[k] * facing
                    under += w * facing
                    red += w * photos[k, row, column, 0]
                    green += w * photos[k, row, column, 1]
                    blue += w * photos[k, row, column, 2]
            albedo[row, column, 0] = red / under * level
            albedo[row, column, 1] = green / under * level
            albedo[row, column, 2] = blue / under * level
            mean = (red + green + blue) / 3.0 / under
            total = most = weighed = 0.0
            for k in range(count):
                facing = lamps[k, 0] * n[0] + lamps[k, 1] * n[1] + lamps[k, 2] * n[2]
                rest = values[k] - mean * max(facing, 0.0)
                most = max(most, rest)
                if weights[k] > 0.0:
                    total += weights[k] * rest * rest
                    weighed += weights[k]
            residual[row, column] = np.sqrt(total / max(weighed, 1e-9)) / max(mean * level, 1e-4)
            glint[row, column] = most
            for axis in range(3):
                normal[row, column, axis] = n[axis]
