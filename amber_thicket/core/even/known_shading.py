"""Takes the sun's shading, its cast shadow and the sky's occlusion out of the colour where the height is known."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from amber_thicket.core.numeric.filters import enlarge
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting

_SHARPEST = 4096


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Known relief",
        help="Takes out the shading, shadow and occlusion that the height map which came along explains.",
    )


def decide_known_shading(
    lit: Callable[[], Raster],
    height: Callable[[], Raster] | None,
    sun: Callable[[], Raster],
    *,
    frame: Frame,
    amount: float,
) -> Raster | None:
    """The light on the relief, as sharp as the capture; None where no height is known."""
    return sun() if height else None


def known_shading(
    lit: Callable[[], Raster],
    height: Callable[[], Raster] | None,
    sun: Callable[[], Raster],
    *,
    frame: Frame,
    decided: Raster | None,
    amount: float,
) -> Raster:
    """Linear RGB divided by the light the height explains, by amount per cent."""
    return lit() if decided is None else remove_known_shading(lit(), decided, frame, amount)


def remove_known_shading(lit: Raster, sun: Raster, frame: Frame, amount: float = 100.0) -> Raster:
    """Linear RGB of the frame divided by the light on its relief (see sun.sun), by amount per cent.

    A smaller picture is divided by the mean light of its pixels: the light on a height made smaller is another.
    """
    size = (lit.pixels.shape[1], lit.pixels.shape[0])
    finer = sun.evidence["tile_width"] / frame.tile_width
    covered = sun.pixels[: max(1, round(size[1] * finer)), : max(1, round(size[0] * finer))]
    light = covered
    if covered.shape != lit.pixels.shape[:2]:
        light = (
            cv2.resize(covered, size, interpolation=cv2.INTER_AREA)
            if finer > 1
            else enlarge(covered, size[1], size[0], wraps=frame.wraps)
        )
    told = sun.evidence
    evidence = {"bearing": round(told["bearing"], 1), "sky": round(told["sky"], 2), "explained": told["explained"]}
    gain = light ** np.float32(-amount / 100)
    return Raster(np.asarray(lit.pixels * gain[..., None], np.float32), evidence=evidence)


OPERATION = Operation(
    id="even.known_shading",
    label="Known relief",
    help="Light taken out by the height map that came along.",
    settings=Settings,
    tags=("takes_light_out",),
    reads=("previous", "?squared.height", "sun"),
    apply=known_shading,
    decide=decide_known_shading,
    decides_by=(),
    decides_at=_SHARPEST,
    lazy=True,
    idle=lambda s: s.amount == 0,
)
