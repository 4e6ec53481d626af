"""Zones: regions of one surface that answer light differently, by colour, height, recesses, edges and brush.

A zone is a list of parts that add to it, are taken from it, or are all of it that stays; all kept as data.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from pydantic import BaseModel, Field, ValidationError, field_validator

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import smooth_step
from amber_thicket.core.numeric.ranks import at_shares
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.compared import alike
from amber_thicket.core.rows import plain, rows_of
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.strokes import local, softened, stroke_of

MOST, MOST_PARTS, MOST_PICKS = 8, 12, 24
_Layer = Callable[[], Raster]
Kind = Literal["colour", "height", "recesses", "edges", "brush"]


class Part(OperationSettings):
    """One part of a zone.

    picks, against: "#rrggbb"; a place belongs to the colours it is nearer to. strokes: [radius, x, y, …] on the tile.
    """

    kind: Kind
    how: Literal["add", "subtract", "intersect"] = setting(
        "add",
        label="It is",
        choices={"add": "Added", "subtract": "Taken away", "intersect": "All that stays"},
        help="Whether this part adds to the zone, is taken from it, or is all of it that stays.",
    )
    tolerance: float = setting(
        9.0, ge=0.5, le=100, step=0.5, label="Tolerance", help="How far a colour may lie from the picked ones."
    )
    light: float = setting(
        0.5,
        ge=0,
        le=1,
        step=0.05,
        label="Lightness counts",
        help="0 goes by hue and colour alone, 1 by lightness as well.",
    )
    low: float = setting(
        0.0, ge=0, le=100, step=1, unit="%", label="From", help="The lowest height that belongs to it."
    )
    high: float = setting(
        100.0, ge=0, le=100, step=1, unit="%", label="To", help="The highest height that belongs to it."
    )
    share: float = setting(
        30.0,
        ge=0,
        le=100,
        step=1,
        unit="%",
        label="Share",
        help="How much of the surface it takes, the clearest places first.",
    )
    size: float = setting(
        1.5,
        ge=0.2,
        le=10,
        step=0.1,
        unit="% of tile",
        label="Size",
        help="How wide the surroundings are that a place is compared with.",
    )
    soft: float = setting(30.0, ge=0, le=100, step=5, unit="%", label="Softness", help="How gradually it ends.")
    picks: tuple[str, ...] = Field((), max_length=MOST_PICKS)
    against: tuple[str, ...] = Field((), max_length=MOST_PICKS)
    strokes: tuple[tuple[float, ...], ...] = Field((), max_length=400)

    @field_validator("picks", "against")
    @classmethod
    def _are_colours(cls, values: tuple[str, ...]) -> tuple[str, ...]:
        for value in values:
            linear_of(value)
        return values

    @field_validator("strokes")
    @classmethod
    def _are_strokes(cls, rows: tuple[tuple[float, ...], ...]) -> tuple[tuple[float, ...], ...]:
        for row in rows:
            stroke_of(list(row))
        return rows


class Zone(OperationSettings):
    """A region. id: how other settings name it."""

    id: str = Field(pattern="^[a-z0-9]{1,12}$")
    name: str = Field("", max_length=60)
    parts: tuple[Part, ...] = Field((), max_length=MOST_PARTS)
    soften: float = setting(
        0.0, ge=0, le=5, step=0.1, unit="% of tile", label="Soften", help="Smooths the edge of the whole zone."
    )
    inverted: bool = setting(False, label="Turned round", help="The zone is everything but its parts.")


def linear_of(colour: str) -> Pixels:
    """Linear RGB (3,) of "#rrggbb". Raises ValueError in words."""
    digits = colour[1:]
    if len(colour) != 7 or colour[0] != "#" or any(c not in "0123456789abcdefABCDEF" for c in digits):
        raise ValueError(f"“{colour[:20]}” is no colour; colours are written #rrggbb")
    return decode_srgb(np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)], np.uint8))


@lru_cache(maxsize=32)
def read(text: str) -> tuple[Zone, ...]:
    """Zones from their setting. Raises ValueError in words."""
    return rows_of(text, MOST, "zones", Zone)


class Settings(OperationSettings):
    zones: str = setting(
        "",
        label="Zones",
        help="A JSON list of regions, each with id, name and parts: by colour, height, recesses, edges or brush.",
    )

    @field_validator("zones")
    @classmethod
    def _are_zones(cls, value: str) -> str:
        read(value)
        return value


def standing_out(height: Pixels, size: float, frame: Frame) -> Pixels:
    """How far each place lies above its surroundings, (H, W). size: % of the tile width they reach."""
    fine = blur(height, 0.12 * frame.length(size), wraps=True)
    return cv2.subtract(fine, blur(height, frame.length(size), wraps=True), fine)


def spread_of(signal: Pixels) -> float:
    """Standard deviation, above 0."""
    return float(cv2.meanStdDev(signal)[1].item()) + 1e-9


def decide_zones(compared: _Layer, formed: _Layer, *, frame: Frame, zones: str) -> tuple[tuple[float, float], ...]:
    """Of every part by recesses or edges, in order: where it begins, and how far places differ."""
    found = []
    for part in (part for zone in read(zones) for part in zone.parts):
        if part.kind in ("recesses", "edges"):
            signal = _signed(part, formed().pixels, frame)
            found.append((at_shares(signal, (1 - part.share / 100,))[0], spread_of(signal)))
        else:
            found.append((0.0, 1.0))
    return tuple(found)


def _signed(part: Part, height: Pixels, frame: Frame) -> Pixels:
    signal = standing_out(height, part.size, frame)
    return -signal if part.kind == "recesses" else signal


def zones(
    compared: _Layer, formed: _Layer, *, frame: Frame, decided: tuple[tuple[float, float], ...], zones: str
) -> Raster:
    """How far each pixel belongs to each zone, (H, W, N) in [0, 1], in the order of the setting."""
    rows = read(zones)
    masks = np.zeros((len(rows), frame.height, frame.width), np.float32)
    ends = iter(decided)
    for number, zone in enumerate(rows):
        whole = np.zeros((frame.height, frame.width), np.float32)
        for part in zone.parts:
            looked_at = None if part.kind == "brush" else compared if part.kind == "colour" else formed
            mask = _mask(part, looked_at().pixels if looked_at else None, next(ends), frame)
            whole = _joined(whole, mask, part.how)
        if zone.soften:
            whole = blur(whole, frame.length(zone.soften), wraps=True)
        masks[number] = 1 - whole if zone.inverted else whole
    # Each mask lies in one piece, as they are asked for one at a time.
    return Raster(np.moveaxis(masks, 0, -1))


def _joined(whole: Pixels, part: Pixels, how: str) -> Pixels:
    if how == "add":
        return np.maximum(whole, part)
    return np.minimum(whole, part if how == "intersect" else 1 - part)


def _mask(part: Part, seen: Pixels | None, end: tuple[float, float], frame: Frame) -> Pixels:
    """seen: the colour compared, or the height; None for a brush."""
    if seen is None:
        return _brushed(part, frame)
    soft = part.soft / 100
    if part.kind == "colour":
        sides = [[linear_of(colour) for colour in side] for side in (part.picks, part.against)]
        return alike(seen, *sides, light=part.light, tolerance=part.tolerance, soft=soft)
    if part.kind == "height":
        low, high, width = part.low / 100, part.high / 100, 0.25 * soft + 1e-4
        # The ends of the range are open: what lies lowest or highest belongs wholly to it.
        from_low = smooth_step(low - width, low + width, seen) if low > 0 else np.ones_like(seen)
        return from_low - (smooth_step(high - width, high + width, seen) if high < 1 else 0)
    begin, spread = end
    return smooth_step(begin - soft * spread - 1e-6, begin + soft * spread + 1e-6, _signed(part, seen, frame))


def _brushed(part: Part, frame: Frame) -> Pixels:
    whole = np.zeros((frame.height, frame.width), np.float32)
    edge = 0.4 * part.soft / 100
    for row in part.strokes:
        found = local(stroke_of(list(row)), (frame.width, frame.height), soft=edge)
        at = found.box.on(whole.shape)
        whole[at] = np.maximum(whole[at], softened(found, edge * found.thin))
    return whole


def by_zone(text: str, model: type[BaseModel]) -> dict[str, Any]:
    """What zones change on one map, by the id of the zone. Raises ValueError in words."""
    if not text.strip():
        return {}
    try:
        rows = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise ValueError(f"it is no JSON ({type(error).__name__})") from None
    if not isinstance(rows, dict) or len(rows) > 4 * MOST:
        raise ValueError("it must be an object that names zones")
    try:
        return {str(name): model.model_validate(row) for name, row in rows.items()}
    except ValidationError as error:
        raise ValueError(plain(error)) from None


def masks_of(zones: Raster, order: str, wanted: dict[str, Any]) -> list[tuple[Pixels, Any]]:
    """The mask of each zone that changes something, with what it changes, in order. order: the setting of the zones."""
    return [
        (np.ascontiguousarray(zones.pixels[..., number]), wanted[zone.id])
        for number, zone in enumerate(read(order))
        if zone.id in wanted
    ]


def _uses(options: dict[str, Any]) -> tuple[str, ...]:
    kinds = {part.kind for zone in read(options["zones"]) for part in zone.parts}
    colour = ("compared",) if "colour" in kinds else ()
    return (*colour, *(("formed",) if kinds & {"height", "recesses", "edges"} else ()))


def _matters(options: dict[str, Any]) -> Any:
    return [zone.model_dump(exclude={"name"}) for zone in read(options["zones"])]


OPERATION = Operation(
    id="response.zones",
    label="Zones",
    help="Regions of the surface that are treated apart.",
    settings=Settings,
    reads=("compared", "formed"),
    writes="zones",
    apply=zones,
    decide=decide_zones,
    uses=_uses,
    matters=_matters,
    lazy=True,
)
