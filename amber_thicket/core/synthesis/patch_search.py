"""Finds the places of the sample that look most like what lies around a window of the tile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.lattice import find
from amber_thicket.core.synthesis.mosaic import located
from amber_thicket.core.synthesis.patchwork import Mask, Patchwork

_COARSER, _CLOSE = 3, 3
STEP = 3
# How much of a place may be in use already; the next is tried when nothing keeps to the one before.
_USED = (0.08, 0.25, 0.5, 1.01)
_TOLERANCE, _WHOLE = 0.02, 0.02
# What share of a place may be unfit.
_SPOILT = 2e-5


@dataclass(frozen=True)
class Steps:
    """The lattice of the sample in px of the tile: pieces may only be moved by whole periods; 0 where none is kept."""

    across: float = 0.0
    down: float = 0.0


def find_steps(pixels: Pixels, tile: tuple[int, int] | None = None) -> Steps:
    """The periods pieces are moved by, where the pattern returns, and, if a tile (width, height) is given, where that
    holds a whole number of them. pixels: linear RGB."""
    found = []
    for number, axis in enumerate(find(pixels).axes):
        period = axis.finest if axis.returns else 0.0
        if period and tile:
            whole = tile[number] / max(1, round(tile[number] / period))
            period = whole if abs(whole - period) < _WHOLE * period else 0.0
        found.append(period)
    return Steps(*found)


class PatchSearch:
    """features: (Hs, Ws, C) of the sample, colour first. unfit: (Hs, Ws), what must not be used."""

    def __init__(self, features: Pixels, unfit: Mask | None, steps: Steps) -> None:
        self.features = features
        self.steps = steps
        rows, columns = features.shape[:2]
        self._size = (columns // _COARSER, rows // _COARSER)
        self._small = cv2.resize(np.ascontiguousarray(features[..., :3]), self._size, interpolation=cv2.INTER_AREA)
        self._unfit = np.zeros(self._size[::-1], np.float32)
        if unfit is not None:
            self._unfit = cv2.resize(unfit.astype(np.float32), self._size, interpolation=cv2.INTER_AREA)

    def find(
        self, work: Patchwork, around: Window, compare: Mask, fresh: Mask, *, apart: float, count: int = 1
    ) -> list[tuple[int, int]]:
        """Source corners (x, y) for a window, best first.

        compare: window pixels it should look like. fresh: window pixels it will fill: those should not show what is
        shown within `apart` px of the window already. Empty when the window is larger than the sample.
        """
        at = around.on(work.labels.shape)
        wide, high = around.width // _COARSER, around.height // _COARSER
        if wide >= self._size[0] or high >= self._size[1]:
            return []
        colour = np.ascontiguousarray(work.features[at][..., :3])
        template = cv2.resize(colour, (wide, high), interpolation=cv2.INTER_AREA)
        weight = cv2.resize(compare.astype(np.float32), (wide, high), interpolation=cv2.INTER_AREA)
        weight = np.where(weight > 0.99, np.float32(1), np.float32(0))
        if weight.sum() < 4:
            cost = np.zeros((self._size[1] - high + 1, self._size[0] - wide + 1), np.float32)
        else:
            mask = np.repeat(weight[..., None], 3, -1)
            cost = cv2.matchTemplate(self._small, template, cv2.TM_SQDIFF, mask=mask)
        spoilt = _share(self._unfit, np.ones((high, wide), np.float32))
        cost = self._in_step(cost, around)
        # Where no place is free of what must not be used, those with the least of it are taken.
        possible = spoilt[np.isfinite(cost)]
        free = float(possible.min()) if possible.size else 0.0
        cost = np.where(spoilt > max(_SPOILT * high * wide, 1.5 * free), np.float32(np.inf), cost)
        new = cv2.resize(fresh.astype(np.float32), (wide, high), interpolation=cv2.INTER_AREA)
        used = _share(self._in_use(work, around, fresh, apart), new) / max(float(new.sum()), 1.0)
        for limit in _USED:
            allowed = np.where(used <= limit, cost, np.inf)
            if np.isfinite(allowed.min()):
                break
        else:
            return []
        return [self._closer(work, around, compare, place) for place in _best(allowed, count, max(4, wide // 4))]

    def _in_use(self, work: Patchwork, around: Window, fresh: Mask, apart: float) -> Pixels:
        """Where the sample is shown near the window, by other tiles too, but not by what is going to be filled anew."""
        height, width = work.labels.shape
        shown = work.labels.copy()
        at = around.on(work.labels.shape)
        shown[at] = np.where(fresh, -1, shown[at])
        y, x = (grid.ravel() for grid in np.mgrid[0 : height : 2 * _COARSER, 0 : width : 2 * _COARSER])
        dx = np.abs(x - (around.left + around.width / 2)) % width
        dy = np.abs(y - (around.top + around.height / 2)) % height
        near = np.hypot(np.minimum(dx, width - dx), np.minimum(dy, height - dy)) < apart
        y, x = y[near], x[near]
        number = shown[y, x]
        there = number >= 0
        places = [tile[y, x] for tile in work.elsewhere]
        if there.any():
            places.append(located(work.placements, number[there], x[there], y[there], work.labels.shape))
        used = np.zeros(self._size[::-1], np.float32)
        for placed in places:
            sx = np.clip(placed[:, 0] // _COARSER, 0, self._size[0] - 1).astype(int)
            sy = np.clip(placed[:, 1] // _COARSER, 0, self._size[1] - 1).astype(int)
            used[sy, sx] = 1
        return np.asarray(cv2.dilate(used, np.ones((3, 3), np.uint8)))

    def _in_step(self, cost: Pixels, around: Window) -> Pixels:
        """Only places a whole number of periods away."""
        for axis, (period, origin) in enumerate(((self.steps.across, around.left), (self.steps.down, around.top))):
            if period:
                away = (np.arange(cost.shape[1 - axis]) * _COARSER - origin) / period
                off = np.abs(away - np.rint(away)) > max(_TOLERANCE, 0.6 * _COARSER / period)
                cost = np.where(off[None] if axis == 0 else off[:, None], np.float32(np.inf), cost)
        return cost

    def _closer(self, work: Patchwork, around: Window, compare: Mask, place: tuple[int, int]) -> tuple[int, int]:
        """The corner to a pixel."""
        rows, columns = self.features.shape[:2]
        x, y = (min(max(v * _COARSER, 0), size) for v, size in zip(place, (columns, rows), strict=True))
        x0, y0 = max(0, x - _CLOSE), max(0, y - _CLOSE)
        x1 = min(columns, x + around.width + _CLOSE)
        y1 = min(rows, y + around.height + _CLOSE)
        if not compare.any():
            return min(x, columns - around.width), min(y, rows - around.height)
        colour = np.ascontiguousarray(work.features[around.on(work.labels.shape)][..., :3])
        mask = np.repeat(compare.astype(np.float32)[..., None], 3, -1)
        area = np.ascontiguousarray(self.features[y0:y1, x0:x1, :3])
        if area.shape[0] < around.height or area.shape[1] < around.width:
            return min(x, columns - around.width), min(y, rows - around.height)
        cost = cv2.matchTemplate(area, colour, cv2.TM_SQDIFF, mask=mask)
        # Moved by such steps a piece lies on whole pixels at every size there is.
        on_x = (np.arange(cost.shape[1]) + x0 - around.left) % STEP != 0
        on_y = (np.arange(cost.shape[0]) + y0 - around.top) % STEP != 0
        cost[:, on_x] = np.inf
        cost[on_y] = np.inf
        row, column = divmod(int(cost.argmin()), cost.shape[1])
        return x0 + column, y0 + row


def _share(image: Pixels, window: Pixels) -> Pixels:
    """The sum of an image under a window at every place."""
    if not image.any():
        return np.zeros((image.shape[0] - window.shape[0] + 1, image.shape[1] - window.shape[1] + 1), np.float32)
    result: Pixels = np.maximum(cv2.matchTemplate(image, window, cv2.TM_CCORR), 0)
    return result


def _best(cost: NDArray[np.floating], count: int, apart: int) -> Sequence[tuple[int, int]]:
    """The cheapest places (x, y), each away from those before."""
    left = cost.copy()
    found = []
    for _ in range(count):
        row, column = divmod(int(left.argmin()), left.shape[1])
        if not np.isfinite(left[row, column]):
            break
        found.append((column, row))
        left[max(0, row - apart) : row + apart + 1, max(0, column - apart) : column + apart + 1] = np.inf
    return found
