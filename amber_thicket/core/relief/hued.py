"""Tone and hue of every place: what does not change while some hues are lifted or lowered."""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.even.hues import BANDS, banded, shares
from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.oklab import lab_of
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings


class Settings(OperationSettings):
    pass


def hued_of(colour: Pixels) -> Pixels:
    """Gamma-coded luminance, the hue and how sure it is as even.hues.banded() gives them, (H, W, 3). colour: linear
    RGB."""
    pixels, tone = np.ascontiguousarray(colour), coded_luminance(colour)
    out = np.empty(pixels.shape, np.float32)
    over_rows(partial(_banded_rows, pixels, tone, out), len(pixels))
    return out


@compiled(loose=True)
def _banded_rows(pixels, tone, out, first, last):  # type: ignore[no-untyped-def]
    width = pixels.shape[1]
    a, b = np.empty(width, np.float32), np.empty(width, np.float32)
    for y in range(first, last):
        here, to, bright = pixels[y].reshape(3 * width), out[y].reshape(3 * width), tone[y]
        for x in range(width):
            _, a[x], b[x] = lab_of(here[3 * x], here[3 * x + 1], here[3 * x + 2])
        for x in range(width):
            at, sure = banded(a[x], b[x])
            to[3 * x], to[3 * x + 1], to[3 * x + 2] = bright[x], at, sure


def tone_with(hued: Pixels, hues: dict[str, float]) -> Pixels:
    """The luminance (H, W) with some hues lifted or lowered by up to a half. hued: as hued_of() gives it; hues: % of
    each band."""
    table = shares(np.arange(361, dtype=np.float32)) @ np.array([hues[band] for band in BANDS], np.float32) / 200
    out = np.empty(hued.shape[:2], np.float32)
    over_rows(partial(_lifted, hued, np.float32(table), out), len(out))
    return out


@compiled(loose=True)
def _lifted(hued, table, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        here, line = hued[y].reshape(3 * hued.shape[1]), out[y]
        for x in range(len(line)):
            line[x] = here[3 * x] + table[np.int32(here[3 * x + 1])] * here[3 * x + 2]


def hued(tiled: Raster, *, frame: Frame) -> Raster:
    """What hued_of() tells."""
    return Raster(hued_of(tiled.pixels))


OPERATION = Operation(
    id="relief.hued",
    label="Hue",
    help="Tone and hue of every place.",
    settings=Settings,
    reads=("tiled",),
    writes="hued",
    carries="hued",
    apply=hued,
)
