"""Several cut-outs on one sheet: where each lies, and the maps of the sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# What lies between the pieces.
_OUTSIDE: dict[str, float | tuple[float, float, float]] = {
    "opacity": 0.0,
    "height": 0.5,
    "normal": (0.0, 0.0, 1.0),
    "roughness": 0.7,
    "ambient_occlusion": 1.0,
}


class Spot(NamedTuple):
    """left, top, width, height: px of the sheet that a piece fills, its padding left out."""

    left: int
    top: int
    width: int
    height: int


def piece_box(opacity: Pixels) -> tuple[int, int, int, int]:
    """Left, top, right, bottom (open) px of what is not empty; all of it where nothing is."""
    rows, columns = np.flatnonzero((opacity > 0.02).any(1)), np.flatnonzero((opacity > 0.02).any(0))
    if not rows.size:
        return 0, 0, opacity.shape[1], opacity.shape[0]
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def arranged(pieces: Sequence[tuple[float, float]], side: int, padding: int) -> tuple[float, list[Spot]]:
    """(scale, spots) of pieces in rows, tallest first, as large as they fit. pieces: (width, height) in any one unit.
    side: px of the square sheet. padding: px kept free round each piece."""
    low, high = 0.0, side / max(max(p) for p in pieces)
    best = _rows(pieces, side, padding, high)
    if best:
        return high, best
    for _ in range(40):
        middle = (low + high) / 2
        found = _rows(pieces, side, padding, middle)
        if found:
            low, best = middle, found
        else:
            high = middle
    return low, best or [Spot(0, 0, 1, 1) for _ in pieces]


def _rows(pieces: Sequence[tuple[float, float]], side: int, padding: int, scale: float) -> list[Spot] | None:
    """Spots at a scale; None where they do not fit."""
    spots: dict[int, Spot] = {}
    left = top = padding
    tall = 0
    for number in sorted(range(len(pieces)), key=lambda n: -pieces[n][1]):
        width, height = (max(1, int(v * scale)) for v in pieces[number])
        if left + width + padding > side:
            left, top, tall = padding, top + tall + 2 * padding, 0
        if left + width + padding > side or top + height + padding > side:
            return None
        spots[number] = Spot(left, top, width, height)
        left, tall = left + width + 2 * padding, max(tall, height)
    return [spots[number] for number in range(len(pieces))]


def laid_out(role: str, pieces: Sequence[Pixels], spots: Sequence[Spot], side: int) -> Pixels:
    """One map of the sheet. pieces: (H, W[, C]) of each cut-out's box, larger than its spot or not."""
    channels = () if pieces[0].ndim == 2 else (pieces[0].shape[2],)
    sheet = np.empty((side, side, *channels), np.float32)
    sheet[:] = np.asarray(_OUTSIDE.get(role, 0.0), np.float32)
    for piece, spot in zip(pieces, spots, strict=True):
        shrinks = piece.shape[1] > spot.width
        how = cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC
        fitted = cv2.resize(np.ascontiguousarray(piece), (spot.width, spot.height), interpolation=how)
        if role == "normal":
            fitted = fitted / np.maximum(np.linalg.norm(fitted, axis=-1, keepdims=True), 1e-6)
        sheet[spot.top : spot.top + spot.height, spot.left : spot.left + spot.width] = fitted
    return sheet
