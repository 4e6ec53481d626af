"""Finds a colour target of 24 patches in a photograph: even squares in four rows of six, told by their colours."""

from __future__ import annotations

import itertools
from typing import NamedTuple

import numpy as np

from amber_thicket.core.chart.fit import lab_of
from amber_thicket.core.chart.reference import COLUMNS, ROWS, reference_linear
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.difference import ciede2000
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile

_SIDE = 1100
_LEAST, _LARGEST, _EVEN, _FILLS = 0.00012, 0.02, 9.0, 0.78
_ON_GRID, _FEWEST, _ALIKE, _BETTER = 0.2, 12, 12.0, 1.25
_TRIES = 400


class Chart(NamedTuple):
    """corners: (4, 2) middles of the patches dark skin, bluish green, black and white, in 0..1 of the picture. colours:
    (24, 3) linear, medians of the patches. sure: 0..1."""

    corners: Pixels
    colours: Pixels
    sure: float


def chart_at(pixels: Pixels, corners: Pixels) -> Chart:
    """The target whose corner patches lie at these places. pixels: (H, W, 3) linear; corners: as in Chart."""
    return Chart(np.asarray(corners, np.float64), _sampled(pixels, _grid_of(corners)), 1.0)


def find_chart(pixels: Pixels) -> Chart:
    """Where the target lies. pixels: (H, W, 3) linear. Raises UnreadableFile where none is found."""
    factor = max(1, round(max(pixels.shape[:2]) / _SIDE))
    small = cv2.resize(pixels, (pixels.shape[1] // factor, pixels.shape[0] // factor), interpolation=cv2.INTER_AREA)
    scale = np.array([small.shape[1], small.shape[0]], np.float64)
    best: tuple[float, float, Pixels] | None = None
    for grid in _grids(_patches(small)):
        ranked = sorted(
            (float(np.median(_off(_sampled(small, _homography(corners) / _rows(scale))))), k)
            for k, corners in enumerate(_turned(grid))
        )
        if best is None or ranked[0][0] < best[0]:
            best = ranked[0][0], ranked[1][0], _turned(grid)[ranked[0][1]]
    if best is None or best[0] > _ALIKE or best[1] < _BETTER * best[0]:
        raise UnreadableFile(
            "No colour target was found in this photograph.",
            remedy="It has 24 patches in four rows; mark its corner patches by hand.",
        )
    corners = best[2] / scale
    return Chart(corners, _sampled(pixels, _grid_of(corners)), float(np.clip(1.5 - best[0] / _ALIKE, 0, 1)))


def _rows(scale: Pixels) -> Pixels:
    """Divides a homography that gives px so that it gives shares: by its rows."""
    return np.array([[scale[0]], [scale[1]], [1.0]])


def _patches(small: Pixels) -> Pixels:
    """(N, 3) x, y and side px of even, squarish places."""
    codes = cv2.bilateralFilter(encode_srgb8(np.ascontiguousarray(small.clip(0, 1))), 5, 18, 5)
    lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
    found = []
    for reach in (3, 7):
        kernel = np.ones((reach, reach), np.uint8)
        spread = (cv2.dilate(lab, kernel).astype(np.int16) - cv2.erode(lab, kernel)).max(-1)
        even = (spread <= _EVEN).astype(np.uint8)
        _, labels, stats, middles = cv2.connectedComponentsWithStats(even, connectivity=4)
        whole = small.shape[0] * small.shape[1]
        for number in range(1, len(stats)):
            left, top, wide, high, area = (int(v) for v in stats[number])
            if not _LEAST * whole < area < _LARGEST * whole or max(wide, high) > 2.2 * min(wide, high):
                continue
            part = labels[top : top + high, left : left + wide] == number
            points = cv2.findNonZero(part.astype(np.uint8))
            (_, size, _) = cv2.minAreaRect(points)
            if min(size) < 0.55 * max(size) or area < _FILLS * (size[0] + 1) * (size[1] + 1):
                continue
            found.append((*middles[number], area**0.5 + reach))
    kept: list[tuple[float, ...]] = []
    for one in sorted(found, key=lambda row: -row[2]):
        if all(np.hypot(one[0] - other[0], one[1] - other[1]) > 0.5 * other[2] for other in kept):
            kept.append(one)
    return np.array(kept).reshape(-1, 3)


def _grids(patches: Pixels) -> list[Pixels]:
    """(4, 2) corners, px, of grids of four rows of six that patches lie on: upper left, upper right, lower right, lower
    left, however they are turned."""
    found: list[tuple[int, Pixels]] = []
    for one in patches:
        near = [p for p in patches if 0 < np.hypot(*(p - one)[:2]) < 2.2 * one[2] and 0.6 < p[2] / one[2] < 1.7]
        for a, b in itertools.combinations(near, 2):
            u, v = (a - one)[:2], (b - one)[:2]
            lengths = np.hypot(*u), np.hypot(*v)
            if abs(np.dot(u, v)) > 0.35 * lengths[0] * lengths[1] or max(lengths) > 1.5 * min(lengths):
                continue
            grid = _grown(patches, one[:2], u, v)
            if grid:
                found.append(grid)
            if len(found) > _TRIES:
                break
    found.sort(key=lambda grid: -grid[0])
    kept: list[Pixels] = []
    for _, corners in found:
        if all(np.abs(corners.mean(0) - other.mean(0)).max() > 4 for other in kept):
            kept.append(corners)
    return kept[:6]


def _grown(patches: Pixels, origin: Pixels, u: Pixels, v: Pixels) -> tuple[int, Pixels] | None:
    """How many patches lie on a grid that begins with one and two steps, and its corners; None where too few do."""
    cells = {(0, 0): origin, (1, 0): origin + u, (0, 1): origin + v}
    matrix = np.column_stack([u, v, origin])
    places = patches[:, :2]
    full = np.vstack([matrix, [0, 0, 1]])
    for _ in range(4):
        at = np.column_stack([places, np.ones(len(places))]) @ np.linalg.inv(full).T
        at = at[:, :2] / at[:, 2:]
        near = np.rint(at)
        close = (np.abs(at - near).max(1) < _ON_GRID) & (np.abs(near).max(1) <= 6)
        cells = {(int(cell[0]), int(cell[1])): place for cell, place in zip(near[close], places[close], strict=True)}
        if len(cells) < 6:
            return None
        keys = np.array(list(cells), np.float64)
        if np.ptp(keys[:, 0]) < 1 or np.ptp(keys[:, 1]) < 1:
            return None
        made, _ = cv2.findHomography(keys, np.array(list(cells.values())), cv2.RANSAC, 4.0)
        if made is None or abs(np.linalg.det(made)) < 1e-9:
            return None
        full = made
    best: tuple[int, tuple[int, int, int, int]] | None = None
    for wide, high in ((COLUMNS, ROWS), (ROWS, COLUMNS)):
        for left, top in itertools.product(range(-6, 7), repeat=2):
            count = sum(left <= x < left + wide and top <= y < top + high for x, y in cells)
            if best is None or count > best[0]:
                best = count, (left, top, left + wide - 1, top + high - 1)
    assert best is not None
    if best[0] < _FEWEST:
        return None
    left, top, right, bottom = best[1]
    box = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float64)
    if right - left < bottom - top:
        box = np.roll(box, 1, axis=0)
    corners = np.column_stack([box, np.ones(4)]) @ full.T
    return best[0], corners[:, :2] / corners[:, 2:]


def _turned(corners: Pixels) -> list[Pixels]:
    """The four ways a target may lie on a grid: either way up, and mirrored where the grid was read the other way
    round."""
    mirrored = corners[[1, 0, 3, 2]]
    return [np.roll(one, 2 * half, axis=0) for one in (corners, mirrored) for half in (0, 1)]


def _homography(corners: Pixels) -> Pixels:
    """From columns 0..5 and rows 0..3 to places."""
    grid = np.array([[0, 0], [COLUMNS - 1, 0], [COLUMNS - 1, ROWS - 1], [0, ROWS - 1]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(grid, corners.astype(np.float32)), np.float64)


def _grid_of(corners: Pixels) -> Pixels:
    return _homography(np.asarray(corners))


def _sampled(pixels: Pixels, homography: Pixels) -> Pixels:
    """(24, 3) medians of the inner half of every patch. homography: to places in 0..1."""
    height, width = pixels.shape[:2]
    inner = np.linspace(-0.2, 0.2, 9)
    found = []
    for row, column in itertools.product(range(ROWS), range(COLUMNS)):
        x, y = np.meshgrid(column + inner, row + inner)
        at = np.stack([x.ravel(), y.ravel(), np.ones(x.size)], 1) @ homography.T
        at = at[:, :2] / at[:, 2:] * np.array([width, height])
        columns, rows = at[:, 0].astype(int), at[:, 1].astype(int)
        if columns.min() < 0 or rows.min() < 0 or columns.max() >= width or rows.max() >= height:
            found.append(np.zeros(3))
        else:
            found.append(np.median(pixels[rows, columns], axis=0))
    return np.array(found)


def _off(measured: Pixels) -> Pixels:
    """(24,) ΔE00 to the reference, once greys have their brightness and all lie about right: a rough match only."""
    wanted = reference_linear()
    gains = (measured[18:23] * wanted[18:23]).sum(0) / np.maximum((measured[18:23] ** 2).sum(0), 1e-9)
    return ciede2000(lab_of(measured * gains), lab_of(wanted))
