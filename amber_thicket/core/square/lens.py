"""The lens: how it bends straight lines.

Source: Brown, "Close-range camera calibration", Photogrammetric Engineering 37(8), 1971. Distances are from the
middle of the picture, in half diagonals, so that the numbers hold for any size.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from amber_thicket.core.numeric.libraries import optimize
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Pixels
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.errors import BadSetting


def _bend(label: str, help: str, *, folded: bool = True, most: float = 0.5) -> float:
    value: float = setting(0.0, ge=-most, le=most, step=0.002, folded=folded, label=label, help=help)
    return value


class Settings(OperationSettings):
    k1: float = _bend("Bend", "Straightens lines that bow outward (below 0) or inward (above 0).", folded=False)
    k2: float = _bend("Bend, corners", "The same, acting on the corners alone.")
    p1: float = _bend("Skew down", "For a lens that sits askew, up and down.", most=0.1)
    p2: float = _bend("Skew across", "For a lens that sits askew, left and right.", most=0.1)


def bent(points: Pixels, aspect: float, *, k1: float, k2: float, p1: float, p2: float) -> Pixels:
    """Where the lens puts points of a straight picture. points: (..., 2) in [0, 1]; aspect: width over height."""
    half = np.array([aspect, 1.0]) / np.hypot(aspect, 1.0)
    x, y = np.moveaxis((np.asarray(points, np.float64) * 2 - 1) * half, -1, 0)
    r2 = x * x + y * y
    radial = 1 + k1 * r2 + k2 * r2 * r2
    bx = x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x)
    by = y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y
    result: Pixels = np.stack([bx, by], -1) / half / 2 + 0.5
    return result


def straight(points: Pixels, aspect: float, **lens: float) -> Pixels:
    """The inverse of bent, by fixed-point steps; good to 1e-6 for any lens that is not folded. points: (N, 2)."""
    target = np.asarray(points, np.float64)
    guess = target.copy()
    for _ in range(25):
        guess = guess + (target - bent(guess, aspect, **lens))
    return guess


def solved(lines: Sequence[Sequence[Sequence[float]]], aspect: float) -> dict[str, float]:
    """The bend that makes drawn lines straight. lines: each three or more points in [0, 1] along one straight thing.

    One line gives k1; three or more give k2 as well. Raises BadSetting for fewer than three points a line.
    """
    arrays = [np.asarray(line, np.float64) for line in lines]
    if not arrays or any(a.ndim != 2 or a.shape[0] < 3 or a.shape[1] != 2 for a in arrays):
        raise BadSetting("A line needs at least three points.", remedy="Mark more points along the straight thing.")
    names = ("k1", "k2")[: 2 if len(arrays) >= 3 else 1]
    rest = dict.fromkeys(("k1", "k2", "p1", "p2"), 0.0)
    scale = np.array([aspect, 1.0])

    def off(values: Any) -> Any:
        lens = {**rest, **dict(zip(names, values, strict=True))}
        residuals = []
        for line in arrays:
            points = straight(line, aspect, **lens) * scale
            centred = points - points.mean(axis=0)
            _, _, axes = np.linalg.svd(centred, full_matrices=False)
            residuals.append(centred @ axes[1])
        return np.concatenate(residuals)

    found = optimize.least_squares(off, np.zeros(len(names)), bounds=(-0.5, 0.5), x_scale=0.05)
    return {name: round(float(v), 5) for name, v in zip(names, found.x, strict=True)}


OPERATION = Operation(id="square.lens", label="Lens", help="Takes out what the lens bent.", settings=Settings)
