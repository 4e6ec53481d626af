"""Strokes on the flattened picture that stay on what they were drawn on when it is flattened another way."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

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


def move_strokes(strokes: Sequence[Stroke], before: tuple[View, Any], after: tuple[View, Any]) -> tuple[Stroke, ...]:
    """Strokes on the same places of the capture.

    before, after: how it was and is flattened, and which way up it is (settings of gather.orient).
    """

    def moved(points: Pixels) -> Pixels:
        shot = upright(before[0].to_capture(points), before[1])
        return after[0].from_capture(as_turned(shot, after[1]))

    rows = []
    for stroke in strokes:
        points = moved(stroke.places)
        # The brush is as wide as it was on the capture, in the middle of the stroke.
        middle = stroke.places.mean(axis=0, keepdims=True)
        beside = moved(middle + np.array([[stroke.radius, 0.0]])) - moved(middle)
        shape = after[0].size[1] / after[0].size[0]
        radius = float(np.hypot(beside[0, 0], beside[0, 1] * shape))
        # An area, which has no radius, stays one.
        radius = min(max(radius, 1e-4), LARGEST) if stroke.radius else 0.0
        places = tuple((round(float(x), 6), round(float(y), 6)) for x, y in points)
        rows.append(Stroke(radius=round(radius, 6), points=places))
    return tuple(rows)
