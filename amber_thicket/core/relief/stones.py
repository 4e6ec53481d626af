"""Stones level, joints deep, whatever their brightness: what somebody says of a surface of pieces.

A picture of laid stones shows their colours far stronger than their relief: dark stones come out low, pale joints as
ridges, and stones tilt like stairs. Where pieces are found, each can be levelled and the joints sunk.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.filters import fill_by_normalized_convolution
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.tile.join import pieces_in

# How much of the tile is looked at beyond its edges, so that pieces there are whole.
_BEYOND = 0.2
# How much of what varies along a joint stays, and how steep its flanks are, in slopes of the usual relief.
_KEPT, _FLANK = 0.8, 0.9
_PLAN = 768.0


class Settings(OperationSettings):
    level: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Stones level",
        help="Where pieces are found: takes each one's own height and tilt away, so that its colour no longer counts "
        "as height.",
    )
    sink: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Joints deep",
        help="Where pieces are found: sinks the joints between them, whether they are dark or pale.",
    )


class Stones(NamedTuple):
    """joint: (h, w) how much of a joint a place is, 0..1. tilt: (h, w) what each piece is higher by, and leans by.
    floor: (h, w) what the joints are higher by, along them. deep: how far they sink.
    pieces: how many, 0 where none are evident."""

    joint: Pixels
    tilt: Pixels
    floor: Pixels
    deep: float
    pieces: int


def _around(field: Pixels, rows: int, columns: int) -> Pixels:
    return np.ascontiguousarray(cv2.copyMakeBorder(field, rows, rows, columns, columns, cv2.BORDER_WRAP))


def decide_stones(cue: Raster, tiled: Raster, /, *, frame: Frame, join: Any, **_: Any) -> Stones:
    """Where the joints of a tile run, and how high its pieces stand, from what is told at plan size."""
    height, width = cue.pixels.shape
    rows, columns = int(_BEYOND * height), int(_BEYOND * width)
    wide = _around(tiled.pixels, rows, columns)
    # A joint is as wide as on the sample; what is told of it is told in shares of the longer side.
    share = max(height, width) / max(wide.shape[:2])
    reading = join.model_copy(update={"joint_width": join.joint_width * share, "one_piece": (), "split_piece": ()})
    pieces = pieces_in(wide, (0.0, 0.0, 1.0, 1.0), reading)
    if not pieces.evident:
        nothing = np.zeros((1, 1), np.float32)
        return Stones(nothing, nothing, nothing, 0.0, 0)
    size = (wide.shape[1], wide.shape[0])
    labels = cv2.resize(pieces.labels.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(np.int32)
    depth = cv2.resize(pieces.depth, size, interpolation=cv2.INTER_LINEAR) / pieces.scale
    half = max(pieces.joint / pieces.scale, 1.0)
    joint = np.clip(1.1 - depth / half, 0, 1).astype(np.float32)
    joint = joint * joint * (3 - 2 * joint)
    field = _around(cue.pixels, rows, columns)
    tilt = _leaning(field, labels, joint < 0.05)
    inside = np.s_[rows : rows + height, columns : columns + width]
    floor = fill_by_normalized_convolution(field, np.ascontiguousarray(joint), [16 * half, 6 * half, 3 * half])
    deep = _FLANK * 2 * half * _PLAN / frame.tile_width
    joint, tilt, floor = (np.ascontiguousarray(one[inside]) for one in (joint, tilt, floor))
    return Stones(joint, tilt, floor, deep, len(np.unique(labels[inside])))


def _leaning(field: Pixels, labels: NDArray[np.int32], inner: NDArray[np.bool_]) -> Pixels:
    """(H, W): the plane that fits each piece's inside best; its mean where that is too small."""
    y, x = np.mgrid[0 : field.shape[0], 0 : field.shape[1]].astype(np.float64)
    count = int(labels.max()) + 1
    ids, values = labels[inner], field[inner].astype(np.float64)

    def total(of: NDArray[Any]) -> NDArray[np.float64]:
        return np.asarray(np.bincount(ids, of, count), np.float64)

    area = np.maximum(total(np.ones(len(ids))), 1)
    mx, my, mean = total(x[inner]) / area, total(y[inner]) / area, total(values) / area
    dx, dy, dv = x[inner] - mx[ids], y[inner] - my[ids], values - mean[ids]
    xx, yy, xy = total(dx * dx) + 1, total(dy * dy) + 1, total(dx * dy)
    xv, yv = total(dx * dv), total(dy * dv)
    whole = xx * yy - xy * xy
    a, b = (xv * yy - yv * xy) / whole, (yv * xx - xv * xy) / whole
    # A plane of a few px is noise.
    a, b = (np.where(area > 60, slope, 0.0) for slope in (a, b))
    made = mean[labels] + a[labels] * (x - mx[labels]) + b[labels] * (y - my[labels])
    return np.asarray(made, np.float32)


def stones(
    cue: Raster, _tiled: Raster, /, *, frame: Frame, decided: Stones, level: float, sink: float, **_: Any
) -> Raster:
    """The height told, (H, W), with its pieces level and its joints deep, as far as that is asked for."""
    evidence = dict(cue.evidence) | {"pieces": decided.pieces}
    if not decided.pieces:
        return Raster(cue.pixels, evidence=evidence)
    size = (cue.pixels.shape[1], cue.pixels.shape[0])
    joint, tilt, floor = (
        one if one.shape == cue.pixels.shape else cv2.resize(one, size, interpolation=cv2.INTER_LINEAR)
        for one in decided[:3]
    )
    stone = cue.pixels - np.float32(level / 100) * tilt
    sunk = np.float32(_KEPT) * (cue.pixels - floor) - np.float32(decided.deep)
    bed = stone + np.float32(sink / 100) * (sunk - stone)
    return Raster(np.asarray(stone + joint * (bed - stone), np.float32), evidence=evidence)


OPERATION = Operation(
    id="relief.stones",
    label="Stones and joints",
    help="What somebody says of a surface of pieces: they are level, the joints between them deep.",
    settings=Settings,
    reads=("previous", "tiled"),
    apply=stones,
    decide=decide_stones,
    decides_by=(),
    also=("tile.join",),
    idle=lambda settings: not settings.level and not settings.sink,
    version=1,
)
