"""Brush strokes and outlined areas as data: drawn anew at every size, changed and taken back one by one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.raster import Pixels
from amber_thicket.core.settings import Record

MOST, MOST_POINTS, LARGEST = 400, 4000, 0.5
_SHIFT = 4
Coordinate = Annotated[float, Field(gt=-1e4, lt=1e4)]
Points = NDArray[np.float64]


class Stroke(Record):
    """A line drawn with a round brush, or an area when the radius is 0.

    points: (x, y) of each, in shares of the width and height of what is drawn on. radius: in shares of its width.
    pressure: how much of the radius the brush has at each point; nothing where it has all of it everywhere.
    """

    radius: float = Field(ge=0, le=LARGEST)
    points: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=1, max_length=MOST_POINTS)
    pressure: tuple[Annotated[float, Field(ge=0, le=1)], ...] = Field(default=(), max_length=MOST_POINTS)

    @model_validator(mode="after")
    def _is_pressed(self) -> Stroke:
        if self.pressure and len(self.pressure) != len(self.points):
            raise ValueError("a stroke's pressure is told for each of its points, or for none")
        return self

    @model_validator(mode="after")
    def _is_area(self) -> Stroke:
        if self.radius == 0 and len(self.points) < 3:
            raise ValueError("an area needs three points or more")
        return self

    @cached_property
    def places(self) -> Points:
        """(N, 2): its points as an array."""
        return np.array(self.points, np.float64)


def drawn(
    strokes: Sequence[Stroke],
    size: tuple[int, int],
    *,
    part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0),
    wraps: bool = False,
) -> Pixels:
    """How far each pixel is covered, (H, W) float32 in [0, 1], soft over a pixel.

    size: (width, height) px. part: left, top, right, bottom of what these pixels show, in shares of what was drawn on.
    wraps: strokes over an edge come in at the other one.
    """
    width, height = size
    left, top, right, bottom = part
    scale = np.array([width / (right - left), height / (bottom - top)])
    finer = next((n for n, side in ((4, 1024), (2, 4096)) if max(size) <= side), 1)
    canvas = np.zeros((height * finer, width * finer), np.uint8)
    for stroke in strokes:
        placed = (stroke.places - [left, top]) * scale * finer - 0.5
        radius = stroke.radius * scale[0] * finer
        for copy in _copies(placed, radius, width * finer, height * finer) if wraps else (placed,):
            _draw(canvas, copy, radius, stroke.pressure)
    return np.asarray(shrink(canvas.astype(np.float32), finer))


@dataclass(frozen=True)
class Local:
    """A stroke on a tile that wraps, in the window it lies in. hard: (H, W) its cover; thin: px, its radius or half its
    shorter side."""

    box: Window
    hard: Pixels
    thin: float


def local(stroke: Stroke, size: tuple[int, int], *, spare: float = 0.0, soft: float = 0.0) -> Local:
    """A stroke in a window with `spare` px around it, and room for an edge softened by `soft` of its half width. size:
    (width, height) px of the tile."""
    width, height = size
    radius = stroke.radius * width
    low = stroke.places.min(axis=0) * [width, height] - radius
    high = stroke.places.max(axis=0) * [width, height] + radius
    thin = radius or 0.5 * float(min(high - low))
    margin = int(np.ceil(spare + 3 * soft * thin)) + 2
    box = Window(
        int(np.floor(low[0])) - margin,
        int(np.floor(low[1])) - margin,
        min(int(high[0] - low[0]) + 2 * margin + 3, width),
        min(int(high[1] - low[1]) + 2 * margin + 3, height),
    )
    part = (box.left / width, box.top / height, (box.left + box.width) / width, (box.top + box.height) / height)
    hard = drawn([stroke], (box.width, box.height), part=part)
    return Local(box, hard, thin)


def softened(stroke: Local, sigma: float) -> Pixels:
    """The cover of a stroke with an edge of that width, px."""
    return blur(stroke.hard, max(sigma, 0.3), wraps=False)


def _copies(placed: NDArray[np.float64], radius: float, width: int, height: int) -> list[NDArray[np.float64]]:
    """A line, and all its shifts by whole tiles that touch the tile."""
    low, high = placed.min(axis=0) - radius - 1, placed.max(axis=0) + radius + 1
    first = np.floor(low / [width, height]).astype(int)
    last = np.floor(high / [width, height]).astype(int)
    across = range(max(-3, first[0]), min(3, last[0]) + 1)
    down = range(max(-3, first[1]), min(3, last[1]) + 1)
    return [placed - np.array([i * width, j * height]) for i in across for j in down]


def _draw(
    canvas: NDArray[np.uint8], placed: NDArray[np.float64], radius: float, pressure: Sequence[float] = ()
) -> None:
    if radius and pressure:
        _draw_pressed(canvas, placed, radius * np.array(pressure))
        return
    limit = 2.0**25
    fixed = np.clip(np.rint(placed * (1 << _SHIFT)), -limit, limit).astype(np.int32)
    if radius == 0:
        cv2.fillPoly(canvas, [fixed[:, None]], 1, cv2.LINE_8, _SHIFT)
        return
    if len(fixed) > 1:
        cv2.polylines(canvas, [fixed[:, None]], False, 1, max(1, round(2 * radius)), cv2.LINE_8, _SHIFT)
    ends = fixed if len(fixed) < 3 else fixed[[0, -1]]
    for x, y in ends:
        size = max(1, round(radius * (1 << _SHIFT)))
        cv2.circle(canvas, (int(x), int(y)), size, 1, cv2.FILLED, cv2.LINE_8, _SHIFT)


def _draw_pressed(canvas: NDArray[np.uint8], placed: NDArray[np.float64], radii: NDArray[np.float64]) -> None:
    """A line that widens and narrows: a round at each point, and between two what lies between their rims. radii: (N,)
    px."""
    one = 1 << _SHIFT
    for number, (point, radius) in enumerate(zip(placed, radii, strict=True)):
        x, y = (int(v) for v in np.clip(np.rint(point * one), -(2**25), 2**25))
        cv2.circle(canvas, (x, y), max(1, round(radius * one)), 1, cv2.FILLED, cv2.LINE_8, _SHIFT)
        if number == 0:
            continue
        along = point - placed[number - 1]
        length = float(np.hypot(*along))
        apart = radii[number] - radii[number - 1]
        if length <= abs(apart):
            # One round lies within the other.
            continue
        # Where a straight line touches both rounds.
        lean = -apart / length
        across = np.sqrt(1 - lean * lean)
        ahead, beside = along / length, np.array([-along[1], along[0]]) / length
        rims = [lean * ahead + side * across * beside for side in (1, -1)]
        corners = [placed[number - 1] + radii[number - 1] * rims[0], point + radius * rims[0],
                   point + radius * rims[1], placed[number - 1] + radii[number - 1] * rims[1]]  # fmt: skip
        fixed = np.clip(np.rint(np.array(corners) * one), -(2**25), 2**25).astype(np.int32)
        cv2.fillConvexPoly(canvas, fixed[:, None], 1, cv2.LINE_8, _SHIFT)
