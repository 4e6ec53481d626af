"""What it costs a join to run through a pixel: most where it would fuse two pieces, some where it trims one."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.joints.depth import DepthField, runs

# Of a pixel; of both sides deep within pieces; of one; of a strip left over; of a difference in colour.
PIXEL, FUSED, TRIMMED, STRIP, COLOUR = 0.03, 3.0, 0.4, 1.0, 0.12
# A strip is wider than so many half joints and narrower than this share of a usual piece; it counts where the join
# leaves the joint by this depth.
_STRIP, _PIECE, _OUT = 1.5, 0.9, 0.15


def usual_difference(lab: Pixels) -> float:
    """Mean ΔE (CIE 1976) of places that have nothing to do with each other."""
    flat = lab.reshape(-1, 3)[:: max(1, lab.shape[0] * lab.shape[1] // 5000)]
    other = np.random.default_rng(0).permutation(len(flat))
    return max(float(np.linalg.norm(flat - flat[other], axis=1).mean()), 1e-3)


def prices(one: DepthField, other: DepthField, usual: float, *, wraps: bool) -> tuple[Pixels, Pixels]:
    """Price of coming to each pixel along the join and of stepping aside, (H, W) each, for a join that runs downwards
    with `one` to its left and `other` to its right. wraps: first and last row meet."""
    # Runs along columns wrap where the rows do: looked at turned.
    fields = [runs(np.ascontiguousarray(field.labels.T), wraps_across=wraps) for field in (one, other)]
    (up, below, left, _), (up2, below2, _, right) = (tuple(run.T for run in field) for field in fields)
    down, across = np.empty_like(one.depth), np.empty_like(one.depth)
    shapes = np.float32(_STRIP * one.joint), np.float32(_PIECE * one.typical)
    sides = tuple(np.ascontiguousarray(run) for run in (left, right, up, below, up2, below2))
    _priced(one.depth, other.depth, one.lab, other.lab, *sides, *shapes, np.float32(usual), down, across)
    return down, across


@compiled(loose=True)
def _strip(width, narrow, wide):  # type: ignore[no-untyped-def]
    """1 for a strip that shows, less toward the width of a piece, 0 for what is no wider than a joint."""
    if width <= narrow:
        return np.float32(0.0)
    return min(max((wide - width) / (np.float32(0.3) * wide), np.float32(0.0)), np.float32(1.0))


@compiled(loose=True)
def _priced(  # type: ignore[no-untyped-def]
    one, other, lab, lab2, left, right, up, below, up2, below2, narrow, wide, usual, down, across
):
    height, width = one.shape
    for y in range(height):
        for x in range(width):
            a, b = one[y, x], other[y, x]
            off = np.float32(0.0)
            for c in range(3):
                apart = lab[y, x, c] - lab2[y, x, c]
                off += apart * apart
            out = min(max(a, b) / np.float32(_OUT), np.float32(1.0)) * np.float32(STRIP)
            base = np.float32(PIXEL) + np.float32(FUSED) * min(a, b) + np.float32(TRIMMED) * max(a, b)
            base += np.float32(COLOUR) * np.sqrt(off) / usual
            down[y, x] = base + out * _strip(left[y, x] + right[y, x], narrow, wide)
            # Beside a step aside one side lies above, the other below; which way round is not known.
            beside = min(up[y, x] + below2[y, x], below[y, x] + up2[y, x])
            across[y, x] = base + out * _strip(beside, narrow, wide)
