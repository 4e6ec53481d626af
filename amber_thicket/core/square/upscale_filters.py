"""Filters that enlarge a picture by two, learnt from the picture itself: how each octave follows from the one below it.

Source: Romano, Isidoro & Milanfar, "RAISR: Rapid and accurate image super resolution", IEEE Transactions on
Computational Imaging 3(1), 2017: one filter for each kind of place, told by direction, strength and coherence of its
slopes. There they are learnt from other pictures; here from this one, half as large and as it is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb, luminance
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

# A filter looks at 5 × 5 pixels.
_REACH, _TAPS = 2, 25
_ANGLES, _STRENGTHS, _COHERENCES = 8, 3, 2
_CLASSES = _ANGLES * _STRENGTHS * _COHERENCES
# So far slopes are gathered, px; how much the filter of all places counts in each.
_AROUND, _PRIOR, _FLOOR = 1.2, 0.02, 1e-4
# From which side on there is enough to learn from, and a part of which side tells enough.
LEAST_SIDE, _LEARNT_FROM = 32, 768


@dataclass(frozen=True)
class UpscaleFilters:
    """weights: (classes, 25), what each neighbour's difference from the middle adds to the upper left of the four
    pixels a pixel becomes; the others are the same, mirrored. strengths, coherences: where one class ends."""

    weights: Pixels
    strengths: Pixels
    coherences: Pixels


def learn_filters(pixels: Pixels) -> UpscaleFilters:
    """The filters of a picture. pixels: (H, W, C) linear, at least LEAST_SIDE px a side."""
    side = [min(n, _LEARNT_FROM) // 2 * 2 for n in pixels.shape[:2]]
    top, left = ((n - own) // 2 for n, own in zip(pixels.shape[:2], side, strict=True))
    part = np.ascontiguousarray(pixels[top : top + side[0], left : left + side[1]])
    fine = encode_srgb(part)
    coarse = encode_srgb(shrink(part, 2).reshape(side[0] // 2, side[1] // 2, -1))
    angle, strength, coherence = _structure(coarse)
    strengths = np.quantile(strength, np.arange(1, _STRENGTHS) / _STRENGTHS).astype(np.float32)
    coherences = np.quantile(coherence, np.arange(1, _COHERENCES) / _COHERENCES).astype(np.float32)
    squares = np.zeros((_CLASSES, _TAPS, _TAPS))
    products = np.zeros((_CLASSES, _TAPS))
    _accumulate(_padded(coarse), fine, angle, strength, coherence, strengths, coherences, squares, products)
    for i in range(_TAPS):
        squares[:, i, :i] = squares[:, :i, i]
    every = squares.sum(0)
    usual = np.trace(every) / _TAPS
    general = np.linalg.solve(every + _PRIOR * 0.05 * usual * np.eye(_TAPS) + 1e-12 * np.eye(_TAPS), products.sum(0))
    own = _PRIOR * np.trace(squares, axis1=1, axis2=2) / _TAPS + _FLOOR * usual + 1e-12
    towards = own[:, None, None] * np.eye(_TAPS)
    weights = np.linalg.solve(squares + towards, (products + own[:, None] * general)[..., None])[..., 0]
    return UpscaleFilters(weights.astype(np.float32), strengths, coherences)


def upscaled(pixels: Pixels, filters: UpscaleFilters) -> Pixels:
    """Twice the size by such filters, coded as sRGB. pixels: (H, W, C) linear → (2H, 2W, C)."""
    coded = encode_srgb(pixels)
    structure = _structure(coded)
    out = np.empty((2 * coded.shape[0], 2 * coded.shape[1], coded.shape[2]), np.float32)
    told = (*structure, filters.strengths, filters.coherences, filters.weights)
    over_rows(partial(_apply, _padded(coded), *told, out), coded.shape[0], least=16)
    return out


def _padded(coded: Pixels) -> Pixels:
    return np.pad(coded, [(_REACH, _REACH), (_REACH, _REACH), (0, 0)], mode="reflect")


def _structure(coded: Pixels) -> tuple[Pixels, Pixels, Pixels]:
    """Direction of the slopes in −π/2..π/2, their strength, and how much they agree, (H, W) each."""
    tone = np.ascontiguousarray(luminance(coded) if coded.shape[-1] == 3 else coded[..., 0])
    gx, gy = cv2.Scharr(tone, cv2.CV_32F, 1, 0) / 32, cv2.Scharr(tone, cv2.CV_32F, 0, 1) / 32
    xx, yy, xy = (blur(part, _AROUND, wraps=False) for part in (gx * gx, gy * gy, gx * gy))
    apart = np.sqrt((xx - yy) ** 2 + 4 * xy * xy)
    larger, smaller = np.sqrt(np.maximum(xx + yy + apart, 0) / 2), np.sqrt(np.maximum(xx + yy - apart, 0) / 2)
    angle: Pixels = 0.5 * np.arctan2(2 * xy, xx - yy)
    return angle.astype(np.float32), larger, (larger - smaller) / (larger + smaller + np.float32(1e-6))


@compiled()
def _class_of(angle, strength, coherence, strengths, coherences):  # type: ignore[no-untyped-def]
    turn = int(np.floor((angle + np.float32(np.pi / 2)) / np.float32(np.pi) * _ANGLES + np.float32(0.5))) % _ANGLES
    level, agrees = 0, 0
    for limit in strengths:
        if strength > limit:
            level += 1
    for limit in coherences:
        if coherence > limit:
            agrees += 1
    return (turn * _STRENGTHS + level) * _COHERENCES + agrees


@compiled()
def _accumulate(padded, fine, angle, strength, coherence, strengths, coherences, squares, products):  # type: ignore[no-untyped-def]
    """Normal equations of every class. Mirrored and transposed, each pixel is eight."""
    height, width = angle.shape
    half = np.float32(np.pi / 2)
    taps = np.empty(_TAPS, np.float64)
    side = 2 * _REACH + 1
    for y in range(height):
        for x in range(width):
            for way in range(8):
                right, down, turned = way & 1, (way >> 1) & 1, way >> 2
                at = -angle[y, x] if right != down else angle[y, x]
                if turned:
                    at = half - at
                    if at >= half:
                        at -= np.float32(np.pi)
                k = _class_of(at, strength[y, x], coherence[y, x], strengths, coherences)
                for c in range(fine.shape[2]):
                    middle = padded[y + _REACH, x + _REACH, c]
                    for j in range(side):
                        for i in range(side):
                            v = y + (side - 1 - j if down else j)
                            u = x + (side - 1 - i if right else i)
                            taps[i * side + j if turned else j * side + i] = padded[v, u, c] - middle
                    target = fine[2 * y + down, 2 * x + right, c] - middle
                    for a in range(_TAPS):
                        products[k, a] += taps[a] * target
                        for b in range(a, _TAPS):
                            squares[k, a, b] += taps[a] * taps[b]


@compiled(loose=True)
def _apply(padded, angle, strength, coherence, strengths, coherences, weights, out, first, last):  # type: ignore[no-untyped-def]
    side = 2 * _REACH + 1
    for y in range(first, last):
        for x in range(angle.shape[1]):
            for down in range(2):
                for right in range(2):
                    at = -angle[y, x] if right != down else angle[y, x]
                    own = weights[_class_of(at, strength[y, x], coherence[y, x], strengths, coherences)]
                    for c in range(out.shape[2]):
                        middle = padded[y + _REACH, x + _REACH, c]
                        total = middle
                        for j in range(side):
                            v = y + (side - 1 - j if down else j)
                            for i in range(side):
                                u = x + (side - 1 - i if right else i)
                                total += own[j * side + i] * (padded[v, u, c] - middle)
                        out[2 * y + down, 2 * x + right, c] = total
