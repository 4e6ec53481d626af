"""The matrix that brings a camera's colours to those of a colour target."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.chart.reference import NEUTRALS, reference_linear
from amber_thicket.core.numeric.colour import linear_to_lab, luminance
from amber_thicket.core.numeric.difference import ciede2000
from amber_thicket.core.numeric.libraries import optimize
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile

_BURNT, _LOST, _MOST_LOST = 0.985, 0.0015, 6


def _exposure(measured: Pixels, wanted: Pixels, greys: list[int]) -> float:
    """The one gain that brings the greys to their brightness, whatever their colour."""
    one, other = (
        luminance(np.ascontiguousarray(colours[greys][None], np.float32))[0] for colours in (measured, wanted)
    )
    return float(np.dot(one, other) / np.dot(one, one))


class ChartFit(NamedTuple):
    """matrix: (3, 3) for linear RGB; greys keep their brightness. stops: of exposure that bring white and greys to
    their reflectance. before, after: (24,) ΔE00 of each patch as it was shot, and as it is brought, both at the right
    exposure. used: (24,) bool, patches that were neither burnt out nor lost in the dark."""

    matrix: Pixels
    stops: float
    before: Pixels
    after: Pixels
    used: Pixels


def lab_of(linear: Pixels) -> Pixels:
    """(24, 3) Lab of linear BT.709; what lies outside of it is cut at black."""
    return np.asarray(linear_to_lab(np.ascontiguousarray(np.maximum(linear, 0)[None], np.float32))[0], np.float64)


def fit_chart(measured: Pixels) -> ChartFit:
    """measured: (24, 3) linear RGB of the patches, in the order of the reference.

    Raises UnreadableFile where too few patches are exposed well enough.
    """
    wanted = reference_linear()
    used = (measured.max(-1) < _BURNT) & (measured.max(-1) > _LOST)
    greys = [n for n in NEUTRALS if used[n]]
    if used.sum() < len(wanted) - _MOST_LOST or len(greys) < 3:
        raise UnreadableFile(
            f"{int((~used).sum())} patches are burnt out or lost in the dark.", remedy="Photograph the target again."
        )
    # White balance and exposure by the greys: what a camera would have done with them.
    gains = (measured[greys] * wanted[greys]).sum(0) / (measured[greys] ** 2).sum(0)
    seen, goal = measured * gains, lab_of(wanted)
    start = np.linalg.lstsq(seen[used], wanted[used], rcond=None)[0].T

    def off(entries: Pixels) -> Pixels:
        found = ciede2000(lab_of(seen @ entries.reshape(3, 3).T), goal)[used]
        # Greys stay grey whatever the colours ask for.
        return np.concatenate([found, 3 * (entries.reshape(3, 3).sum(1) - 1) * 10])

    best = optimize.least_squares(off, start.ravel(), method="lm", max_nfev=400).x.reshape(3, 3)
    matrix = best @ np.diag(gains)
    # The brightness of grey is a matter of exposure, not of the matrix.
    grey = 1 / gains
    scale = float(luminance((matrix @ grey)[None, None]).item() / luminance(grey[None, None]).item())
    return ChartFit(
        matrix / scale,
        float(np.log2(scale)),
        ciede2000(lab_of(measured * _exposure(measured, wanted, greys)), goal),
        ciede2000(lab_of(seen @ best.T), goal),
        used,
    )
