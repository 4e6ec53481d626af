"""A smooth curve through points, as settings hold it."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from amber_thicket.core.numeric.libraries import interpolate
from amber_thicket.core.raster import Pixels

MOST_POINTS = 16
Share = Annotated[float, Field(ge=0, le=1)]
Curve = tuple[tuple[Share, Share], ...]


def checked(points: Curve) -> Curve:
    """The points as they are. Raises ValueError where they are no curve."""
    if len(points) == 1:
        raise ValueError(f"a curve has 2 to {MOST_POINTS} points")
    if any(after[0] - before[0] < 0.005 for before, after in pairwise(points)):
        raise ValueError("points go from left to right, at least .005 apart")
    return points


def through(points: NDArray[np.float64], values: Pixels) -> Pixels:
    """The smooth curve through points (N, 2), left to right, at values in [0, 1]; level before the first and after the
    last.

    It never overshoots: monotone between points (Fritsch & Carlson 1980, by scipy's PCHIP).
    """
    inside = np.clip(values, points[0, 0], points[-1, 0])
    return np.asarray(interpolate.PchipInterpolator(points[:, 0], points[:, 1])(inside), np.float32)
