"""Hue bands: colour and brightness of one range of hues without touching the others."""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.numeric.arctan import degrees_of
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.oklab import lab_of, linear_of
from amber_thicket.core.numeric.parallel import over_rows
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
    # Every hue's amounts by whole degrees: a table is much quicker than the bands at every pixel.
    table = shares(np.arange(361, dtype=np.float32))
    colour = table @ np.array([amounts[f"{band}_colour"] for band in BANDS], np.float32) / 100
    light = table @ np.array([amounts[f"{band}_light"] for band in BANDS], np.float32) / 100
    pixels = np.ascontiguousarray(evened_tone.pixels)
    out = np.empty_like(pixels)
    over_rows(partial(_mix, pixels, np.float32(colour), np.float32(light), bool(light.any()), out), len(pixels))
    return Raster(out)


@compiled(loose=True, inline=True)
def banded(a, b):  # type: ignore[no-untyped-def]
    """Of the two colour axes: the hue in degrees and a half, whose whole part is the nearest degree, and how sure it
    is; for compiled loops. A whole number here would keep the compiler from going through several pixels at once."""
    chroma = np.sqrt(a * a + b * b)
    return degrees_of(b, a) + np.float32(0.5), chroma / (chroma + np.float32(_GREY))


@compiled(loose=True)
def _mix(pixels, colour, light, lit, out, first, last):  # type: ignore[no-untyped-def]
    """lit: whether any hue is raised or lowered. Each row in steps, so that all but the look-up in the tables goes
    through several pixels at once."""
    width = pixels.shape[1]
    tone, a, b = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    at, sure = np.empty(width, np.float32), np.empty(width, np.float32)
    gain, by = np.empty(width, np.float32), np.ones(width, np.float32)
    for y in range(first, last):
        here, to = pixels[y].reshape(3 * width), out[y].reshape(3 * width)
        for x in range(width):
            tone[x], a[x], b[x] = lab_of(here[3 * x], here[3 * x + 1], here[3 * x + 2])
        for x in range(width):
            at[x], sure[x] = banded(a[x], b[x])
        for x in range(width):
            gain[x] = np.float32(1.0) + colour[np.int32(at[x])] * sure[x]
        if lit:
            for x in range(width):
                step = light[np.int32(at[x])] * sure[x]
                by[x] = np.exp(step * np.float32(0.6931472)) if step != 0.0 else np.float32(1.0)
        for x in range(width):
            red, green, blue = linear_of(tone[x], a[x] * gain[x], b[x] * gain[x])
            to[3 * x] = max(red * by[x], np.float32(0.0))
            to[3 * x + 1] = max(green * by[x], np.float32(0.0))
            to[3 * x + 2] = max(blue * by[x], np.float32(0.0))


OPERATION = Operation(
    id="even.hues",
    label="Hues",
    help="Colour and brightness of one range of hues.",
    settings=Settings,
    reads=("previous",),
    apply=hues,
    idle=lambda s: s == Settings(),
)
