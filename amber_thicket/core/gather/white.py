"""White and exposure of the capture: neutral patch, steps of light; for camera RAW how it is developed."""

from __future__ import annotations

from typing import Literal

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.errors import BadSetting

_LEAST, _MOST = 0.25, 4.0


def _gain(colour: str) -> float:
    value: float = setting(
        1.0,
        ge=_LEAST,
        le=_MOST,
        step=0.01,
        unit="×",
        label=colour,
        help=f"{colour} light times this. Picking a neutral patch sets all three.",
    )
    return value


class Settings(OperationSettings):
    exposure: float = setting(
        0.0, ge=-4, le=4, step=0.1, label="Exposure", help="Brighter or darker, in steps of doubled light."
    )
    red: float = _gain("Red")
    green: float = _gain("Green")
    blue: float = _gain("Blue")
    raw_white: Literal["as_shot", "daylight", "average"] = setting(
        "as_shot",
        label="RAW white",
        choices={"as_shot": "As shot", "daylight": "Daylight", "average": "Average"},
        folded=True,
        help="White balance a camera RAW is developed with; other files have theirs built in.",
    )
    raw_highlights: Literal["cut", "blend", "rebuild"] = setting(
        "blend",
        label="RAW highlights",
        choices={"cut": "Cut off", "blend": "Blend", "rebuild": "Rebuild"},
        folded=True,
        help="What becomes of burnt-out places of a camera RAW.",
    )


def balance(photo: Raster, *, frame: Frame, exposure: float, red: float, green: float, blue: float, **_: str) -> Raster:
    """Linear RGB times a gain a channel. photo: (H, W, 3)."""
    gains = np.array([red, green, blue], np.float32) * np.float32(2.0**exposure)
    return Raster(photo.pixels * gains)


def neutral(patch: Pixels) -> dict[str, float]:
    """The gains that make a patch grey without changing its brightness. patch: (..., 3) linear RGB.

    Raises BadSetting where the patch is too dark, burnt out or so coloured that no lamp explains it.
    """
    colour = np.median(patch.reshape(-1, 3), axis=0)
    if colour.min() < 0.004 or float(np.mean(patch >= 0.995)) > 0.1:
        raise BadSetting(
            "This patch is too dark or burnt out to tell its white.", remedy="Pick an evenly lit grey or white place."
        )
    gains = float(luminance(colour[None, None, :]).item()) / colour
    if gains.min() < _LEAST or gains.max() > _MOST:
        raise BadSetting("This patch is too colourful to be neutral.", remedy="Pick a grey or white place.")
    return {name: round(float(gain), 4) for name, gain in zip(("red", "green", "blue"), gains, strict=True)}


OPERATION = Operation(
    id="gather.white",
    label="White and exposure",
    help="What is white, and how bright the capture is.",
    settings=Settings,
    reads=("photo",),
    writes="balanced",
    apply=balance,
    idle=lambda s: s.exposure == 0 and s.red == s.green == s.blue == 1,
)
