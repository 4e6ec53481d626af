"""Hue bands: colour and brightness of one range of hues without touching the others."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.even.oklab import from_oklab, to_oklab
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

# Middles of the bands in degrees of Oklab hue: those of the pure sRGB colours of that name.
BANDS: dict[str, float] = {"red": 29.0, "yellow": 110.0, "green": 142.5, "cyan": 195.0, "blue": 264.0, "purple": 328.0}
# Under this chroma a colour is grey, and its hue means nothing.
_GREY = 0.02


def _amount(band: str, what: str, help: str) -> float:
    value: float = setting(
        0.0, ge=-100, le=100, step=2, unit="%", folded=True, label=f"{band.capitalize()}, {what}", help=help
    )
    return value


def _colour(band: str) -> float:
    return _amount(band, "colour", f"More or less colour where it is {band}.")


def _light(band: str) -> float:
    return _amount(band, "light", f"Brighter or darker where it is {band}.")


class Settings(OperationSettings):
    red_colour: float = _colour("red")
    red_light: float = _light("red")
    yellow_colour: float = _colour("yellow")
    yellow_light: float = _light("yellow")
    green_colour: float = _colour("green")
    green_light: float = _light("green")
    cyan_colour: float = _colour("cyan")
    cyan_light: float = _light("cyan")
    blue_colour: float = _colour("blue")
    blue_light: float = _light("blue")
    purple_colour: float = _colour("purple")
    purple_light: float = _light("purple")


def shares(hue: Pixels) -> Pixels:
    """How far each hue (degrees) belongs to each band, (..., 6); they sum to 1."""
    middles = np.array(list(BANDS.values()))
    following = np.roll(middles, -1)
    spans = (following - middles) % 360
    found = np.zeros((*hue.shape, middles.size), np.float32)
    for number, (middle, span) in enumerate(zip(middles, spans, strict=True)):
        t = ((hue - middle) % 360) / span
        within = t < 1
        smooth = t * t * (3 - 2 * t)
        found[..., number] += np.where(within, 1 - smooth, 0)
        found[..., (number + 1) % middles.size] += np.where(within, smooth, 0)
    return found


def hues(evened_tone: Raster, *, frame: Frame, **amounts: float) -> Raster:
    """Linear RGB (H, W, 3) with each band's chroma scaled and its light raised or lowered by up to a stop."""
    lab = to_oklab(evened_tone.pixels)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    # Every hue's amounts by whole degrees: a table is much quicker than the bands at every pixel.
    table = shares(np.arange(361, dtype=np.float32))
    colour = table @ np.array([amounts[f"{band}_colour"] for band in BANDS], np.float32) / 100
    light = table @ np.array([amounts[f"{band}_light"] for band in BANDS], np.float32) / 100
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    sure = chroma / (chroma + np.float32(_GREY))
    at = np.rint(hue).astype(np.int32)
    gain = (1 + colour[at] * sure).astype(np.float32)
    lab[..., 1] *= gain
    lab[..., 2] *= gain
    out = from_oklab(lab) * (2.0 ** (light[at] * sure))[..., None].astype(np.float32)
    return Raster(np.maximum(out, 0).astype(np.float32))


OPERATION = Operation(
    id="even.hues",
    label="Hues",
    help="Colour and brightness of one range of hues.",
    settings=Settings,
    reads=("evened_tone",),
    writes="evened",
    apply=hues,
    idle=lambda s: s == Settings(),
)
