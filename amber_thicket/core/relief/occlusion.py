"""Ambient occlusion of the height."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import JsonValue, field_validator

from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.horizon import open_sky

_TIGHT = 1 / 6


class Settings(OperationSettings):
    reach: float = setting(
        6.0,
        ge=0.5,
        le=25,
        step=0.5,
        unit="% of tile",
        label="Reach",
        help="How far away the surface can still shade a point.",
    )
    depth: float = setting(
        1.0, ge=0, le=6, step=0.1, unit="×", label="Depth", help="Deepens the relief for the occlusion alone."
    )
    contrast: float = setting(
        1.0, ge=0.2, le=4, step=0.05, unit="×", label="Contrast", help="1 is measured; more darkens the recesses."
    )
    tight: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="Tight",
        help="Mixes in the occlusion of the nearest surroundings alone, a sixth of the reach: crisp creases.",
    )
    lift: float = setting(
        0.0, ge=0, le=0.9, step=0.05, folded=True, label="Lift", help="No place is darker than this; the rest follows."
    )
    pinned: dict[str, dict[str, JsonValue]] = setting(
        {},
        label="Pinned to",
        help="The settings of Relief the occlusion keeps to, by operation; where none are kept it follows the height.",
    )

    @field_validator("pinned")
    @classmethod
    def _is_kept(cls, value: dict[str, dict[str, JsonValue]]) -> dict[str, dict[str, JsonValue]]:
        if not all(name.startswith(("relief.", "response.")) for name in value):
            raise ValueError("it must hold settings of Relief and Response by operation")
        return value


def decide_occlusion(height: Raster, *, frame: Frame, reach: float, depth: float, **how: Any) -> Pixels:
    """The open sky at plan size, for whoever wants that: what is made of it is quick, and it is not."""
    return _open_sky(height, frame, reach, depth)


def _open_sky(height: Raster, frame: Frame, reach: float, depth: float, part: float = 1.0) -> Pixels:
    """part: of the reach, but a pixel at least."""
    deep, far = height.span * frame.tile_width * depth, frame.length(reach)
    return open_sky(height.pixels, depth=deep, reach=far if part == 1 else max(far * part, 1.0))


def occlusion(
    height: Raster, *, frame: Frame, decided: Pixels, reach: float, depth: float, tight: float, **how: Any
) -> Raster:
    """Ambient occlusion in [0, 1], 1 is open. height: a layer that wraps, with its span."""
    pixels = decided
    if tight < 100 and pixels.shape != height.pixels.shape:
        pixels = _open_sky(height, frame, reach, depth)
    if tight > 0:
        near = _open_sky(height, frame, reach, depth, _TIGHT)
        pixels = pixels + np.float32(tight / 100) * (near - pixels) if tight < 100 else near
    return _toned(pixels, **how)


def _toned(pixels: Pixels, *, contrast: float, lift: float, pinned: object = None) -> Raster:
    if contrast != 1:
        pixels = pixels.clip(0, 1) ** np.float32(contrast)
    return Raster(pixels if lift == 0 else np.float32(lift) + np.float32(1 - lift) * pixels)


def given_occlusion(given: Raster, *, frame: Frame, reach: float, depth: float, tight: float, **how: Any) -> Raster:
    """The occlusion map that was brought; of the settings contrast and lift act."""
    toned = _toned(given.pixels, **how)
    return given if toned.pixels is given.pixels else toned


OPERATION = Operation(
    id="relief.occlusion",
    label="Occlusion",
    help="How much of the sky each point sees.",
    settings=Settings,
    reads=("height",),
    writes="ambient_occlusion_made",
    apply=occlusion,
    decide=decide_occlusion,
    decides_by=("reach", "depth"),
    given=(ExistingMap("ambient_occlusion", given_occlusion),),
    recalls=lambda s: s.pinned or None,
    version=2,
)
