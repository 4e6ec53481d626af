"""Depth maps and elevation data: outliers and holes mended, the plane they lean along taken off.

Source: Hampel, "The influence curve and its role in robust estimation", JASA 69, 1974 (median and its deviation).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.scan.holes import carried_in
from amber_thicket.errors import UnreadableFile

# A value is none of the surface's when it is so many deviations, and so much of the whole range, from the median of
# those around it, and at most so many of them are like it.
_OUTLIER, _FAR, _AROUND, _COMPANY = 8.0, 0.1, 5, 2
_LEAST_KNOWN = 0.05


class Mended(NamedTuple):
    """height: (H, W) float32 in the file's own numbers, over the plane it leaned along. holes: (H, W) 1 where it is
    filled. outliers: how many values were none of the surface's. lean: degrees the plane leaned; 0 where a px has no
    size in those numbers."""

    height: Pixels
    holes: Pixels
    outliers: int
    lean: float


def mend(values: NDArray[Any], *, missing: float | None = None, pixel: float = 0.0, level: bool = True) -> Mended:
    """values: (H, W) of any numbers; what is not a number, or is `missing`, is a hole. pixel: size of a px in the same
    unit, 0 when nobody knows. level: take the plane off. Raises UnreadableFile where hardly anything is there."""
    field = np.asarray(values, np.float64)
    known = np.isfinite(field)
    if missing is not None:
        known &= field != missing
    if float(known.mean()) < _LEAST_KNOWN:
        raise UnreadableFile(
            "Hardly anything of this height is there.", remedy="Give one that covers at least a twentieth."
        )
    field = np.where(known, field, float(np.median(field[known])))
    # Float32 holds what varies, not where sea level is.
    middle = float(np.median(field[known]))
    near = (field - middle).astype(np.float32)
    odd = _outliers(near, known)
    known &= ~odd
    holes = (~known).astype(np.float32)
    there = 1 - holes
    if holes.any():
        near = np.where(known, near, carried_in(near, there)).astype(np.float32)
    lean = 0.0
    if level:
        slope, plane = _plane(near, known)
        near = (near - plane).astype(np.float32)
        lean = float(np.degrees(np.arctan(slope / pixel))) if pixel else 0.0
    return Mended(near, holes, int(odd.sum()), lean)


def _outliers(field: Pixels, known: NDArray[Any]) -> NDArray[Any]:
    """(H, W): values that stand alone, far from nearly all around them. Steps of a real surface are long."""
    around = cv2.medianBlur(np.ascontiguousarray(field, np.float32), _AROUND)
    off = np.abs(field - around)
    scale = float(np.subtract(*np.percentile(field[known], (99, 1))))
    limit = max(_OUTLIER * 1.48 * float(np.median(off[known])), _FAR * scale, 1e-30)
    odd: NDArray[Any] = known & (off > limit)
    rows, columns = np.nonzero(odd)
    reach = _AROUND // 2
    padded = np.pad(np.where(known, field, np.nan), reach, mode="constant", constant_values=np.nan)
    company = np.zeros(len(rows), int)
    for dy in range(_AROUND):
        for dx in range(_AROUND):
            company += np.abs(padded[rows + dy, columns + dx] - field[rows, columns]) <= limit
    # It always agrees with itself.
    alone = company - 1 <= _COMPANY
    odd[rows[~alone], columns[~alone]] = False
    return odd


def _plane(field: Pixels, known: NDArray[Any]) -> tuple[float, Pixels]:
    """(rise a px, (H, W) of the plane most of it lies along)."""
    rows, columns = field.shape
    y, x = np.mgrid[0:rows, 0:columns]
    step = max(1, int((field.size / 200_000) ** 0.5))
    some = np.s_[::step, ::step]
    design = np.column_stack([x[some].ravel(), y[some].ravel(), np.ones(x[some].size)]).astype(np.float64)
    values = field[some].ravel().astype(np.float64)
    weight: Any = known[some].ravel().astype(np.float64)
    entries = np.zeros(3)
    for _ in range(8):
        root = np.sqrt(weight)[:, None]
        entries = np.linalg.lstsq(design * root, values * root[:, 0], rcond=None)[0]
        off = values - design @ entries
        spread = max(1.48 * float(np.median(np.abs(off))), 1e-30)
        weight = known[some].ravel() / (1 + (off / (2 * spread)) ** 2)
    return float(np.hypot(*entries[:2])), (entries[0] * x + entries[1] * y + entries[2]).astype(np.float32)
