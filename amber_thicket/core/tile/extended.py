"""The colour of a cut-out goes on beyond its edge, so that smaller copies show no fringe of the ground."""

from __future__ import annotations

from typing import Any

import numpy as np

from amber_thicket.core.numeric.filters import blur, enlarge, fill_by_normalized_convolution, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.mix import mix
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.settings import OperationSettings

# How far from the edge colour is not believed, in tile widths.
_RIM = 0.0025


def bled(colour: Pixels, solid: Pixels, rim: float = _RIM) -> Pixels:
    """Colour that goes on beyond the mask as it is at the rim. colour: (H, W[, C]); solid: (H, W). rim: how far from
    the edge it is not believed, in tile widths."""
    if float(solid.min()) > 0.99:
        return colour
    # At the rim blur and shadow mix the ground in, so only what lies a little inside counts.
    near = 2 * max(1, round(rim * solid.shape[1])) + 1
    sure = cv2.erode((solid > 0.97).astype(np.float32), np.ones((near, near), np.uint8))
    factor = max(1, colour.shape[1] // 1024)
    rows, columns = solid.shape
    scale = columns / factor / 768
    small, known = (shrink(np.ascontiguousarray(v), factor) for v in (colour * _like(sure, colour), sure))
    known = np.maximum(known, 0)
    average = small / np.maximum(_like(known, small), 1e-3)
    wide = fill_by_normalized_convolution(average, known, [s * scale for s in (96, 32, 10, 3, 1.2)])
    if factor > 1:
        wide = enlarge(wide, rows, columns, wraps=False)
    wide = wide.reshape(colour.shape)
    return mix(wide, colour, blur(sure, 0.6, wraps=False) * sure)


def _like(mask: Pixels, other: Pixels) -> Pixels:
    return mask[..., None] if other.ndim == 3 else mask


def extended(tile: Raster, cut: Raster | None, /, **_: Any) -> Raster:
    """The tile, with the colour of a cut-out carried on beyond its edge."""
    if cut is None:
        return tile
    return Raster(bled(tile.pixels, cut.pixels), evidence=dict(tile.evidence))


class Settings(OperationSettings):
    pass


OPERATION = Operation(
    id="tile.extended",
    label="Colour beyond the edge",
    help="The colour of a cut-out goes on beyond its edge.",
    settings=Settings,
    reads=("previous", "cut"),
    apply=extended,
    also=("tile.cutout",),
    uses=lambda options: ("varied", "cut") if options["cutout"].on else ("varied",),
    matters=lambda options: options["cutout"].on,
    version=2,
)
