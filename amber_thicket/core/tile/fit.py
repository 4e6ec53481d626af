"""Fits a tile of whole repeats into the picture: how many, which part, and how much is left to overlap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amber_thicket.core.synthesis.lattice import Axis, Lattice

LEAST_OVERLAP, USUAL_OVERLAP = 0.06, 0.2
_MOST_STRETCH = 0.3
_Choice = tuple[float, float, int]


@dataclass(frozen=True)
class Fit:
    """tile: (across, down) px of the picture looked at, whole repeats. overlap: shares of the tile. repeats: how many
    of the finest period each way, 0 where nothing returns. stretch: what the picture's width has to be multiplied by so
    that the tile comes out in the wanted shape. likeness: mean correlation at those shifts."""

    tile: tuple[float, float]
    overlap: tuple[float, float]
    repeats: tuple[int, int]
    stretch: float
    likeness: float


def whole_repeats(lattice: Lattice, size: tuple[float, float], aspect: float) -> Fit | None:
    """The best tile of whole repeats in a picture of (width, height) px; None where none fits.

    aspect: width over height of the finished maps. Many repeats, a good likeness and little stretch count.
    """
    nothing: list[_Choice | None] = [None]
    across, down = (
        (_choices(axis, extent) if axis.returns else []) or nothing
        for axis, extent in zip(lattice.axes, size, strict=True)
    )
    best: tuple[float, Fit] | None = None
    for x, y in [(x, y) for x in across for y in down]:
        if x is None and y is None:
            continue
        tile_x = x[0] if x else min((y[0] if y else 0) * aspect, size[0] / (1 + USUAL_OVERLAP))
        tile_y = y[0] if y else min((x[0] if x else 0) / aspect, size[1] / (1 + USUAL_OVERLAP))
        stretch = aspect * tile_y / tile_x
        if abs(np.log(stretch)) > _MOST_STRETCH:
            continue
        overlap = (min(USUAL_OVERLAP, size[0] / tile_x - 1), min(USUAL_OVERLAP, size[1] / tile_y - 1))
        likeness = float(np.mean([part[1] for part in (x, y) if part]))
        covered = tile_x * tile_y / (size[0] * size[1])
        score = likeness + 0.5 * covered - abs(float(np.log(stretch)))
        fit = Fit((tile_x, tile_y), overlap, (x[2] if x else 0, y[2] if y else 0), stretch, likeness)
        if best is None or score > best[0]:
            best = (score, fit)
    return best[1] if best else None


def _choices(axis: Axis, extent: float) -> list[_Choice | None]:
    """(px, likeness, how many periods) of every whole number of periods that leaves room to overlap."""
    finest = axis.finest
    counted = [(p, like, round(p / finest)) for p, like in zip(axis.periods, axis.likeness, strict=True)]
    # A return that is no whole number of periods is something else that happens to look alike.
    return [
        (p, like, count)
        for p, like, count in counted
        if abs(p / finest - count) < 0.12 and p * (1 + LEAST_OVERLAP) <= extent
    ]
