"""What gives the repeat away: places that stand out from the rest of the tile and so catch the eye at every repeat.

Local tone, contrast, edges and the two colour axes are looked at in three sizes; a place counts by how far it leaves
what is usual there, on its own side. The figure and its limit come from photographs with planted stones.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

ALARM = 1.95
# From this share of it on a place is too conspicuous to fill others from.
_NO_SOURCE = 0.75
_SIDE, _SIZES, _TREND = 512, (10, 20, 40), 80
_PEAKS, _USUAL = 14, slice(5, 14)
# Under this spread a surface is even, and nothing finer than it can be seen: L*, a* and b* in CIELAB units.
_LEAST_TONE, _LEAST_COLOUR, _LEAST_LOG = 0.5, 0.5, 0.05


@dataclass(frozen=True)
class RepeatArtifact:
    """x, y: place in the tile (0..1). radius: in tile widths. strength: against the usual peaks of this surface; ALARM
    and more is seen in the repeat."""

    x: float
    y: float
    radius: float
    strength: float


def find_repeat_artifacts(tile: Pixels) -> list[RepeatArtifact]:
    """The places that stand out most, strongest first, at most 14. tile: linear RGB (H, W, 3) whose edges meet."""
    height, width = tile.shape[:2]
    scale = _SIDE / max(height, width)
    size = (max(16, round(width * scale)), max(16, round(height * scale)))
    lab = linear_to_lab(cv2.resize(tile, size, interpolation=cv2.INTER_AREA))
    strength, reach = _standing_out(np.ascontiguousarray(lab, np.float32))
    found: list[tuple[float, int, int, float]] = []
    left = strength.copy()
    x, y = np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32)
    for _ in range(_PEAKS):
        at = int(left.argmax())
        row, column = divmod(at, size[0])
        if left[row, column] <= 0:
            break
        found.append((float(strength[row, column]), row, column, float(reach[row, column])))
        away_x, away_y = np.abs(x - column), np.abs(y - row)
        away_x, away_y = np.minimum(away_x, size[0] - away_x), np.minimum(away_y, size[1] - away_y)
        left[away_y[:, None] ** 2 + away_x**2 < (3.0 * reach[row, column]) ** 2] = 0
    if len(found) <= _USUAL.start:
        return []
    usual = max(2.0, float(np.median([value for value, *_ in found[_USUAL]])))
    return [
        RepeatArtifact((column + 0.5) / size[0], (row + 0.5) / size[1], 2.0 * sigma / size[0], round(value / usual, 2))
        for value, row, column, sigma in found
    ]


def unfit(found: Sequence[RepeatArtifact]) -> list[tuple[float, float, float]]:
    """(x, y, radius) of the places nothing should be filled from."""
    return [(place.x, place.y, place.radius) for place in found if place.strength >= _NO_SOURCE * ALARM]


def _standing_out(lab: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(how far each place leaves the usual, the size in px at which it does so most)."""
    tone = np.ascontiguousarray(lab[..., 0])
    slope = np.hypot(*np.gradient(tone)).astype(np.float32)
    best = np.zeros(tone.shape, np.float32)
    reach = np.full(tone.shape, float(_SIZES[0]), np.float32)
    for sigma in _SIZES:
        mean = blur(tone, sigma, wraps=True)
        spread = np.sqrt(np.maximum(blur(tone * tone, sigma, wraps=True) - mean * mean, 1e-4))
        edges = np.sqrt(blur(slope * slope, sigma, wraps=True)) + 1e-3
        colours = (blur(np.ascontiguousarray(lab[..., axis]), sigma, wraps=True) for axis in (1, 2))
        fields = [(mean, _LEAST_TONE), (np.log(spread), _LEAST_LOG), (np.log(edges), _LEAST_LOG)]
        for values, least in (*fields, *((colour, _LEAST_COLOUR) for colour in colours)):
            field = np.ascontiguousarray(values, np.float32)
            field = field - blur(field, _TREND, wraps=True)
            low, high = np.percentile(field[::2, ::2], [10, 90])
            # Each side against its own usual spread: a surface may have many dark and no bright places.
            scaled = np.where(field > 0, field / max(high, least), field / min(low, -least))
            better = scaled > best
            best[better], reach[better] = scaled[better], sigma
    return best, reach
