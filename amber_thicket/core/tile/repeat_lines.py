"""Lines that give a repeat away: a crack, a seam, a scratch that runs alone over the tile.

Looked for as one long and narrow difference of tone in one of many directions; it counts where it is far stronger than
what else runs over the tile, so that joints, courses and grain, which are lines everywhere, are not accused.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Directions; half length and width of what is looked for (standard deviations, px of 256).
_TURNS, _LONG, _WIDE = 16, 13.0, 0.9
# A line is over this × what is usual in the tile and over this × the mean of others, and so long, in px of 256; one all
# the way round is a course.
_USUAL, _OTHERS, _LEAST, _ROUND = 4.5, 1.8, 48, 250
_PEAKS, _COMPARED = 9, slice(3, 8)
# What belongs to a line stays above this share of its peak; so far beside it nothing else begins, px.
_BELONGS, _BESIDE = 0.5, 17
_STEP = 12


@dataclass(frozen=True)
class Line:
    """points: (x, y) along it in tile widths and heights. ratio: × the limit from which on it is seen."""

    points: tuple[tuple[float, float], ...]
    ratio: float


@lru_cache(maxsize=4)
def _kernels(shape: tuple[int, int]) -> NDArray[np.complex128]:
    height, width = shape
    y, x = np.mgrid[-(height // 2) : height - height // 2, -(width // 2) : width - width // 2]
    found = []
    for turn in np.arange(_TURNS) * np.pi / _TURNS:
        along, aside = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
        narrow, wide = (np.exp(-(aside**2) / (2 * s * s)) / s for s in (_WIDE, 3 * _WIDE))
        kernel = np.exp(-(along**2) / (2 * _LONG * _LONG)) * (narrow - wide)
        found.append(np.fft.rfft2(np.fft.ifftshift(kernel / np.abs(kernel).sum())))
    return np.stack(found)


def find_line(tone: Pixels) -> Line | None:
    """The line that stands out of a tile, if one does. tone: (H, W) lightness, 256 px long; edges meet."""
    shape = (tone.shape[0], tone.shape[1])
    found = np.fft.irfft2(np.fft.rfft2(tone)[None] * _kernels(shape), shape)
    strength = np.abs(found).max(axis=0).astype(np.float32)
    usual = float(np.median(strength))
    left, peaks, first = strength.copy(), [], None
    for _ in range(_PEAKS):
        at = divmod(int(left.argmax()), shape[1])
        peak = float(left[at])
        if peak <= 0:
            break
        around, shift = _belonging(strength, at)
        if first is None:
            first = (around, shift)
        peaks.append(peak)
        near = cv2.dilate(around.astype(np.uint8), np.ones((_BESIDE, _BESIDE), np.uint8)) > 0
        left[np.roll(near, (-shift[0], -shift[1]), (0, 1))] = 0
    if first is None or len(peaks) <= _COMPARED.start:
        return None
    ratio = min(peaks[0] / max(_USUAL * usual, 1e-6), peaks[0] / (_OTHERS * float(np.mean(peaks[_COMPARED]))))
    rows, columns = np.nonzero(first[0])
    long = max(int(np.ptp(rows)), int(np.ptp(columns)))
    if ratio < 1 or not _LEAST <= long < _ROUND * max(shape) / 256:
        return None
    return Line(_traced(first[0], strength, first[1], long), round(ratio, 3))


def _belonging(strength: Pixels, at: tuple[int, int]) -> tuple[NDArray[np.bool_], tuple[int, int]]:
    """What hangs together with a place, on the tile shifted so that it lies in the middle; how far that is."""
    height, width = strength.shape
    shift = height // 2 - at[0], width // 2 - at[1]
    around = np.roll(strength, shift, (0, 1))
    _, labels = cv2.connectedComponents((around > _BELONGS * strength[at]).astype(np.uint8))
    return np.asarray(labels == labels[height // 2, width // 2]), shift


def _traced(
    mask: NDArray[np.bool_], strength: Pixels, shift: tuple[int, int], long: int
) -> tuple[tuple[float, float], ...]:
    """Points along a line, each the middle of a piece of it."""
    height, width = mask.shape
    rows, columns = np.nonzero(mask)
    places = np.stack([columns, rows], -1).astype(np.float64)
    weights = np.roll(strength, shift, (0, 1))[rows, columns].astype(np.float64)
    away = places - np.average(places, axis=0, weights=weights)
    _, _, axes = np.linalg.svd(away - away.mean(axis=0), full_matrices=False)
    along = away @ axes[0]
    count = max(3, round(long / _STEP))
    parts = np.clip(((along - along.min()) / max(float(np.ptp(along)), 1e-6) * count).astype(int), 0, count - 1)
    points = []
    for part in range(count):
        own = parts == part
        if own.any():
            x, y = np.average(places[own], axis=0, weights=weights[own])
            points.append(
                (round(float((x - shift[1] + 0.5) / width % 1), 4), round(float((y - shift[0] + 0.5) / height % 1), 4))
            )
    return tuple(points)
