"""Zones: regions of one surface that answer light differently, by colour, height, recesses, edges and brush.

A zone is a list of parts that add to it, are taken from it, or are all of it that stays; all kept as data.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from pydantic import Field, field_validator

from amber_thicket.core.numeric.alike import alike
from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import smooth_step
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.quantiles import quantiles
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import Colour, OperationSettings, Record, are_apart, setting
from amber_thicket.core.strokes import Stroke, local, softened

MOST, MOST_PARTS, MOST_PICKS = 16, 12, 24
_Layer = Callable[[], Raster]
Kind = Literal["colour", "height", "recesses", "edges", "brush"]


class Part(Record):
    """One part of a zone.

    picks, against: "#rrggbb"; a place belongs to the colours it is nearer to. strokes: on the tile.
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
    picks: tuple[Colour, ...] = Field((), max_length=MOST_PICKS)
    against: tuple[Colour, ...] = Field((), max_length=MOST_PICKS)
    strokes: tuple[Stroke, ...] = Field((), max_length=400)


KindId = Annotated[str, Field(pattern="^[a-z_]{0,30}$")]
ZoneId = Annotated[str, Field(pattern="^[a-z0-9]{1,12}$")]
Change = TypeVar("Change", bound=Record)


class Zone(Record):
    """A region. id: how other settings name it. kind: what it is made of, as kinds.py has it; "" for not told."""

    id: ZoneId
    name: str = Field("", max_length=60)
    kind: KindId = ""
    parts: tuple[Part, ...] = Field((), max_length=MOST_PARTS)
    soften: float = setting(
        0.0, ge=0, le=5, step=0.1, unit="% of tile", label="Soften", help="Smooths the edge of the whole zone."
    )
    inverted: bool = setting(False, label="Turned round", help="The zone is everything but its parts.")


class Settings(OperationSettings):
    zones: tuple[Zone, ...] = setting(
        (),
        most=MOST,
        label="Zones",
        help="Regions of the surface, each made of parts: by colour, height, recesses, edges or brush.",
    )
    kind: KindId = setting("", label="It is made of", help="What all of it is made of, zones aside; empty: not told.")

    @field_validator("zones")
    @classmethod
    def _are_apart(cls, rows: tuple[Zone, ...]) -> tuple[Zone, ...]:
        are_apart(rows, "zones")
        return rows


def standing_out(height: Pixels, size: float, frame: Frame) -> Pixels:
    """How far each place lies above its surroundings, (H, W). size: % of the tile width they reach."""
    fine = blur(height, 0.12 * frame.length(size), wraps=True)
    result: Pixels = cv2.subtract(fine, blur(height, frame.length(size), wraps=True), fine)
    return result


def spread_of(signal: Pixels) -> float:
    """Standard deviation, above 0. signal: (H, W)."""
    return float(cv2.meanStdDev(signal)[1].item()) + 1e-9


def decide_zones(
    compared: _Layer, formed: _Layer, *, frame: Frame, zones: tuple[Zone, ...], **_: object
) -> tuple[tuple[float, float], ...]:
    """Of every part by recesses or edges, in order: where it begins, and how far places differ."""
    found = []
    for part in (part for zone in zones for part in zone.parts):
        if part.kind in ("recesses", "edges"):
            signal = _signed(part, formed().pixels, frame)
            found.append((quantiles(signal, (1 - part.share / 100,))[0], spread_of(signal)))
        else:
            found.append((0.0, 1.0))
    return tuple(found)


def _signed(part: Part, height: Pixels, frame: Frame) -> Pixels:
    signal = standing_out(height, part.size, frame)
    return -signal if part.kind == "recesses" else signal


def zones(
    compared: _Layer,
    formed: _Layer,
    *,
    frame: Frame,
    decided: tuple[tuple[float, float], ...],
    zones: tuple[Zone, ...],
    **_: object,
) -> Raster:
    """How far each pixel belongs to each zone, (H, W, N) in [0, 1], in the order of the setting."""
    masks = np.zeros((len(zones), frame.height, frame.width), np.float32)
    ends = iter(decided)
    for number, zone in enumerate(zones):
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
        sides = [[linear_of_hex(colour) for colour in side] for side in (part.picks, part.against)]
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
    for stroke in part.strokes:
        found = local(stroke, (frame.width, frame.height), soft=edge)
        at = found.box.on(whole.shape)
        whole[at] = np.maximum(whole[at], softened(found, edge * found.thin))
    return whole


def masks_of(zones: Raster, order: Sequence[Zone], wanted: Mapping[str, Change]) -> list[tuple[Pixels, Change]]:
    """The mask of each zone that changes something, with what it changes, in order. zones: (H, W, N) in [0, 1], one
    channel for each of order. wanted: by the id of the zone."""
    return [
        (np.ascontiguousarray(zones.pixels[..., number]), wanted[zone.id])
        for number, zone in enumerate(order)
        if zone.id in wanted
    ]


def _uses(options: dict[str, Any]) -> tuple[str, ...]:
    kinds = {part.kind for zone in options["zones"] for part in zone.parts}
    colour = ("compared",) if "colour" in kinds else ()
    return (*colour, *(("formed",) if kinds & {"height", "recesses", "edges"} else ()))


def _matters(options: dict[str, Any]) -> Any:
    return [zone.model_dump(exclude={"name", "kind"}) for zone in options["zones"]]


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
