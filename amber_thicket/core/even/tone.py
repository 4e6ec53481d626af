"""Levels, midtone, contrast and saturation of the colour; hues stay where they are."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import field_validator, model_validator

from amber_thicket.core.numeric.colour import encode_srgb, luminance, srgb_to_linear
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.curve import MOST_POINTS, Curve, checked, through
from amber_thicket.core.numeric.oklab import lab_of, linear_of
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

_TABLE = 4096


class Settings(OperationSettings):
    black: float = setting(
        0.0, ge=0, le=90, step=1, unit="%", label="Black", help="What is this dark or darker becomes black."
    )
    white: float = setting(
        100.0, ge=10, le=100, step=1, unit="%", label="White", help="What is this bright becomes white."
    )
    midtone: float = setting(
        0.0, ge=-100, le=100, step=2, unit="%", label="Midtone", help="Lifts or lowers the middle; both ends stay."
    )
    contrast: float = setting(
        0.0,
        ge=-100,
        le=100,
        step=2,
        unit="%",
        label="Contrast",
        help="Spreads tones about the middle, or draws them in.",
    )
    saturation: float = setting(
        0.0, ge=-100, le=100, step=2, unit="%", label="Saturation", help="More colour or less; at the least it is grey."
    )

    curve: Curve = setting(
        (), most=MOST_POINTS, label="Curve", help="Tones along a smooth curve through points of in and out, 0 to 1."
    )

    @field_validator("curve")
    @classmethod
    def _is_curve(cls, points: Curve) -> Curve:
        return checked(points)

    @model_validator(mode="after")
    def _are_apart(self) -> Settings:
        if self.white - self.black < 5:
            raise ValueError("white must lie at least 5 % above black")
        return self


def levelled(tone: Pixels, *, black: float, white: float, midtone: float, contrast: float) -> Pixels:
    """Coded tones in [0, 1] after levels, midtone and contrast; settings in per cent. Never falls."""
    level = np.clip((tone - black / 100) / ((white - black) / 100), 0, None)
    # The middle of the scale goes to 1/2 ± 1/4 at the ends of the setting.
    gamma = np.log(0.5 + midtone / 400) / np.log(0.5)
    level = np.where(level < 1, np.maximum(level, 1e-9) ** gamma, level)
    if contrast:
        steep = 2.0 ** (contrast / 50)
        inside = np.clip(level, 1e-6, 1 - 1e-6)
        bent = inside**steep / (inside**steep + (1 - inside) ** steep)
        level = np.where(level < 1, bent, level)
    return level.astype(np.float32)


def tone(evened_original: Raster, *, frame: Frame, saturation: float, curve: Curve = (), **levels: float) -> Raster:
    """Linear RGB with its brightness moved along the curve and its chroma scaled. (H, W, 3)."""
    pixels = evened_original.pixels
    light = np.maximum(luminance(pixels), 1e-6)
    # Above white the curve goes on, so that what is over 1 stays over 1.
    top = max(1.0, float(light.max()))
    table_in = np.linspace(0, 1, _TABLE, dtype=np.float32) ** 2 * np.float32(top)
    coded = levelled(encode_srgb(table_in[None])[0], **levels)
    if curve:
        coded = np.where(coded <= 1, through(np.array(curve), coded), coded).astype(np.float32)
    wanted = srgb_to_linear(coded)
    gains = (wanted / np.maximum(table_in, 1e-6)).astype(np.float32)
    pixels, out = np.ascontiguousarray(pixels, np.float32), np.empty(pixels.shape, np.float32)
    per_step = np.float32((_TABLE - 1) / np.sqrt(top))
    colour = np.float32(1 + saturation / 100)
    over_rows(partial(_toned, pixels, light, np.append(gains, gains[-1:]), per_step, colour, out), len(pixels))
    return Raster(out)


@compiled(loose=True)
def _toned(pixels, light, gains, per_step, colour, out, first, last):  # type: ignore[no-untyped-def]
    """Each colour times the gain of its brightness (by its root), then its chroma times `colour`."""
    width, nothing = pixels.shape[1], np.float32(0.0)
    for y in range(first, last):
        here, to, bright = pixels[y].reshape(3 * width), out[y].reshape(3 * width), light[y]
        for x in range(width):
            at = np.sqrt(bright[x]) * per_step
            step = min(np.int32(at), np.int32(len(gains) - 2))
            gain = gains[step] + (gains[step + 1] - gains[step]) * (at - np.float32(step))
            for c in range(3):
                to[3 * x + c] = here[3 * x + c] * gain
        if colour != np.float32(1.0):
            for x in range(width):
                lightness, a, b = lab_of(to[3 * x], to[3 * x + 1], to[3 * x + 2])
                red, green, blue = linear_of(lightness, a * colour, b * colour)
                to[3 * x], to[3 * x + 1], to[3 * x + 2] = max(red, nothing), max(green, nothing), max(blue, nothing)


OPERATION = Operation(
    id="even.tone",
    label="Tone",
    help="Levels, midtone, contrast and saturation.",
    settings=Settings,
    reads=("previous",),
    apply=tone,
    idle=lambda s: s == Settings(),
)
