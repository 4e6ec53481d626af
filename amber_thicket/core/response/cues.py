"""What colour and relief tell about roughness, with what is light in the picture taken out.

Three cues, each without unit: recesses, where dirt keeps and nothing is polished; grain, fine unevenness; paleness, of
patches wider than the relief. Shade of single bumps is in all of them, for height is read from it too: what goes with
the lightness of bumps, or with the slopes of the height, is projected out, so that roughness never follows the light.
Recesses rough, worn heights smooth, pale dry places rough, dark damp ones smooth: common practice, no source.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.fitted import fit_rows
from amber_thicket.core.numeric.libraries import cv2
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
    tiled: Raster, formed: Raster, frame: Frame, deviations: tuple[float, ...] | None
) -> tuple[list[Pixels], list[Pixels], tuple[float, ...]]:
    """(cues, fields that shade is told by, standard deviations of recesses by size)."""
    wide = frame.tile_width
    # Of the blurred light, not the blurred lightness of it: that is another at every size.
    light = luminance(tiled.pixels)
    lightness = np.cbrt(light)

    def softened(share: float) -> Pixels:
        return np.asarray(np.cbrt(np.maximum(blur(light, share * wide, wraps=True), 0)))

    soft = [softened(share) for share in _BUMPS]
    bumps = [one - other for one, other in zip((lightness, *soft), soft, strict=False)]
    for share in _SLOPES:
        # A px is another share of the tile at every size: slopes are told across the tile.
        across, down = slopes(blur(formed.pixels, share * wide, wraps=True), wraps=True)
        bumps += [across * np.float32(wide), down * np.float32(wide)]
    deep = np.zeros_like(lightness)
    found: list[float] = []
    for number, size in enumerate(_RECESSES):
        out = standing_out(formed.pixels, size, frame)
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
    cues, bumps, found = _fields(tiled, formed, frame, None)
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
    """(H, W, 3): recesses, grain, paleness, each with mean 0 and standard deviation 1 over the tile."""
    found, bumps, _ = _fields(tiled, formed, frame, decided.recesses)
    rows = [
        (_without(cue, bumps, lead) - middle) / spread
        for cue, lead, middle, spread in zip(found, decided.lead, decided.middles, decided.spreads, strict=True)
    ]
    return Raster(np.stack(rows, -1))


OPERATION = Operation(
    id="response.cues",
    label="What roughness follows",
    help="Recesses, grain and paleness, without the light that is in the picture.",
    settings=Settings,
    reads=("tiled", "formed"),
    writes="roughness_cues",
    apply=cues,
    decide=decide_cues,
)
