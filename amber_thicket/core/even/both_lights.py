"""Colour from two photographs in two lights: what shades in one is lit in the other, and glints show in one alone."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.two_lights import log_ratio

# From this log ratio on one of both is wrong there, a glint or a cast shadow, and over how much more it is wholly so.
_APART, _OVER = 0.5, 0.5
# Its neighbourhood, which says which of both it is, in tile widths; the least light that is believed.
_AROUND, _DARKEST = 0.03, 3e-3


class Settings(OperationSettings):
    amount: float = setting(
        100.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Both lights",
        help="Where there is a photograph in another light, or with flash: takes the mean of both, and leaves glints "
        "out that show in one alone.",
    )


def change_of_first(one: Pixels, other: Pixels, tile: float) -> Pixels:
    """(H, W): what the log of the first photograph's light is changed by. Half of what differs; where much differs, the
    one that stands out from its neighbourhood gives way: the bright one is a glint, the dark one in shadow. one, other:
    (H, W, 3) linear. tile: px of a tile width."""
    ratio = log_ratio(one, other, tile, wraps=False)
    stands = []
    for pixels in (one, other):
        log = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), _DARKEST)).astype(np.float32)
        stands.append((log - blur(log, _AROUND * tile, wraps=False, fast=True)) ** 2)
    first = stands[0] / np.maximum(stands[0] + stands[1], np.float32(1e-6))
    far = ((np.abs(ratio) - np.float32(_APART)) / np.float32(_OVER)).clip(0, 1)
    return np.asarray(-ratio * (np.float32(0.5) + far * (first - np.float32(0.5))), np.float32)


def both_lights(before: Raster, other: Raster | None, /, *, frame: Frame, amount: float) -> Raster:
    """Linear RGB with the light of both photographs. other: the second one, laid on the first."""
    if other is None or not amount:
        return before
    change = change_of_first(before.pixels, other.pixels, frame.tile_width)
    factor = np.exp(change * np.float32(amount / 100))[..., None]
    return Raster(before.pixels * factor, evidence=dict(before.evidence))


OPERATION = Operation(
    id="even.both_lights",
    label="Both lights",
    help="Colour from two photographs in two lights.",
    settings=Settings,
    reads=("previous", "?squared.other_light"),
    apply=both_lights,
    idle=lambda settings: settings.amount == 0,
    needs="other_light",
)
