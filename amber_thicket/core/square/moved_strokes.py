"""Strokes on the flattened picture that stay on what they were drawn on when it is flattened another way."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.view import View
from amber_thicket.core.strokes import LARGEST, Stroke


def upright(points: Pixels, way: Any) -> Pixels:
    """Places of the turned capture, (N, 2) in [0, 1], as places of it as shot. way: settings of gather.orient."""
    x, y = points[:, 0], points[:, 1]
    if way.mirror:
        x = 1 - x
    for _ in range(int(way.turn) // 90):
        x, y = y, 1 - x
    return np.stack([x, y], -1)


def as_turned(points: Pixels, way: Any) -> Pixels:
    """The way back. points: (N, 2), fractions of the picture."""
    x, y = points[:, 0], points[:, 1]
    for _ in range(int(way.turn) // 90):
        x, y = 1 - y, x
    return np.stack([1 - x if way.mirror else x, y], -1)


def through(points: Pixels, matrix: Pixels) -> Pixels:
    """Places, (N, 2), as a 3 × 3 matrix takes them."""
    seen = np.concatenate([points, np.ones((len(points), 1))], 1) @ matrix.T
    return np.asarray(seen[:, :2] / seen[:, 2:])


class Seen(NamedTuple):
    """How a picture is looked at. view: how it is flattened. way: settings of gather.orient."""

    view: View
    way: Any

    def to_picture(self, points: Pixels) -> Pixels:
        """Flattened places, (N, 2), as places of the picture as it was shot."""
        return upright(self.view.to_capture(points), self.way)

    def from_picture(self, points: Pixels) -> Pixels:
        """The way back."""
        return self.view.from_capture(as_turned(points, self.way))


def move_strokes(
    strokes: Sequence[Stroke], before: Seen, after: Seen, between: Pixels | None = None
) -> tuple[Stroke, ...]:
    """Strokes on the same places of the surface.

    between: (3, 3) from places of the picture that was to places of the one that is, where it is another one.
    """

    def moved(points: Pixels) -> Pixels:
        shot = before.to_picture(points)
        return after.from_picture(shot if between is None else through(shot, between))

    rows = []
    for stroke in strokes:
        points = moved(stroke.places)
        # The brush is as wide as it was on the capture, in the middle of the stroke.
        middle = stroke.places.mean(axis=0, keepdims=True)
        beside = moved(middle + np.array([[stroke.radius, 0.0]])) - moved(middle)
        shape = after.view.size[1] / after.view.size[0]
        radius = float(np.hypot(beside[0, 0], beside[0, 1] * shape))
        # An area, which has no radius, stays one.
        radius = min(max(radius, 1e-4), LARGEST) if stroke.radius else 0.0
        places = tuple((round(float(x), 6), round(float(y), 6)) for x, y in points)
        rows.append(Stroke(radius=round(radius, 6), points=places, pressure=stroke.pressure))
    return tuple(rows)
