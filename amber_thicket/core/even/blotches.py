"""Blotches: patches of another tone or colour, of about one size; stains, damp, fading."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.filters import blur, enlarge, shrink
from amber_thicket.core.numeric.oklab import moved_in_oklab, to_oklab
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

_GRID, _WIDER = 256, 3.0


class Settings(OperationSettings):
    dark: float = setting(
        0.0, ge=0, le=100, step=5, unit="%", label="Dark blotches", help="Takes back patches darker than around them."
    )
    bright: float = setting(
        0.0, ge=0, le=100, step=5, unit="%", label="Bright blotches", help="Takes back patches brighter than around."
    )
    size: float = setting(
        6.0, ge=1, le=30, step=0.5, unit="% of tile", label="Blotch size", help="How wide such a patch is."
    )


def decide_blotches(rebuilt: Raster, *, frame: Frame, dark: float, bright: float, size: float) -> Pixels:
    """How far each place leaves its neighbourhood in Oklab, on a coarse grid: (h, w, 3)."""
    factor = max(1, min(rebuilt.pixels.shape[:2]) // _GRID)
    lab = to_oklab(shrink(rebuilt.pixels, factor))
    sigma = max(frame.length(size) / factor / 2.5, 0.6)
    return np.asarray(blur(lab, sigma, wraps=frame.wraps) - blur(lab, sigma * _WIDER, wraps=frame.wraps), np.float32)


def blotches(rebuilt: Raster, *, frame: Frame, decided: Pixels, dark: float, bright: float, size: float) -> Raster:
    """Linear RGB, tone and colour of blotches taken back toward their neighbourhood; detail finer than them stays."""
    away = enlarge(decided, frame.height, frame.width, wraps=frame.wraps, cubic=True)
    return Raster(moved_in_oklab(rebuilt.pixels, away, dark / 100, bright / 100))


OPERATION = Operation(
    id="even.blotches",
    label="Blotches",
    help="Patches of another tone or colour.",
    settings=Settings,
    reads=("previous",),
    apply=blotches,
    decide=decide_blotches,
    decides_by=("size",),
    idle=lambda s: s.dark == 0 and s.bright == 0,
)
