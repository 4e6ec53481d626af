"""Pieces that a join cuts: stones that end in their middle, bricks that go on as another.

A join that follows joints differs on its two sides, and should: how much they differ says nothing. What tells is where
it runs: where both sides show the inside of pieces, and not of the same one, a piece is broken.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.tile.pieces import Pieces

# Deep within is further from a border than this share of a usual piece; a break is at least so long.
_DEEP, _LENGTH = 0.1, 0.15
# Of that length a stretch is nearly a break: on a finer grid it may be one.
_NEARLY = 0.5
# Two pieces that fall together by this share, and differ by no more than this (CIE 1976 ΔE), are one.
_SAME, _ALIKE = 0.7, 7.0
# So far round a stretch, in pieces, joints are compared; so alike they are those of one surface: cut stones come to .34
# at the most, shingles joined by whole repeats to .63 and more.
_AROUND, _ALONG = 0.75, 0.5


@dataclass(frozen=True)
class BrokenPieces:
    """count: how many. share: of the length of all joins, 0..1. boxes: left, top, width, height of each in fractions of
    the tile, the longest first. shown: about how many pieces the tile shows."""

    count: int
    share: float
    boxes: tuple[tuple[float, float, float, float], ...]
    shown: int


def broken_pieces(source: NDArray[Any], pieces: Pieces) -> BrokenPieces:
    """Where the joins of a tile break pieces. source: (H, W, 2) sample px (x, y) shown at each pixel of the tile;
    pieces: of that sample."""
    return count_broken(fused_places(source, pieces), pieces)


@dataclass(frozen=True)
class FusedPlaces:
    """bad: (H, W), where two pieces meet deep within both. places: (H, W, 2), sample px (x, y) shown. to: (H, W, 2),
    sample px by which the other side lies elsewhere than where this one goes on. joins: px of all joins. unit: width of
    a usual piece, px of the tile."""

    bad: NDArray[np.bool_]
    places: NDArray[np.float64]
    to: NDArray[np.float64]
    joins: int
    unit: float

    def nearly_broken(self) -> tuple[NDArray[np.bool_], int]:
        """The stretches that break a piece, and those that may on a finer grid, (H, W); how many they are."""
        marks, lengths = self.stretches(_NEARLY * _LENGTH)
        return np.isin(marks, list(lengths)), len(lengths)

    def stretches(self, least: float) -> tuple[NDArray[Any], dict[int, int]]:
        """Numbers of the stretches along which pieces meet, over the edge too, (H, W), and the length in px of each
        that is at least so many pieces long, the longest first."""
        marks, lengths = self._stretches
        return marks, {number: length for number, length in lengths.items() if length >= max(least * self.unit, 3)}

    @cached_property
    def _stretches(self) -> tuple[NDArray[Any], dict[int, int]]:
        if not self.bad.any():
            return np.zeros(self.bad.shape, np.int32), {}
        joined = cv2.dilate(np.pad(self.bad.astype(np.uint8), 1, mode="wrap"), np.ones((3, 3), np.uint8))
        count, marks = cv2.connectedComponents(joined[1:-1, 1:-1])
        marks = _wrapped(marks, count) * self.bad
        lengths = np.bincount(marks.reshape(-1), minlength=count)
        return marks, {int(number): int(lengths[number]) for number in np.argsort(-lengths) if number}


def count_broken(found: FusedPlaces, pieces: Pieces) -> BrokenPieces:
    """What of the places where pieces meet breaks one."""
    height, width = found.bad.shape
    marks, lengths = found.stretches(_LENGTH)
    cut = [number for number in lengths if not _goes_on(pieces, marks == number, found)]
    share = sum(lengths[number] for number in cut) / max(found.joins, 1)
    shown = round(width * height / found.unit**2)
    return BrokenPieces(len(cut), round(share, 4), tuple(_box(marks == number) for number in cut), shown)


def fused_places(source: NDArray[Any], pieces: Pieces) -> FusedPlaces:
    """Where the joins of a tile bring two pieces together; source, pieces: as for broken_pieces."""
    height, width = source.shape[:2]
    scale = pieces.scale
    places = np.ascontiguousarray(source, np.float64)
    deep = pieces.depth > max(pieces.joint + 1, _DEEP * pieces.typical)
    on = np.zeros((height, width), bool)
    bad = np.zeros((height, width), bool)
    to = np.zeros((height, width, 2))
    same = _Same(pieces)

    def shown(rows: NDArray[np.intp], columns: NDArray[np.intp]) -> NDArray[Any]:
        x, y = (places[rows, columns] * scale).round().astype(np.int64).T
        return np.asarray(pieces.labels[y.clip(0, deep.shape[0] - 1), x.clip(0, deep.shape[1] - 1)])

    for axis in (0, 1):
        met = np.zeros((height, width), bool)
        _find_joins(places, axis, scale, deep, on, met)
        rows, columns = np.nonzero(met)
        beyond = ((rows + 1 - axis) % height, (columns + axis) % width)
        jump = places[beyond] - places[rows, columns] - np.array([1.0, 0.0] if axis else [0.0, 1.0])
        moved = (jump * scale).round().astype(np.int64)
        apart = ~same.all(shown(rows, columns), shown(*beyond), moved)
        bad[rows[apart], columns[apart]] = True
        to[rows[apart], columns[apart]] = jump[apart]
    return FusedPlaces(bad, places, to, int(np.count_nonzero(on)), pieces.typical / scale)


@compiled(inline=True)
def _is_deep(deep, scale, x, y):  # type: ignore[no-untyped-def]
    """Whether the sample lies deep within a piece at a place."""
    column = min(max(int(np.rint(x * scale)), 0), deep.shape[1] - 1)
    return deep[min(max(int(np.rint(y * scale)), 0), deep.shape[0] - 1), column]


@compiled()
def _find_joins(places, axis, scale, deep, on, met):  # type: ignore[no-untyped-def]
    """Marks in `on` where the next pixel along an axis shows another place than the sample's next, and no piece that
    was turned or mirrored goes on as it came; in `met` where that brings together what lies deep within pieces."""
    height, width = on.shape
    right, down = axis, 1 - axis
    for y in range(height):
        y_after = (y + down) % height
        for x in range(width):
            x_after = x + right if x + right < width else 0
            here_x, here_y = places[y, x, 0], places[y, x, 1]
            step_x, step_y = places[y_after, x_after, 0] - here_x, places[y_after, x_after, 1] - here_y
            jump = max(abs(step_x - right), abs(step_y - down))
            if jump > 1.5:
                came_x, came_y = here_x - places[y - down, x - right, 0], here_y - places[y - down, x - right, 1]
                if abs(came_x) <= 2.0 and abs(came_y) <= 2.0:
                    jump = min(jump, max(abs(step_x - came_x), abs(step_y - came_y)))
            if jump > 1.5:
                on[y, x] = True
                there_x, there_y = places[y_after, x_after, 0], places[y_after, x_after, 1]
                met[y, x] = _is_deep(deep, scale, here_x, here_y) and _is_deep(deep, scale, there_x, there_y)


@compiled()
def _add_up(labels, lab, sums):  # type: ignore[no-untyped-def]
    """Of every piece: the sum of each channel, and its pixels. sums: (pieces, 4), zeros."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            of = sums[labels[y, x]]
            for k in range(3):
                of[k] += lab[y, x, k]
            of[3] += 1.0


class _Same:
    """Whether a piece, moved, falls together with another and looks like it."""

    def __init__(self, pieces: Pieces) -> None:
        self.pieces = pieces
        self._known: dict[tuple[int, ...], bool] = {}
        self._boxes: dict[int, tuple[int, int, int, int]] = {}

    @cached_property
    def _means(self) -> NDArray[np.float64]:
        """Colour of every piece, CIELAB."""
        sums = np.zeros((self.pieces.count, 4))
        _add_up(self.pieces.labels, self.pieces.lab, sums)
        return np.asarray(sums[:, :3] / np.maximum(sums[:, 3:], 1))

    def all(self, one: NDArray[Any], other: NDArray[Any], moved: NDArray[Any]) -> NDArray[np.bool_]:
        rows = np.column_stack([one, other, moved])
        kinds, inverse = np.unique(rows, axis=0, return_inverse=True)
        return np.array([self._asked(*(int(v) for v in kind)) for kind in kinds], bool)[inverse.reshape(-1)]

    def _asked(self, one: int, other: int, right: int, down: int) -> bool:
        key = (one, other, right, down)
        if key not in self._known:
            alike = float(np.linalg.norm(self._means[one] - self._means[other])) < _ALIKE
            self._known[key] = alike and self._together(one, other, right, down) > _SAME
        return self._known[key]

    def _together(self, one: int, other: int, right: int, down: int) -> float:
        """Area both share to area of both, the first moved; only what lies in the picture counts."""
        left, top, wide, high = self._box(one)
        labels = self.pieces.labels
        x0, y0 = max(left + right, 0), max(top + down, 0)
        x1, y1 = min(left + right + wide, labels.shape[1]), min(top + down + high, labels.shape[0])
        if x1 <= x0 or y1 <= y0:
            return 0.0
        first = labels[y0 - down : y1 - down, x0 - right : x1 - right] == one
        second = labels[y0:y1, x0:x1] == other
        both = float((first & second).sum())
        left, top, wide, high = self._box(other)
        # Of the second all counts that lies where the first could be seen as well.
        inner = labels[
            max(top, down, 0) : min(top + high, labels.shape[0] + min(down, 0)),
            max(left, right, 0) : min(left + wide, labels.shape[1] + min(right, 0)),
        ]
        whole = float(first.sum() + (inner == other).sum()) - both
        return both / max(whole, 1.0)

    def _box(self, piece: int) -> tuple[int, int, int, int]:
        if piece not in self._boxes:
            self._boxes[piece] = cv2.boundingRect((self.pieces.labels == piece).astype(np.uint8))
        return self._boxes[piece]


def _goes_on(pieces: Pieces, stretch: NDArray[Any], among: FusedPlaces) -> bool:
    """Whether the joints around a stretch of a join lie alike on both its sides: it joins a surface to itself."""
    rows, columns = np.nonzero(stretch)
    room = round(_AROUND * pieces.typical)
    found = []
    for number in np.unique(np.linspace(0, len(rows) - 1, 5).astype(int)):
        here = rows[number], columns[number]
        x, y = (among.places[here] * pieces.scale).round().astype(int)
        right, down = (among.to[here] * pieces.scale).round().astype(int)
        height, width = pieces.joints.shape
        # As much round the place as both sides have.
        left, top = max(x - room, 0, -right), max(y - room, 0, -down)
        end, bottom = min(x + room, width, width - right), min(y + room, height, height - down)
        if end - left < room or bottom - top < room:
            continue
        one = pieces.joints[top:bottom, left:end]
        other = pieces.joints[top + down : bottom + down, left + right : end + right]
        found.append(float(np.corrcoef(one.ravel(), other.ravel())[0, 1]))
    return bool(found) and float(np.median(found)) > _ALONG


def _box(stretch: NDArray[Any]) -> tuple[float, float, float, float]:
    """Left, top, width and height in fractions of the tile; what goes on over the edge begins before it."""
    height, width = stretch.shape
    rows, columns = np.nonzero(stretch)
    left, top = _start(columns, width), _start(rows, height)
    wide, high = int(((columns - left) % width).max()) + 1, int(((rows - top) % height).max()) + 1
    return left / width, top / height, wide / width, high / height


def _wrapped(marks: NDArray[Any], count: int) -> NDArray[Any]:
    """Numbers of components that also touch over the edge."""
    into = np.arange(count)
    for one, other in ((marks[:, 0], marks[:, -1]), (marks[0], marks[-1])):
        for a, b in zip(one, other, strict=True):
            if a and b and into[a] != into[b]:
                into[into == max(into[a], into[b])] = min(into[a], into[b])
    return np.asarray(into[marks])


def _start(places: NDArray[Any], extent: int) -> int:
    """Where something that may go on over the edge begins: after the widest gap."""
    order = np.unique(places)
    gaps = np.diff(np.append(order, order[0] + extent))
    return int(order[(int(gaps.argmax()) + 1) % len(order)])
