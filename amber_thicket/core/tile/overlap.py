"""Joins a sample that overlaps itself by some of the tile: which of its copies shows where."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.cut import (
    apart_across,
    apart_down,
    closed_path,
    mismatch,
    open_path,
    seen,
    usually_apart,
)
from amber_thicket.core.synthesis.patchwork import Mask

PIECES = ((0, 0), (1, 0), (0, 1), (1, 1))


@compiled()
def _copies(across, down, over, out, first, last):  # type: ignore[no-untyped-def]
    """Which copy shows, 1 for the one to the right and 2 for the one below: before the paths. over: overlap down."""
    height, width = out.shape
    for y in range(first, last):
        line = out[y]
        for x in range(width):
            # Past the middle both copies show the same pixels. Calling them the shifted one there keeps the feather
            # from reaching across the border, where it would mix in the sample's bare edge.
            lower = y < down[x] or y >= height // 2
            # Where the lower copy shows, the choice across is the one made in the row it comes from.
            cut = across[y + height] if lower and y < over else across[y]
            line[x] = (1 if x < cut or x >= width // 2 else 0) | (2 if lower else 0)


def cut_labels(
    sample: Pixels, width: int, height: int, wander: float, unfit: Mask | None = None, kept: Mask | None = None
) -> tuple[NDArray[np.uint8], dict[str, Any]]:
    """Which piece shows where: first the join across is cut over all rows, then the join down on that.

    sample: linear RGB; width, height: of the tile in its px; wander: 0..1. unfit, kept: sample pixels that should not
    show, and that no join should run through. Returns ((height, width) labels, evidence).
    """
    over_x, over_y = sample.shape[1] - width, sample.shape[0] - height
    colour = seen(sample)
    cost_x = apart_across(colour, width)
    across = open_path(_brushed(cost_x, unfit, kept, width, over_x), wander=wander)
    cost_y = apart_down(colour, across, (width, height))
    turned = [None if mask is None else np.ascontiguousarray(mask[:, :width].T) for mask in (unfit, kept)]
    dear_y = _brushed(np.ascontiguousarray(cost_y.T), turned[0], turned[1], height, over_y)
    down = closed_path(dear_y, wander=wander)
    labels = np.empty((height, width), np.uint8)
    over_rows(partial(_copies, across, down, over_y, labels), height)
    along_x, along_y = np.arange(cost_x.shape[0]), np.arange(cost_y.shape[1])
    usual, squared = (max(value, 1e-9) for value in usually_apart(colour))
    paths = cost_x[along_x, across], cost_y[down, along_y]
    evidence = {
        "join_mismatch": round(float(np.concatenate([cost**0.5 / usual for cost in paths]).mean()), 3),
        # The same in squared differences, which the paths make least: where left meets right, where top meets bottom.
        "join_costs": [round(float(cost.mean()) / squared, 3) for cost in paths],
    }
    return labels, evidence


def _brushed(cost: Pixels, unfit: Mask | None, kept: Mask | None, period: int, over: int) -> Pixels:
    """The cost of a path (rows, overlap) with what it would show of unfit pixels, and cut of kept ones, added."""
    dear = np.float32(4 * float(cost.mean()) + 1e-6)
    if unfit is not None and unfit.any():
        before, after = unfit[:, :over].astype(np.float32), unfit[:, period : period + over].astype(np.float32)
        # Left of the path the far copy shows, from it on the near one.
        far = np.cumsum(after, axis=1) - after
        near = before[:, ::-1].cumsum(axis=1)[:, ::-1]
        cost = cost + dear * (far + near)
    if kept is not None and kept.any():
        cost = cost + 8 * dear * (kept[:, :over] | kept[:, period : period + over])
    return np.ascontiguousarray(cost, np.float32)


def usual_join_cost(features: Pixels) -> float:
    """Mean feature difference between places of the sample that have nothing to do with each other.

    features: (H, W, C).
    """
    places = features.reshape(-1, features.shape[-1])[::31]
    other = np.random.default_rng(0).permutation(len(places))
    return float(np.sqrt(mismatch(places[None], places[other][None])).mean())


def _ramp(extent: int, overlap: int, softness: float) -> Pixels:
    """Share of the shifted copy along one axis: 1 at the edge, 0 past the overlap; softness 0..1 of its width."""
    t = (np.arange(extent) + 0.5) / max(overlap, 1)
    t = np.clip((t - 0.5) / max(softness, 1e-3) + 0.5, 0, 1)
    share = 1 - t * t * (3 - 2 * t)
    # Past the middle both copies are the same pixels; calling them the shifted one keeps the border's shares whole
    # where they are interpolated.
    share[np.arange(extent) >= extent // 2] = 1
    return share.astype(np.float32)


def blend_shares(width: int, height: int, over_x: int, over_y: int, feather: float) -> tuple[Pixels, ...]:
    """Coarse parts fade over the whole overlap, fine ones over less; fine parts keep their contrast.

    Sizes in px, feather in % of the tile → (H, W) each, 0..1.
    """
    tight = min(1.0, 0.15 + feather / 10)
    bands = []
    for softness, keeps_contrast in ((0.95, False), (min(0.95, 2 * tight), True), (min(0.95, tight), True)):
        x, y = _ramp(width, over_x, softness)[None, :], _ramp(height, over_y, softness)[:, None]
        parts = np.stack([(1 - x) * (1 - y), x * (1 - y), (1 - x) * y, x * y])
        if keeps_contrast:
            # Unrelated detail mixed by plain shares loses contrast; shares of unit power keep it.
            parts /= np.sqrt((parts * parts).sum(axis=0, keepdims=True))
        bands.append(np.ascontiguousarray(parts, np.float32))
    return tuple(bands)
