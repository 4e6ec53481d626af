"""Which way up the capture is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    turn: Literal["0", "90", "180", "270"] = setting(
        "0",
        label="Turn",
        unit="°",
        choices={"0": "0", "90": "90", "180": "180", "270": "270"},
        help="Turns the capture clockwise by quarter turns; no pixel is resampled.",
    )
    mirror: bool = setting(
        False, label="Mirror", help="Swaps left and right, for captures made through a mirror or from behind."
    )


def orient(photo: Raster, *, frame: Frame, turn: str, mirror: bool) -> Raster:
    """A layer of the capture turned clockwise by `turn` degrees and then mirrored. photo: (H, W[, C]).

    Normals turn with the picture: what leaned right leans down after a quarter turn clockwise.
    """
    pixels = np.rot90(photo.pixels, -(int(turn) // 90))
    if mirror:
        pixels = pixels[:, ::-1]
    pixels = np.ascontiguousarray(pixels)
    if photo.vectors:
        x, y = pixels[..., 0].copy(), pixels[..., 1].copy()
        right, up = {"0": (x, y), "90": (y, -x), "180": (-x, -y), "270": (-y, x)}[turn]
        pixels = np.stack([-right if mirror else right, up, pixels[..., 2]], -1)
    return Raster(pixels, vectors=photo.vectors)


def turned_box(box: Sequence[float], turn: str, mirror: bool) -> tuple[float, float, float, float]:
    """Left, top, right, bottom (0..1) of a part of the capture after it is turned."""
    left, top, right, bottom = box
    for _ in range(int(turn) // 90):
        left, top, right, bottom = 1 - bottom, left, 1 - top, right
    return (1 - right, top, 1 - left, bottom) if mirror else (left, top, right, bottom)


OPERATION = Operation(
    id="gather.orient",
    label="Way up",
    help="Which way up the capture is.",
    settings=Settings,
    reads=("corrected",),
    writes="gathered",
    carries="gathered",
    apply=orient,
    idle=lambda s: s.turn == "0" and not s.mirror,
)
