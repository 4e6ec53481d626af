"""Roughness from tone and fine detail."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

_AROUND = 0.02
_DETAIL = 0.004
_CENTRE, _SPREAD = 0.7, 0.08


class Settings(OperationSettings):
    centre: float = setting(
        _CENTRE,
        ge=0,
        le=1,
        step=0.01,
        label="Centre",
        help="The roughness around which the map lies: 0 mirrors, 1 is chalk.",
    )
    spread: float = setting(
        _SPREAD, ge=0, le=0.5, step=0.01, label="Spread", help="How far typical places lie from the centre."
    )
    tone: float = setting(
        -60.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        label="From tone",
        help="Below 0 dark places are rougher, above 0 bright ones are.",
    )
    detail: float = setting(
        40.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        label="From detail",
        help="Above 0 busy places are rougher, below 0 smooth ones are.",
    )
    low: float = setting(
        0.05, ge=0, le=1, step=0.01, folded=True, label="Lowest", help="No place is smoother than this."
    )
    high: float = setting(
        0.98, ge=0, le=1, step=0.01, folded=True, label="Highest", help="No place is rougher than this."
    )


def _cues(tiled: Raster, frame: Frame) -> tuple[Pixels, Pixels]:
    tone = coded_luminance(tiled.pixels)
    wide = frame.tile_width
    soft = blur(tone, _DETAIL * wide, wraps=True)
    busy = blur(soft, 3 * _DETAIL * wide, wraps=True)
    np.subtract(soft, busy, out=busy)
    detail = blur(np.multiply(busy, busy, out=busy), _AROUND * wide, wraps=True)
    return soft, np.sqrt(detail, out=detail)


class Decided(NamedTuple):
    """spreads: mean and standard deviation of each cue. cues: themselves at plan size, for reuse there."""

    spreads: tuple[tuple[float, float], ...]
    cues: tuple[Pixels, Pixels]


def decide_roughness(tiled: Raster, *, frame: Frame, **_: float) -> Decided:
    """Mean and spread of the two cues."""
    cues = _cues(tiled, frame)
    return Decided(tuple((float(cue.mean()), float(max(cue.std(), 1e-4))) for cue in cues), cues)


def roughness(
    tiled: Raster,
    *,
    frame: Frame,
    decided: Decided,
    centre: float,
    spread: float,
    tone: float,
    detail: float,
    low: float,
    high: float,
) -> Raster:
    """Roughness in [low, high], (H, W). tiled: linear RGB (H, W, 3) that wraps."""
    same = decided.cues[0].shape == (frame.height, frame.width)
    cues = decided.cues if same else _cues(tiled, frame)
    weights = np.array([tone, detail]) / 100
    norm = max(float(np.hypot(*weights)), 1e-6)
    gains = [
        spread * weight / norm / deviation for (_, deviation), weight in zip(decided.spreads, weights, strict=True)
    ]
    level = centre - sum(gain * mean for gain, (mean, _) in zip(gains, decided.spreads, strict=True))
    pixels = cv2.addWeighted(cues[0], gains[0], cues[1], gains[1], level)
    floor, top = min(low, high), max(low, high)
    return Raster(soft_clip(pixels, floor, top))


class Measured(NamedTuple):
    """Mean and standard deviation of a roughness map that was brought, or worked out of a light set."""

    centre: float
    spread: float


def decide_given_roughness(given: Raster, *, frame: Frame, **_: float) -> Measured:
    return measured(given.pixels)


def measured(pixels: Pixels) -> Measured:
    """What Centre and Spread say of a map (H, W) as it is, to the hundredth they are set by."""
    return Measured(round(float(pixels.mean()), 2), round(float(pixels.std()), 2))


def given_roughness(
    given: Raster, *, frame: Frame, decided: Measured, centre: float, spread: float, low: float, high: float, **_: float
) -> Raster:
    """The roughness map that was brought, (H, W), kept within lowest and highest.

    Centre and Spread move and stretch it once they are set to something else than they come with; at its own values it
    stays as it is.
    """
    pixels = given.pixels
    gain = 1.0 if spread == _SPREAD or decided.spread == 0 else spread / decided.spread
    wanted = decided.centre if centre == _CENTRE else centre
    if gain != 1 or wanted != decided.centre:
        pixels = pixels * np.float32(gain) + np.float32(wanted - gain * decided.centre)
    return Raster(pixels.clip(min(low, high), max(low, high)))


OPERATION = Operation(
    id="response.roughness",
    label="Roughness",
    help="How sharply each point mirrors, read from tone and detail.",
    settings=Settings,
    reads=("tiled",),
    writes="roughness_made",
    apply=roughness,
    decide=decide_roughness,
    decides_by=(),
    given=(ExistingMap("roughness", given_roughness, decide_given_roughness),),
)
