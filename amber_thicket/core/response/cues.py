"""What colour and relief tell about roughness, with what is light in the picture taken out.

Three cues, each without unit: recesses, where dirt keeps and nothing is polished; grain, fine unevenness; paleness, of
patches wider than the relief. Shade of single bumps is in all of them, for height is read from it too: what goes with
the lightness of bumps, or with the slopes of the height, is projected out, so that roughness never follows the light.
Recesses rough, worn heights smooth, pale dry places rough, dark damp ones smooth: common practice, no source.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import cube_root, luminance, luminance_of
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, enlarge, shrink
from amber_thicket.core.numeric.fitted import fit_rows
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.zones import standing_out
from amber_thicket.core.settings import OperationSettings
from amber_thicket.core.shading.slope import slopes

CUES = ("recesses", "grain", "pale")
# Sizes of recesses, % of the tile; of grain and patches, as shares of it.
_RECESSES = (0.6, 1.5, 5.0)
_FINE, _GRAIN, _PATCH = (0.003, 0.008), 0.012, 0.03
# Between these, as shares of the tile, lightness is that of bumps; slopes are looked at when so blurred.
_BUMPS = (0.002, 0.006, 0.015)
_SLOPES = (0.0015, 0.004, 0.012)
# Fewest px a side of the grid smooth fields are made on.
_GRID = 768


class Settings(OperationSettings):
    pass


class Measure(NamedTuple):
    """What holds for every size. recesses: standard deviation of each size of them; lead: (3, n) how much of each
    field that shade is told by is in each cue; middles, spreads: (3,) of the cues then."""

    recesses: tuple[float, ...]
    lead: Pixels
    middles: Pixels
    spreads: Pixels


def _fields(
    light: Pixels, height: Pixels, frame: Frame, deviations: tuple[float, ...] | None
) -> tuple[list[Pixels], list[Pixels], tuple[float, ...]]:
    """(cues, fields that shade is told by, standard deviations of recesses by size). light: luminance."""
    wide = frame.tile_width
    # Of the blurred light, not the blurred lightness of it: that is another at every size.
    lightness = np.cbrt(light)

    def softened(share: float) -> Pixels:
        return np.asarray(np.cbrt(np.maximum(blur(light, share * wide, wraps=True), 0)))

    soft = [softened(share) for share in _BUMPS]
    bumps = [one - other for one, other in zip((lightness, *soft), soft, strict=False)]
    for share in _SLOPES:
        # A px is another share of the tile at every size: slopes are told across the tile.
        across, down = slopes(blur(height, share * wide, wraps=True), wraps=True)
        bumps += [across * np.float32(wide), down * np.float32(wide)]
    deep = np.zeros_like(lightness)
    found: list[float] = []
    for number, size in enumerate(_RECESSES):
        out = standing_out(height, size, frame)
        spread = deviations[number] if deviations else max(float(out.std()), 1e-6)
        found.append(spread)
        deep -= out / np.float32(spread)
    # Of one band, so that it is the same at every size.
    fine = softened(_FINE[0]) - softened(_FINE[1])
    power = blur(np.ascontiguousarray(fine * fine), _GRAIN * wide, wraps=True)
    grain = np.log(np.sqrt(np.maximum(power, 0)) + np.float32(1e-3))
    return [deep, grain, softened(_PATCH)], bumps, tuple(found)


def decide_cues(tiled: Raster, formed: Raster, *, frame: Frame) -> Measure:
    """How the cues are made even, and how much of the bumps' lightness goes out of each."""
    cues, bumps, found = _fields(luminance(tiled.pixels), formed.pixels, frame, None)
    rows = np.stack([bump.ravel()[::3] for bump in bumps] + [np.ones(bumps[0].ravel()[::3].size, np.float32)], 1)
    lead = fit_rows(rows, np.stack([cue.ravel()[::3] for cue in cues], 1))[:-1].T.astype(np.float32)
    middles, spreads = np.zeros(len(CUES), np.float32), np.ones(len(CUES), np.float32)
    for number, cue in enumerate(cues):
        left = _without(cue, bumps, lead[number])
        middles[number], spreads[number] = left.mean(), max(float(left.std()), 1e-6)
    return Measure(found, lead, middles, spreads)


def _without(cue: Pixels, bumps: list[Pixels], lead: Pixels) -> Pixels:
    for bump, share in zip(bumps, lead, strict=True):
        cue = cv2.scaleAdd(bump, -float(share), cue)
    return cue


def cues(tiled: Raster, formed: Raster, *, frame: Frame, decided: Measure) -> Raster:
    """(H, W, 3): recesses, grain, paleness, each with mean 0 and standard deviation 1 over the tile.

    All but the lightness of single pixels is smooth: in large sizes it is made on a coarser grid.
    """
    height, width = tiled.pixels.shape[:2]
    factor = _coarser(height, width)
    light = shrink(luminance(tiled.pixels), factor)
    coarse = replace(
        frame, width=width // factor, height=height // factor, tile_width=frame.tile_width / factor, exact=(0.0, 0.0)
    )
    found, bumps, _ = _fields(light, shrink(formed.pixels, factor), coarse, decided.recesses)
    # The finest of the bumps is lightness less blurred lightness; the lightness itself goes in at full size.
    bumps[0] -= np.cbrt(light)
    rows = [
        (_without(cue, bumps, lead) - middle) / spread
        for cue, lead, middle, spread in zip(found, decided.lead, decided.middles, decided.spreads, strict=True)
    ]
    whole = np.ascontiguousarray(np.stack(rows, -1))
    if factor > 1:
        whole = enlarge(whole, height, width, wraps=True, cubic=True)
    colours = np.ascontiguousarray(tiled.pixels, np.float32)
    over_rows(partial(_take_lightness, colours, decided.lead[:, 0] / decided.spreads, whole), height)
    return Raster(whole)


def _coarser(height: int, width: int) -> int:
    """By how much the grid is coarser on which smooth fields of a layer are made: it has the size of a plan or more."""
    factor = 1
    while min(height, width) // (2 * factor) >= _GRID and height % (2 * factor) == 0 and width % (2 * factor) == 0:
        factor *= 2
    return factor


@compiled(loose=True)
def _take_lightness(colours, shares, out, first, last):  # type: ignore[no-untyped-def]
    """out −= shares · ∛luminance, row by row. colours, out: (H, W, 3)."""
    one, two, three = shares[0], shares[1], shares[2]
    for y in range(first, last):
        here, to = colours[y].reshape(-1), out[y].reshape(-1)
        for x in range(len(to) // 3):
            lightness = cube_root(luminance_of(here[3 * x], here[3 * x + 1], here[3 * x + 2]))
            to[3 * x] -= one * lightness
            to[3 * x + 1] -= two * lightness
            to[3 * x + 2] -= three * lightness


OPERATION = Operation(
    id="response.cues",
    label="What roughness follows",
    help="Recesses, grain and paleness, without the light that is in the picture.",
    settings=Settings,
    reads=("tiled", "formed"),
    writes="roughness_cues",
    apply=cues,
    decide=decide_cues,
    version=2,
)
