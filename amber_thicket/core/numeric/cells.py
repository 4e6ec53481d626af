"""Cells of a picture: flooded from its quietest places, and joined across their weakest borders.

Source of the flooding: Vincent & Soille, "Watersheds in digital spaces", IEEE TPAMI 13(6), 1991.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

_LEVELS = 2048

Labels = NDArray[np.int32]


def flooded(field: Pixels) -> Labels:
    """Cells of a picture flooded from its local minima, numbered from 0. field: (H, W)."""
    least = cv2.erode(field, np.ones((3, 3), np.uint8))
    _, seeds = cv2.connectedComponents((field <= least).astype(np.uint8), connectivity=8)
    return spread(field, seeds - 1)


def spread(field: Pixels, seeds: NDArray[Any]) -> Labels:
    """Cells of a picture flooded from seeds: their numbers from 0, (H, W), −1 where none lies. field: (H, W)."""
    low, high = float(field.min()), float(np.quantile(field, 0.999))
    levels = ((field - low) * ((_LEVELS - 1) / max(high - low, 1e-9))).clip(0, _LEVELS - 1).astype(np.int32)
    labels = np.ascontiguousarray(seeds, np.int32)
    _flood(levels, labels, _LEVELS)
    return labels


@compiled()
def _flood(levels, labels, count):  # type: ignore[no-untyped-def]
    """Labels spread from what has one (0 and more) over the rest, lowest levels first."""
    height, width = levels.shape
    head, tail = np.full(count, -1, np.int32), np.full(count, -1, np.int32)
    after = np.full(height * width, -1, np.int32)
    for at in range(height * width):
        if labels[at // width, at % width] >= 0:
            level = levels[at // width, at % width]
            if head[level] < 0:
                head[level] = at
            else:
                after[tail[level]] = at
            tail[level] = at
    for level in range(count):
        at = head[level]
        while at >= 0:
            y, x = at // width, at % width
            for way in range(4):
                ny, nx = y + (way == 0) - (way == 1), x + (way == 2) - (way == 3)
                if 0 <= ny < height and 0 <= nx < width and labels[ny, nx] < 0:
                    labels[ny, nx] = labels[y, x]
                    to, reached = ny * width + nx, max(levels[ny, nx], level)
                    if head[reached] < 0:
                        head[reached] = to
                    else:
                        after[tail[reached]] = to
                    tail[reached] = to
            at = after[at]


def touching(labels: Labels, field: Pixels) -> tuple[NDArray[np.int64], NDArray[np.int64], Pixels, Pixels]:
    """(one cell, another, sum of the field on their common border, its length) for all that touch."""
    count = int(labels.max()) + 1
    keys, values = [], []
    for one, other, f, g in (
        (labels[:, :-1], labels[:, 1:], field[:, :-1], field[:, 1:]),
        (labels[:-1], labels[1:], field[:-1], field[1:]),
    ):
        apart = one != other
        a, b = one[apart].astype(np.int64), other[apart].astype(np.int64)
        keys.append(np.minimum(a, b) * count + np.maximum(a, b))
        values.append((f[apart] + g[apart]) / 2)
    key, inverse = np.unique(np.concatenate(keys), return_inverse=True)
    total = np.bincount(inverse, np.concatenate(values))
    return key // count, key % count, total, np.bincount(inverse).astype(np.float64)


class Cells:
    """Cells that are joined step by step. one, other: of each border; total: sum of the field on it; length: in pixel
    pairs; areas: px of each cell; root: the cell each of the first ones belongs to now."""

    def __init__(self, labels: Labels, field: Pixels) -> None:
        self.labels = labels
        self.one, self.other, self.total, self.length = touching(labels, field)
        self.areas = np.bincount(labels.reshape(-1)).astype(np.float64)
        self.root = np.arange(len(self.areas))

    def merge(self, *, weakest: float = -np.inf, least_area: float = 0.0) -> None:
        """Joins cells across their weakest borders, weakest first: while a border's mean field is under `weakest`, or
        one of its cells is smaller than `least_area` px."""
        while self.one.size:
            strength = self.total / self.length
            order = np.argsort(strength, kind="stable")
            into = np.arange(len(self.areas))
            ordered = self.one[order], self.other[order], strength[order]
            if not _merge_once(*ordered, self.areas, into, weakest, least_area):
                break
            self.root = into[self.root]
            a, b = into[self.one], into[self.other]
            apart = a != b
            key = np.minimum(a, b)[apart] * len(self.areas) + np.maximum(a, b)[apart]
            kept, inverse = np.unique(key, return_inverse=True)
            self.total = np.bincount(inverse, self.total[apart], len(kept))
            self.length = np.bincount(inverse, self.length[apart], len(kept))
            self.one, self.other = kept // len(self.areas), kept % len(self.areas)

    def joined(self) -> Labels:
        """The cell of each pixel, numbered from 0."""
        _, numbered = np.unique(self.root[self.labels], return_inverse=True)
        return numbered.reshape(self.labels.shape).astype(np.int32)


def merged(labels: Labels, field: Pixels, *, weakest: float = -np.inf, least_area: float = 0.0) -> Labels:
    """Cells joined across their weakest borders, as by Cells.merge(); numbered anew from 0."""
    cells = Cells(labels, field)
    cells.merge(weakest=weakest, least_area=least_area)
    return cells.joined()


@compiled()
def _merge_once(one, other, mean, areas, into, weakest, least_area):  # type: ignore[no-untyped-def]
    """Joins cells along borders in order, each cell at most once; how many were joined."""
    touched = np.zeros(len(areas), np.bool_)
    done = 0
    for i in range(len(one)):
        a, b = one[i], other[i]
        if touched[a] or touched[b]:
            # What is left of a cell that was joined is looked at in the next round.
            touched[a] = touched[b] = True
            continue
        if mean[i] < weakest or min(areas[a], areas[b]) < least_area:
            into[b] = a
            areas[a] += areas[b]
            areas[b] = 0
            touched[a] = touched[b] = True
            done += 1
    return done
