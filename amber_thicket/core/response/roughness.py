"""Roughness from what colour and relief tell of the surface, or from tone and fine detail."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
from pydantic import field_validator

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.curve import MOST_POINTS, Curve, checked, through
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import soft_clip
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.cues import CUES
from amber_thicket.core.response.glints import from_exposures
from amber_thicket.core.settings import OperationSettings, setting

_AROUND = 0.02
_DETAIL = 0.004
_CENTRE, USUAL_SPREAD = 0.7, 0.08


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
        USUAL_SPREAD, ge=0, le=0.5, step=0.01, label="Spread", help="How far typical places lie from the centre."
    )
    reads: Literal["surface", "tone"] = setting(
        "surface",
        folded=True,
        label="Read from",
        choices={"surface": "The surface", "tone": "Tone and detail"},
        help="The surface: recesses, grain and paleness, without the light in the picture. Tone and detail: brightness "
        "as it is, light and all.",
    )
    recesses: float = setting(
        30.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="From recesses",
        help="Above 0 recesses are rougher and worn heights smoother, below 0 the other way round.",
    )
    grain: float = setting(
        40.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="From grain",
        help="Above 0 what is finely uneven is rougher.",
    )
    pale: float = setting(
        60.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="From paleness",
        help="Above 0 pale, dry patches are rougher; below 0 dark ones are, as where dirt lies.",
    )
    glints: float = setting(
        200.0,
        ge=0,
        le=300,
        step=5,
        unit="%",
        folded=True,
        label="From glints",
        help="On an exposure bracket: what shows brighter glints is smoother. Other captures burn them out.",
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
    contrast: float = setting(
        0.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="Contrast",
        help="Drives values away from the centre, or draws them to it; both ends stay.",
    )
    curve: Curve = setting(
        (), most=MOST_POINTS, label="Curve", help="Values along a smooth curve through points of in and out, 0 to 1."
    )
    low: float = setting(
        0.05, ge=0, le=1, step=0.01, folded=True, label="Lowest", help="No place is smoother than this."
    )
    high: float = setting(
        0.98, ge=0, le=1, step=0.01, folded=True, label="Highest", help="No place is rougher than this."
    )

    @field_validator("curve")
    @classmethod
    def _is_curve(cls, points: Curve) -> Curve:
        return checked(points)


def _cues(tiled: Raster, frame: Frame) -> tuple[Pixels, Pixels]:
    tone = coded_luminance(tiled.pixels)
    wide = frame.tile_width
    soft = blur(tone, _DETAIL * wide, wraps=True)
    busy = blur(soft, 3 * _DETAIL * wide, wraps=True)
    np.subtract(soft, busy, out=busy)
    detail = blur(np.multiply(busy, busy, out=busy), _AROUND * wide, wraps=True)
    return soft, np.sqrt(detail, out=detail)


class Decided(NamedTuple):
    """spreads: mean and standard deviation of each cue of tone and detail. cues: themselves at plan size, for reuse
    there. Nothing where the surface is read."""

    spreads: tuple[tuple[float, float], ...]
    cues: tuple[Pixels, Pixels]


def decide_roughness(
    tiled: Raster | None, told: Raster | None, shone: Raster | None, *, frame: Frame, **_: Any
) -> Decided | None:
    """Mean and spread of tone and detail; None where the surface is read."""
    if tiled is None:
        return None
    cues = _cues(tiled, frame)
    return Decided(tuple((float(cue.mean()), float(max(cue.std(), 1e-4))) for cue in cues), cues)


def combine_cues(cues: Pixels, weights: Sequence[float]) -> Pixels:
    """(H, W) with a standard deviation of about 1: cues (H, W, N) by weights of any sum."""
    share = np.array(weights, np.float32)
    return np.asarray(cues @ (share / max(float(np.linalg.norm(share)), 1e-6)), np.float32)


def roughness(
    tiled: Raster | None,
    told: Raster | None,
    shone: Raster | None,
    *,
    frame: Frame,
    decided: Decided | None,
    centre: float,
    spread: float,
    low: float,
    high: float,
    contrast: float,
    curve: Curve,
    **weights: Any,
) -> Raster:
    """Roughness in [low, high], (H, W). tiled: linear RGB (H, W, 3) that wraps; told: its cues, (H, W, 3); shone: how
    bright glints are, (H, W), of a bracket."""
    if told is not None:
        wanted = _by_surface(told, shone, weights)
        pixels = np.float32(spread) * wanted + np.float32(centre)
    else:
        assert tiled is not None
        assert decided is not None
        pixels = _by_tone(tiled, frame, decided, centre, spread, weights["tone"], weights["detail"])
    floor, top = min(low, high), max(low, high)
    return Raster(soft_clip(bend_values(pixels, centre, contrast, curve), floor, top))


def _by_surface(told: Raster, shone: Raster | None, weights: dict[str, float]) -> Pixels:
    share = [weights[name] for name in CUES]
    if shone is None or not shone.evidence["glints"]:
        return combine_cues(told.pixels, share)
    return combine_cues(np.dstack([told.pixels, -shone.pixels]), [*share, weights["glints"]])


def _by_tone(
    tiled: Raster, frame: Frame, decided: Decided, centre: float, spread: float, tone: float, detail: float
) -> Pixels:
    same = decided.cues[0].shape == (frame.height, frame.width)
    cues = decided.cues if same else _cues(tiled, frame)
    weights = np.array([tone, detail]) / 100
    norm = max(float(np.hypot(*weights)), 1e-6)
    gains = [
        spread * weight / norm / deviation for (_, deviation), weight in zip(decided.spreads, weights, strict=True)
    ]
    level = centre - sum(gain * mean for gain, (mean, _) in zip(gains, decided.spreads, strict=True))
    return np.asarray(cv2.addWeighted(cues[0], gains[0], cues[1], gains[1], level))


def bend_values(values: Pixels, centre: float, contrast: float, curve: Curve) -> Pixels:
    """Values (H, W) driven from a centre by contrast, %, and led along a curve. 0, 1 and the centre stay under
    contrast; what lies outside of 0..1 does too."""
    if contrast:
        steep, middle = np.float32(2.0 ** (contrast / 50)), np.float32(min(max(centre, 1e-3), 1 - 1e-3))
        half = np.where(values < middle, values / middle, (1 - values) / (1 - middle)).clip(0, 1) / 2
        bent = half**steep / np.maximum(half**steep + (1 - half) ** steep, 1e-9) * 2
        inside = np.where(values < middle, bent * middle, 1 - bent * (1 - middle))
        values = np.where((values > 0) & (values < 1), inside, values).astype(np.float32)
    return through(np.array(curve), values) if curve else values


class Measured(NamedTuple):
    """Mean and standard deviation of a roughness map that was brought, or worked out of a light set."""

    centre: float
    spread: float


def decide_given_roughness(given: Raster, *, frame: Frame, **_: Any) -> Measured:
    return measured(given.pixels)


def measured(pixels: Pixels) -> Measured:
    """What Centre and Spread say of a map (H, W) as it is, to the hundredth they are set by."""
    return Measured(round(float(pixels.mean()), 2), round(float(pixels.std()), 2))


def given_roughness(
    given: Raster,
    *,
    frame: Frame,
    decided: Measured,
    centre: float,
    spread: float,
    low: float,
    high: float,
    contrast: float,
    curve: Curve,
    **_: Any,
) -> Raster:
    """The roughness map that was brought, (H, W), kept within lowest and highest.

    Centre and Spread move and stretch it once they are set to something else than they come with; at its own values it
    stays as it is.
    """
    pixels = given.pixels
    gain = 1.0 if spread == USUAL_SPREAD or decided.spread == 0 else spread / decided.spread
    wanted = decided.centre if centre == _CENTRE else centre
    if gain != 1 or wanted != decided.centre:
        pixels = pixels * np.float32(gain) + np.float32(wanted - gain * decided.centre)
    return Raster(bend_values(pixels, wanted, contrast, curve).clip(min(low, high), max(low, high)))


def _uses_glints(options: dict[str, Any]) -> bool:
    return bool(options["reads"] == "surface" and options["glints"] and from_exposures(options["merge"]))


def _layers(options: dict[str, Any]) -> tuple[str, ...]:
    if options["reads"] == "tone":
        return ("tiled",)
    return ("roughness_cues", "glints") if _uses_glints(options) else ("roughness_cues",)


def _what_matters(options: dict[str, Any]) -> dict[str, Any]:
    """Settings without those of the bracket, and without glints where there is none to tell of."""
    left_out = {"merge"} if _uses_glints(options) else {"merge", "glints"}
    return {name: value for name, value in options.items() if name not in left_out}


OPERATION = Operation(
    id="response.roughness",
    label="Roughness",
    help="How sharply each point mirrors, read from the surface, or from tone and detail.",
    settings=Settings,
    reads=("tiled", "roughness_cues", "glints"),
    writes="roughness_made",
    apply=roughness,
    decide=decide_roughness,
    decides_by=("reads",),
    also=("gather.merge",),
    uses=_layers,
    matters=_what_matters,
    given=(ExistingMap("roughness", given_roughness, decide_given_roughness),),
)
