"""The relief in three parts: its broad shape, its fine grain, and the veins that run through it.

Source of the ridge measure: Frangi et al., "Multiscale vessel enhancement filtering", MICCAI 1998 (eigenvalues of the
Hessian at several widths).
"""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    on: bool = setting(False, label="Relief in parts", help="Adds three maps: broad shape, fine grain, and veins.")
    broad: float = setting(
        3.0, ge=0.2, le=20, step=0.1, unit="% of tile", label="Broad from", help="Shapes wider than this are broad."
    )
    veins: float = setting(
        0.6, ge=0.1, le=5, step=0.05, unit="% of tile", label="Vein width", help="How wide the veins are."
    )


class _None(OperationSettings):
    pass


def _around_middle(values: Pixels) -> Pixels:
    """Around ½, with 4.5 spreads from black to white."""
    spread = max(float(values.std()) * 4.5, 1e-6)
    return np.asarray((0.5 + (values - values.mean()) / spread).clip(0, 1), np.float32)


def ridges(height: Pixels, width: float) -> Pixels:
    """(H, W) from 0: how much each place is the crest of a line about `width` px wide. height: (H, W) that wraps."""
    best = np.zeros_like(height)
    for sigma in (0.35 * width, 0.5 * width, 0.8 * width):
        smooth = blur(height, max(sigma, 0.7), wraps=True)
        xx = np.roll(smooth, 1, 1) + np.roll(smooth, -1, 1) - 2 * smooth
        yy = np.roll(smooth, 1, 0) + np.roll(smooth, -1, 0) - 2 * smooth
        x = (np.roll(smooth, -1, 1) - np.roll(smooth, 1, 1)) / 2
        xy = (np.roll(x, -1, 0) - np.roll(x, 1, 0)) / 2
        middle, swing = (xx + yy) / 2, np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
        across, along = middle - swing, middle + swing
        best = np.maximum(best, sigma**2 * np.maximum(-across - np.abs(along), 0))
    return best


def part(which: str, height: Raster | None, /, *, frame: Frame, split: Any, **_: Any) -> Raster:
    """(H, W) in [0, 1]; ½ is level for broad and fine, 0 is no vein. height: (H, W) in [0, 1]."""
    if height is None:
        return Raster(np.full((frame.height, frame.width), ROLES[which].blank, np.float32))
    smooth = blur(height.pixels, frame.length(split.broad) / 2.5, wraps=True, fast=True)
    if which == "relief_broad":
        return Raster(_around_middle(smooth))
    if which == "relief_fine":
        return Raster(_around_middle(height.pixels - smooth))
    found = ridges(height.pixels, frame.length(split.veins))
    return Raster((found / max(float(np.percentile(found, 99.5)), 1e-9)).clip(0, 1).astype(np.float32))


OPERATION = Operation(
    id="relief.split",
    label="Relief in parts",
    help="The broad shape, the fine grain and the veins of the relief as maps of their own.",
    settings=Settings,
)


def _operation(role: str) -> Operation:
    return Operation(
        id=f"relief.{role}",
        label=ROLES[role].label,
        help="One part of the relief.",
        settings=_None,
        reads=("height",),
        writes=role,
        apply=partial(part, role),
        also=("relief.split",),
        uses=lambda options: ("height",) if options["split"].on else (),
    )


PARTS = tuple(_operation(role) for role in ("relief_broad", "relief_fine", "relief_veins"))
