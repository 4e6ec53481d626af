"""How many features fit across and down a picture: its stones, bricks, boards, counted by their joints."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.cells import Labels
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.pieces import PIECES, find_pieces


class Features(NamedTuple):
    """across, down: how many fit; None where the surface has no pieces that can be told. contrast: of their borders."""

    across: float | None
    down: float | None
    contrast: float


def count_features(pixels: Pixels) -> Features:
    """How many of the pieces that most of the picture lies in fit. pixels: linear RGB (H, W, 3)."""
    found = find_pieces(pixels)
    if found.contrast < PIECES:
        return Features(None, None, found.contrast)
    height, width = found.labels.shape
    return Features(
        round(width / usual_chord(found.labels), 1), round(height / usual_chord(found.labels.T), 1), found.contrast
    )


def usual_chord(labels: Labels) -> float:
    """Half of all rows runs in chords through one cell of this length or more, px. labels: (H, W)."""
    edges = np.ones((labels.shape[0], labels.shape[1] + 1), bool)
    edges[:, 1:-1] = labels[:, 1:] != labels[:, :-1]
    rows, columns = np.nonzero(edges)
    lengths = np.sort(np.diff(columns)[np.diff(rows) == 0])
    return float(lengths[np.searchsorted(np.cumsum(lengths), lengths.sum() / 2)])
