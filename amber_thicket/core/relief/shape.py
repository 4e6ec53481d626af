"""The height after zones raise, lower or isolate parts of it and strokes are painted on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.mix import mix
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.finish import MOST_CHANGES
from amber_thicket.core.response.paint import ScalarStroke, painted
from amber_thicket.core.response.zones import ZoneId, masks_of
from amber_thicket.core.settings import OperationSettings, Record, setting
from amber_thicket.core.strokes import MOST as MOST_STROKES

_Layer = Callable[[], Raster]


class HeightChange(Record):
    """What a zone changes on the height."""

    raised: float = setting(
        0.0,
        ge=-100,
        le=100,
        step=1,
        unit="%",
        label="Raised",
        help="Raises the zone by a part of the depth; below 0 lowers it.",
    )
    spread: float = setting(
        1.0, ge=0, le=4, step=0.05, unit="×", label="Relief", help="How much of the zone's own relief stays; 0 is flat."
    )
    alone: bool = setting(False, label="Alone", help="Everything outside the zone sinks to the floor.")


class Settings(OperationSettings):
    in_zones: dict[ZoneId, HeightChange] = setting(
        {},
        most=MOST_CHANGES,
        label="Height in zones",
        help="For the id of a zone what it is raised by, how much of its relief stays, and whether it stands alone.",
    )
    strokes: tuple[ScalarStroke, ...] = setting(
        (), most=MOST_STROKES, label="Height strokes", help="Strokes painted on the height, one over the other."
    )


class Reach(NamedTuple):
    """The heights that become 0 and 1, in depths of the height before. means: of the height in each zone."""

    floor: float
    top: float
    means: tuple[float, ...] = ()


def reach_of(field: Pixels) -> tuple[float, float]:
    """The range a field of heights needs: 0 to 1, or more where it goes beyond that. field: (H, W)."""
    low, high = float(field.min()), float(field.max())
    room = 0.01 * max(high - low, 1e-6)
    return (low - room if low < 0 else 0.0), (high + room if high > 1 else 1.0)


def within(field: Pixels, before: Raster, floor: float, top: float) -> Raster:
    """Heights in [0, 1] again; the span grows by as much as the range did."""
    if (floor, top) != (0.0, 1.0):
        field = (field - np.float32(floor)) * np.float32(1 / (top - floor))
    evidence = dict(before.evidence)
    for name in ("depth_percent_of_tile", "depth_mm"):
        if name in evidence:
            evidence[name] = round(evidence[name] * (top - floor), 3)
    return Raster(field.clip(0, 1), span=before.span * (top - floor), evidence=evidence)


def _moved(field: Pixels, masks: list[tuple[Pixels, Any]], means: tuple[float, ...]) -> Pixels:
    for (mask, change), mean in zip(masks, means, strict=True):
        middle = np.float32(mean)
        wanted = middle + np.float32(change.spread) * (field - middle) + np.float32(change.raised / 100)
        field = mix(field, wanted, mask)
        if change.alone:
            field = mask * field
    return field


def decide_shape(
    formed: _Layer,
    zones: _Layer,
    /,
    *,
    frame: Frame,
    in_zones: dict[str, HeightChange],
    strokes: Sequence[ScalarStroke],
    **also: Any,
) -> Reach:
    """See Reach."""
    if not (in_zones or strokes):
        return Reach(0.0, 1.0)
    field = formed().pixels
    masks = masks_of(zones(), also["zones"].zones, in_zones) if in_zones else []
    means = tuple(float(np.vdot(mask, field)) / max(float(mask.sum()), 1e-6) for mask, _ in masks)
    return Reach(*reach_of(painted(_moved(field, masks, means), strokes)), means)


def shape(
    formed: _Layer,
    zones: _Layer,
    /,
    *,
    frame: Frame,
    decided: Reach,
    in_zones: dict[str, HeightChange],
    strokes: Sequence[ScalarStroke],
    **also: Any,
) -> Raster:
    """Height in [0, 1], white is high, with its span."""
    before = formed()
    if not (in_zones or strokes):
        return before
    masks = masks_of(zones(), also["zones"].zones, in_zones) if in_zones else []
    return within(painted(_moved(before.pixels, masks, decided.means), strokes), before, decided.floor, decided.top)


OPERATION = Operation(
    id="relief.shape",
    label="Height, by zones and strokes",
    help="Zones that are raised or lowered, and strokes painted on the height.",
    settings=Settings,
    reads=("formed", "zones"),
    writes="shaped",
    apply=shape,
    decide=decide_shape,
    also=("response.zones",),
    uses=lambda options: ("formed", "zones") if options["in_zones"] else ("formed",),
    matters=lambda options: [options["in_zones"], options["strokes"]],
    lazy=True,
)
