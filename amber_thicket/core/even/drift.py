"""Large-scale drift of tone and colour: what shows as a quilt when the tile is repeated."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.filters import blur, enlarge, shrink
from amber_thicket.core.numeric.oklab import moved_in_oklab, to_oklab
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

_GRID = 192
# Spreads from the middle at which a feature stops to count, without and with all of the protection.
_FREE, _GUARDED, _ROUNDS = 6.0, 0.7, 3


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Drift",
        help="Evens slow changes of tone and colour, which show as a quilt when the tile is repeated.",
    )
    radius: float = setting(
        9.0, ge=3, le=40, step=1, unit="% of tile", label="Drift radius", help="Changes wider than this are evened."
    )
    protect: float = setting(
        50.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Protect features",
        help="How little strong features count, so that no halo forms around them.",
    )


def decide_drift(flat: Raster, *, frame: Frame, amount: float, radius: float, protect: float) -> Pixels:
    """The slow part in Oklab without its mean, on a coarse grid: (h, w, 3)."""
    factor = max(1, min(flat.pixels.shape[:2]) // _GRID)
    lab = to_oklab(shrink(flat.pixels, factor))
    reach = _FREE * (_GUARDED / _FREE) ** (protect / 100)
    sigma = max(frame.length(radius) / factor, 0.6)
    slow = np.zeros_like(lab)
    for _ in range(_ROUNDS):
        # What leaves the slow part by much counts only so far: after some rounds features have lost their pull.
        rest = lab - slow
        middle = np.median(rest, axis=(0, 1))
        spread = 1.4826 * np.median(np.abs(rest - middle), axis=(0, 1)) + 1e-4
        held = np.clip(rest, middle - reach * spread, middle + reach * spread) - middle
        slow = slow + blur(np.ascontiguousarray(held, np.float32), sigma, wraps=frame.wraps)
    return np.asarray(slow - slow.mean(axis=(0, 1)), np.float32)


def drift(flat: Raster, *, frame: Frame, decided: Pixels, amount: float, radius: float, protect: float) -> Raster:
    """Linear RGB with the slow part of tone and colour taken out by amount per cent."""
    slow = enlarge(decided, frame.height, frame.width, wraps=frame.wraps, cubic=True)
    return Raster(moved_in_oklab(flat.pixels, slow, amount / 100, amount / 100))


OPERATION = Operation(
    id="even.drift",
    label="Drift",
    help="Slow changes of tone and colour.",
    settings=Settings,
    reads=("previous",),
    apply=drift,
    decide=decide_drift,
    decides_by=("radius", "protect"),
    idle=lambda s: s.amount == 0,
)
