"""Height told by the colour: by tone, shading or recesses, or by what the picture itself gives reason for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from amber_thicket.core.even.hues import BANDS
from amber_thicket.core.numeric.colour import coded_luminance, luminance
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.estimate import (
    field_of,
    spectrum,
    steepness,
    steepness_told,
    told_by_both,
    told_by_recesses,
)
from amber_thicket.core.relief.hued import hued_of, tone_with
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.raking import Raking
from amber_thicket.core.shading.slope import slopes
from amber_thicket.core.shading.two_lights import axis_of_two, difference_of_lights, middle_light
from amber_thicket.core.tile.extended import bled

# How much the tone counts beside the shading; the light must come from above or below by so much to tell its end.
_TONE, _TONE_LEAST, _GIVEN_UP, _SIDEWAYS = 0.40, 0.20, 0.25, 0.35
# How much thickness counts where it is told, and tone and recesses beside it; the least light that is believed.
_THICKNESS, _BESIDE, _DARKEST = 0.6, 0.08, 2e-3
# How far from the edge of a cut-out its tone is not believed, and how far what it has in common along it is no relief,
# in tile widths; in so many steps.
_RIM, _ALONG_RIM, _RIM_STEPS = 0.007, 0.06, 24
# How much recesses count beside what two lights tell.
_RECESSES_BESIDE = 0.6
# From so much correlation of slopes on recesses say which end of the axis of two lights is the first's.
_CONTRADICTS = 0.03
_Layer = Callable[[], Raster]


def _hue(band: str) -> float:
    value: float = setting(
        0.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label=f"{band.capitalize()} lies",
        help=f"Counts {band} places as higher, or below 0 as lower, than their tone says.",
    )
    return value


class Settings(OperationSettings):
    estimator: Literal["auto", "tone", "shading", "recesses", "thickness"] = setting(
        "auto",
        label="Height from",
        choices={
            "auto": "What fits",
            "tone": "Tone",
            "shading": "Shading",
            "recesses": "Recesses",
            "thickness": "Thickness",
        },
        help="Tone: bright is high. Shading: flanks that face the light are bright. Recesses: dark and narrow is deep. "
        "Thickness: of a cut-out with a back-lit photograph, what lets little light through is thick and high. "
        "What fits weighs them by what the pictures give reason for.",
    )
    source: Literal["auto", "photograph", "evened"] = setting(
        "auto",
        label="Read from",
        choices={"auto": "What fits", "photograph": "Photograph", "evened": "Evened"},
        folded=True,
        help="The photograph still has the shading that Even may have taken out; what fits reads it only then.",
    )
    light: Literal["found", "typed"] = setting(
        "found",
        label="Light",
        choices={"found": "Found", "typed": "Typed"},
        folded=True,
        help="Takes the light's bearing from the picture, or from the number below.",
    )
    bearing: float = setting(
        90.0,
        ge=0,
        le=360,
        step=5,
        unit="°",
        folded=True,
        label="Typed bearing",
        help="Toward the light: 0° is the right, 90° the top of the picture.",
    )
    other_end: bool = setting(
        False,
        label="Light from the other side",
        help="Turns the light by half a turn: what shading took for a bump becomes a dent.",
    )
    balance: float = setting(
        0.0,
        ge=-100,
        le=100,
        step=5,
        unit="%",
        folded=True,
        label="Tone or shading",
        help="Below 0 tone counts more than was found right, above 0 shading does.",
    )
    inside: bool = setting(
        True,
        folded=True,
        label="Inside the outline",
        help="Of a cut-out: reads the light and the height inside its outline alone, and its thickness from a back-lit "
        "photograph.",
    )
    red: float = _hue("red")
    yellow: float = _hue("yellow")
    green: float = _hue("green")
    cyan: float = _hue("cyan")
    blue: float = _hue("blue")
    purple: float = _hue("purple")


@dataclass(frozen=True)
class Parts:
    """What the estimates are made of: the spectrum of a tone of `shape`, the height its recesses tell, and that of a
    thing light shines through, where there is a photograph of that. sides: spectrum of how two lights differ, where
    there is a photograph in another light."""

    shape: tuple[int, int]
    spectrum: Pixels
    recesses: Pixels
    thickness: Pixels | None = None
    sides: Pixels | None = None

    @property
    def nbytes(self) -> int:
        return sum(
            int(one.nbytes) for one in (self.spectrum, self.recesses, self.thickness, self.sides) if one is not None
        )


@dataclass(frozen=True)
class Looked:
    """What the picture says before it is asked from where the light comes. recesses: how steep that estimate is; the
    others as in Told."""

    light: Raking
    photograph: bool
    parts: Parts
    recesses: float
    thickness: float = 0.0

    @property
    def nbytes(self) -> int:
        return self.parts.nbytes


@dataclass(frozen=True)
class Told:
    """What the picture gives reason for. light: as found. bearing: toward the light, degrees. slopes: how steep each
    estimate is by itself; photograph: the picture is read before Even. parts: of plan size, for whoever wants that."""

    light: Raking
    bearing: float
    slopes: dict[str, float]
    photograph: bool
    parts: Parts

    @property
    def nbytes(self) -> int:
        return self.parts.nbytes


def tone_of(colour: Pixels, hues: dict[str, float]) -> Pixels:
    """Gamma-coded luminance (H, W), with some hues lifted or lowered by up to a half. colour: linear RGB."""
    return tone_with(hued_of(colour), hues) if any(hues.values()) else coded_luminance(colour)


def _hues_in(settings: dict[str, Any]) -> dict[str, float]:
    return {band: settings[band] for band in BANDS}


def _reads_photograph(settings: dict[str, Any], evening: dict[str, Any]) -> bool:
    if settings["source"] != "auto":
        return bool(settings["source"] == "photograph")
    # Where Even takes light out a place at a time, the shading that tells the height goes as well.
    return any(one.amount > 0 for one in evening.values() if hasattr(one, "amount"))


def _counted(
    settings: dict[str, Any], light: Raking, bearing: float, turned: bool, thickness: bool, sides: bool
) -> dict[str, float]:
    """How much each estimate counts. thickness, sides: there is a photograph that tells it."""
    estimator = settings["estimator"]
    if estimator == "thickness" and not thickness:
        estimator = "auto"
    if estimator != "auto":
        return {estimator: 1.0}
    if thickness:
        # What light shines through says how thick it is, whatever its colour; the light's side tells the finest.
        return {"thickness": _THICKNESS, "shading": light.weight, "recesses": _BESIDE, "tone": _BESIDE}
    if sides and (light.weight or settings["light"] == "typed"):
        # What differs between two lights is no colour: only what is narrow and deep is asked of that.
        return {"shading": 1.0, "recesses": _RECESSES_BESIDE}
    if turned:
        # Pieces lie turned: no one light is left on the tile.
        return {"tone": 0.5, "recesses": 0.5}
    found = light.weight if settings["light"] == "found" else max(light.weight, 0.4)
    if settings["light"] == "found":
        found *= min(1.0, abs(np.sin(np.radians(bearing))) / _SIDEWAYS)
    tone = max(_TONE - _GIVEN_UP * found, _TONE_LEAST)
    lean = settings["balance"] / 100
    half = 0.5 * tone * min(1.0, 1 - lean)
    counted = {"tone": half, "recesses": half, "shading": found * min(1.0, 1 + lean)}
    return {name: share for name, share in counted.items() if share > 0} or {"tone": 0.5, "recesses": 0.5}


def _parts(tone: Pixels, tile: float, thickness: Pixels | None = None, sides: Pixels | None = None) -> Parts:
    differ = None if sides is None else spectrum(sides)
    return Parts(tone.shape, spectrum(tone), told_by_recesses(tone, tile), thickness, differ)


def _sides(as_shot: _Layer, other: _Layer | None, settings: dict[str, Any], tile: float) -> Pixels | None:
    """How two lights differ; None without a second one, or where pieces lie turned."""
    if other is None or settings["join"].method == "strew":
        return None
    return difference_of_lights(as_shot().pixels, other().pixels, tile)


def thickness_told(through: Pixels, solid: Pixels) -> Pixels:
    """Height of a thing light shines through, (H, W), mean 0: by Beer and Lambert's law the logarithm of what comes
    through falls with the thickness. Beyond its edge it goes on as at the rim.

    through: (H, W, 3) linear. solid: (H, W) in [0, 1].
    """
    thick = -np.log(np.maximum(luminance(through), _DARKEST)).astype(np.float32)
    field = bled(thick, solid, _RIM)
    return np.asarray(field - float(field.mean()), np.float32)


def _within(tone: Pixels, cut: _Layer | None, settings: dict[str, Any]) -> Pixels:
    """The tone of a cut-out without what its edge does to it."""
    return bled(tone, cut().pixels, _RIM) if cut is not None and _looks_inside(settings) else tone


def _looks_inside(settings: dict[str, Any]) -> bool:
    return bool(settings["cutout"].on and settings["inside"])


def inside_outline(cue: Pixels, solid: Pixels, tile: float) -> Pixels:
    """A height (H, W) that does not follow the outline: what places as far from the edge have in common is taken off.
    A paler rim, or a shadow along it, is no relief. solid: (H, W) in [0, 1]; tile: px of a tile width."""
    inside = (solid > 0.5).astype(np.uint8)
    away = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
    reach = _ALONG_RIM * tile
    far = away > reach
    # What the rim is held against is what lies next to it, further in: so it goes on smoothly there.
    beside = far & (away < 1.5 * reach)
    if not beside.any():
        return cue
    step = np.clip(away / reach * _RIM_STEPS, 0, _RIM_STEPS)
    near = (inside > 0) & ~far
    whole = np.minimum(step[near].astype(int), _RIM_STEPS - 1)
    count = np.bincount(whole, minlength=_RIM_STEPS)
    means = np.bincount(whole, cue[near], minlength=_RIM_STEPS) / np.maximum(count, 1)
    profile = np.where(count > 0, means - float(cue[beside].mean()), 0.0)
    profile = np.convolve(np.pad(profile, 2, mode="edge"), np.ones(5) / 5, mode="valid")
    middles = np.append(np.arange(_RIM_STEPS) + 0.5, _RIM_STEPS + 0.5)
    off = np.interp(step.ravel(), middles, np.append(profile, 0.0)).reshape(cue.shape)
    # Beyond the outline it goes on as at the rim.
    return np.asarray(cue - np.where(inside > 0, off, profile[0]), np.float32)


def _thickness_of(through: _Layer | None, cut: _Layer | None, settings: dict[str, Any]) -> Pixels | None:
    if through is None or cut is None or not _looks_inside(settings):
        return None
    return thickness_told(through().pixels, cut().pixels)


def _light_of_two(sides: Pixels, middle: Pixels, tile: float) -> Raking:
    """Toward which side the first light lies. Which end of the axis it is, recesses tell: lit from both sides, what is
    narrow and dark is deep; the other way round the slopes would contradict that. Too little of it leaves the end that
    is nearer to the top. middle: (H, W, 3) linear, lit from both sides."""
    axis = axis_of_two(sides)
    told = told_by_both(spectrum(sides), tile, sides.shape, tone=0.0, shading=1.0, bearing=axis.bearing)
    deep = told_by_recesses(coded_luminance(middle), tile)
    pairs = [slopes(np.ascontiguousarray(field), wraps=True) for field in (field_of(told, sides.shape), deep)]
    power = [float(np.sqrt((a * a + b * b).sum())) for a, b in pairs]
    same = sum(float((one * other).sum()) for one, other in zip(*pairs, strict=True)) / max(power[0] * power[1], 1e-12)
    return replace(axis, bearing=(axis.bearing + 180) % 360) if same < -_CONTRADICTS else axis


def decide_cues(
    tiled: _Layer,
    as_shot: _Layer,
    hued: _Layer,
    hued_as_shot: _Layer,
    lit: _Layer,
    through: _Layer | None,
    cut: _Layer | None,
    other: _Layer | None,
    /,
    *,
    frame: Frame,
    **settings: Any,
) -> Looked:
    """What the estimates are made of, and what the pictures say about the light and about thickness."""
    photograph, hues = _reads_photograph(settings, settings), _hues_in(settings)
    if any(hues.values()):
        # The hues stay while they are lifted and lowered, so they are a layer of their own here.
        tone = tone_with((hued_as_shot if photograph else hued)().pixels, hues)
    else:
        tone = coded_luminance((as_shot if photograph else tiled)().pixels)
    sides = _sides(as_shot, other, settings, frame.tile_width)
    parts = _parts(_within(tone, cut, settings), frame.tile_width, _thickness_of(through, cut, settings), sides)
    steep = [
        0.0 if field is None else steepness(field, frame.tile_width) for field in (parts.recesses, parts.thickness)
    ]
    light = Raking(**lit().evidence)
    if sides is not None and other is not None:
        light = _light_of_two(sides, middle_light(as_shot().pixels, other().pixels), frame.tile_width)
    return Looked(light, photograph, parts, *steep)


def settle_cues(looked: Looked, *, frame: Frame, **settings: Any) -> Told:
    """Where the light comes from, and how steep each estimate is by itself."""
    light, parts = looked.light, looked.parts
    bearing = settings["bearing"] if settings["light"] == "typed" else light.bearing
    if settings["other_end"]:
        bearing = (bearing + 180) % 360
    tone, shading = steepness_told(parts.spectrum, frame.tile_width, parts.shape, bearing)
    if parts.sides is not None:
        shading = steepness_told(parts.sides, frame.tile_width, parts.shape, bearing)[1]
    slopes = {"tone": tone, "shading": shading, "recesses": looked.recesses, "thickness": looked.thickness}
    return Told(light, bearing, {name: max(value, 1e-6) for name, value in slopes.items()}, looked.photograph, parts)


def cues(
    tiled: _Layer,
    as_shot: _Layer,
    _hued: _Layer,
    _hued_as_shot: _Layer,
    _lit: _Layer,
    through: _Layer | None,
    cut: _Layer | None,
    other: _Layer | None,
    /,
    *,
    frame: Frame,
    decided: Told,
    **settings: Any,
) -> Raster:
    """The height told, (H, W), mean about 0; each estimate has unit slope before it is weighed."""
    thick = decided.parts.thickness is not None
    turned, two = settings["join"].method == "strew", decided.parts.sides is not None
    shares = _counted(settings, decided.light, decided.bearing, turned, thick, two)
    gains = {name: float(share / decided.slopes[name]) for name, share in shares.items()}
    parts = decided.parts
    if parts.shape != (frame.height, frame.width):
        tone = tone_of((as_shot if decided.photograph else tiled)().pixels, _hues_in(settings))
        sides = _sides(as_shot, other, settings, frame.tile_width)
        parts = _parts(_within(tone, cut, settings), frame.tile_width, _thickness_of(through, cut, settings), sides)
    result: Any = None
    if parts.sides is not None and "shading" in gains:
        both = told_by_both(
            parts.sides, frame.tile_width, parts.shape, tone=0.0, shading=gains["shading"], bearing=decided.bearing
        )
        result = field_of(both, parts.shape)
        gains = {name: gain for name, gain in gains.items() if name != "shading"}
    if set(gains) & {"tone", "shading"}:
        told = told_by_both(
            parts.spectrum,
            frame.tile_width,
            parts.shape,
            tone=gains.get("tone", 0.0),
            shading=gains.get("shading", 0.0),
            bearing=decided.bearing,
        )
        field = field_of(told, parts.shape)
        result = field if result is None else result + field
    if "recesses" in gains:
        deep = parts.recesses
        result = cv2.scaleAdd(deep, gains["recesses"], np.zeros_like(deep) if result is None else result)
    if "thickness" in gains and parts.thickness is not None:
        thickness = parts.thickness
        result = cv2.scaleAdd(thickness, gains["thickness"], np.zeros_like(thickness) if result is None else result)
    if cut is not None and _looks_inside(settings):
        result = inside_outline(result, cut().pixels, frame.tile_width)
    whole = sum(shares.values())
    evidence = {
        "bearing": round(float(decided.bearing), 1),
        "shading": round(shares.get("shading", 0.0) / whole, 3),
        "recesses": round(shares.get("recesses", 0.0) / whole, 3),
        "thickness": round(shares.get("thickness", 0.0) / whole, 3),
        "two_lights": float(decided.parts.sides is not None),
        "strength": decided.light.strength,
        "fit": decided.light.fit,
        "weight": decided.light.weight,
    }
    return Raster(result, evidence=evidence)


_READS = (
    "tiled", "tiled.as_shot", "hued", "hued.as_shot", "light", "?tiled.translucency", "cut", "?tiled.other_light",
)  # fmt: skip

OPERATION = Operation(
    id="relief.cues",
    label="Height from colour",
    help="What of the picture is taken for height.",
    settings=Settings,
    reads=_READS,
    writes="cue",
    apply=cues,
    decide=decide_cues,
    # What Even does to the shading changes the inputs as well.
    decides_by=("source", "inside", *BANDS),
    settle=settle_cues,
    also=("tile.join", "tile.cutout", "#takes_light_out"),
    uses=lambda options: _READS if _looks_inside(options) else (*_READS[:5], _READS[7]),
    matters=lambda options: [value for name, value in options.items() if name != "cutout"] + [options["cutout"].on],
    lazy=True,
    version=3,
)
