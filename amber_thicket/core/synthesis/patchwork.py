"""Lays pieces of the sample over each other on a tile whose edges meet, each cut in along the least visible line.

Source: Kwatra, Schödl, Essa, Turk & Bobick, "Graphcut textures", SIGGRAPH 2003: what a join costs is how much both
pieces differ on its two sides, old joins may be covered by new pieces, and the best cut is a minimum cut.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.mincut import cheapest_cut, near_cheapest_cut
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.mosaic import Placement, located

Mask = NDArray[np.bool_]
# What a join costs at pixels where it parts these features from those, (..., C) each.
Price = Callable[[Pixels, Pixels], Pixels]


def squared(one: Pixels, other: Pixels) -> Pixels:
    """How much features differ."""
    result: Pixels = ((one - other) ** 2).sum(-1)
    return result


class Patchwork:
    """features: (H, W, C) of what shows; labels: (H, W) int32, which piece, -1 where none does yet.
    across, below: (H, W) what the join to the right and the lower neighbour costs. locked: (H, W) pixels that stay.
    price: what a join costs on either side of it. elsewhere: (H, W, 2) sample coordinates (x, y) of what other tiles
    show, which should not be shown again at about the same place."""

    def __init__(self, width: int, height: int, channels: int, price: Price = squared) -> None:
        self.features = np.zeros((height, width, channels), np.float32)
        self.labels = np.full((height, width), -1, np.int32)
        self.across = np.zeros((height, width), np.float32)
        self.below = np.zeros((height, width), np.float32)
        self.placements: list[Placement] = []
        self.locked: Mask | None = None
        self.price = price
        self.elsewhere: list[NDArray[np.float64]] = []

    @property
    def cost(self) -> float:
        """Of all joins."""
        return float(self.across.sum() + self.below.sum())

    def lay(
        self,
        around: Window,
        features: Pixels,
        placement: Placement,
        *,
        must: Mask,
        may: Mask,
        dear: Pixels | None = None,
        dry_run: bool = False,
    ) -> float:
        """Cuts a piece in where that makes the joins cheapest; returns by how much their cost fell. dry_run: only
        tells.

        features: of the piece, (h, w, C) in the window. must: pixels it has to cover; may: pixels it can cover.
        dear: (h, w) what showing the piece's pixels costs by themselves, below 0 where they are welcome. Nothing
        changes when nothing is gained and nothing is asked for by `must`.
        """
        at = around.on(self.labels.shape)
        labels, across, below = self.labels[at], self.across[at], self.below[at]
        bare = labels < 0
        if self.locked is not None:
            must, may = must & ~self.locked[at], may & ~self.locked[at]
        differs = self.price(self.features[at], features)
        differs[bare] = 0
        right = _pairs(differs, bare, 1)
        down = _pairs(differs, bare, 0)
        inner_across, inner_below = across.copy(), below.copy()
        inner_across[:, -1] = 0
        inner_below[-1] = 0
        # A join that is there already is saved when both its sides are covered.
        keep = 0.5 * (inner_across + inner_below)
        keep[:, 1:] += 0.5 * inner_across[:, :-1]
        keep[1:] += 0.5 * inner_below[:-1]
        take = np.zeros_like(keep)
        if dear is not None:
            take = np.maximum(dear, 0)
            keep += np.maximum(-dear, 0)
        keep = np.where(must, np.inf, keep)
        take = np.where(may | must, take, np.inf)
        parting = np.maximum(right - 0.5 * inner_across, 0), np.maximum(down - 0.5 * inner_below, 0)
        # Which of several places is cheapest is told by nearly the cheapest cut of each.
        taken = near_cheapest_cut(keep, take, *parting) if dry_run else cheapest_cut(keep, take, *parting)[0]
        if not taken.any():
            return 0.0
        new_across = _joined(taken, inner_across, right, 1)
        new_below = _joined(taken, inner_below, down, 0)
        gain = float(inner_across.sum() + inner_below.sum() - new_across.sum() - new_below.sum())
        if dear is not None:
            gain -= float(dear[taken].sum())
        if dry_run:
            return gain
        if gain <= 0 and not must.any():
            return 0.0
        new_across[:, -1], new_below[-1] = across[:, -1], below[-1]
        self.across[at], self.below[at] = new_across, new_below
        self.labels[at] = np.where(taken, len(self.placements), labels)
        self.features[at] = np.where(taken[..., None], features, self.features[at])
        self.placements.append(placement)
        return gain

    def sources(self, around: Window | None = None) -> NDArray[np.float64]:
        """Sample coordinates (x, y) at each pixel, of a window where one is given, (H, W, 2)."""
        height, width = self.labels.shape
        rows, columns = (around or Window(0, 0, width, height)).on(self.labels.shape)
        labels = self.labels[rows, columns] if around else self.labels
        y, x = np.broadcast_arrays(rows, columns)
        return located(self.placements, labels, x, y, self.labels.shape)

    def joins(self) -> Mask:
        """Pixels whose right or lower neighbour is of another piece."""
        return np.asarray(
            (self.labels != np.roll(self.labels, -1, axis=1)) | (self.labels != np.roll(self.labels, -1, axis=0))
        )

    def mismatch(self) -> float:
        """Mean feature difference along the joins."""
        on = np.concatenate([self.across[self.across > 0], self.below[self.below > 0]])
        return float(np.sqrt(on / 2).mean()) if on.size else 0.0


def composed(
    features: Pixels, labels: NDArray[np.integer], placements: list[Placement], price: Price = squared
) -> Patchwork:
    """A patchwork of pieces that were only moved, with the joins they have. features: of the sample, (Hs, Ws, C)."""
    work = Patchwork(labels.shape[1], labels.shape[0], features.shape[2], price)
    work.labels[:] = labels
    work.placements = list(placements)
    at = work.sources().astype(np.int64)

    def seen(places: NDArray[np.int64]) -> Pixels:
        y = places[..., 1].clip(0, features.shape[0] - 1)
        result: Pixels = features[y, places[..., 0].clip(0, features.shape[1] - 1)]
        return result

    work.features[:] = seen(at)
    for axis, step, into in ((1, np.array([1, 0]), work.across), (0, np.array([0, 1]), work.below)):
        there = np.roll(at, -1, axis=axis)
        parted = (at + step != there).any(-1)
        here, beyond = at[parted], there[parted]
        cost = price(seen(here), seen(beyond - step)) + price(seen(here + step), seen(beyond))
        into[parted] = cost
    return work


def _pairs(differs: Pixels, bare: Mask, axis: int) -> Pixels:
    """What a join between each pixel and its next neighbour along an axis costs. Where one is bare, the other tells."""
    cost = np.zeros_like(differs)
    a = [slice(None), slice(None)]
    b = [slice(None), slice(None)]
    a[axis], b[axis] = slice(None, -1), slice(1, None)
    here, there = tuple(a), tuple(b)
    cost[here] = (differs[here] + differs[there]) * np.where(bare[here] ^ bare[there], 2, 1)
    return cost


def _joined(taken: Mask, before: Pixels, cut: Pixels, axis: int) -> Pixels:
    """The joins' costs after a piece is laid."""
    after = np.asarray(before.copy())
    a = [slice(None), slice(None)]
    b = [slice(None), slice(None)]
    a[axis], b[axis] = slice(None, -1), slice(1, None)
    here, there = tuple(a), tuple(b)
    one, both = taken[here] != taken[there], taken[here] & taken[there]
    after[here] = np.where(one, cut[here], np.where(both, 0, before[here]))
    return after
