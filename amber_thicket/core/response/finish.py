"""What zones, strokes and covers change on each map, after it was made or brought. One operation a map, all alike."""

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from amber_thicket.core.numeric.colour import linear_of_hex, luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import smooth_step
from amber_thicket.core.numeric.mix import mix, tint
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.covers import Cover, active_covers, materials
from amber_thicket.core.response.paint import ColourStroke, ScalarStroke, painted
from amber_thicket.core.response.zones import MOST as MOST_ZONES
from amber_thicket.core.response.zones import ZoneId, masks_of
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import Colour, OperationSettings, Record, setting
from amber_thicket.core.strokes import MOST as MOST_STROKES

_Layer = Callable[[], Raster]
Borrow = Callable[[str, str, int], Raster | None]


class ScalarChange(Record):
    """What a zone changes on a map of one channel."""

    level: float = setting(0.5, ge=0, le=1, step=0.01, label="Level", help="What the zone's values lie around.")
    spread: float = setting(
        1.0, ge=0, le=4, step=0.05, unit="×", label="Spread", help="How much of their own variation stays; 0 is flat."
    )


class ColourChange(Record):
    """What a zone changes on a colour map."""

    colour: Colour = "#808080"
    amount: float = setting(
        100.0, ge=0, le=100, step=5, unit="%", label="Amount", help="How far the zone is led to the colour."
    )
    keep: float = setting(
        100.0, ge=0, le=100, step=5, unit="%", label="Keeps light", help="How much of its own light and dark stays."
    )


# Zones that were taken away keep what they changed, for when they come back.
MOST_CHANGES = 4 * MOST_ZONES


def _settings(label: str, colour: bool) -> type[OperationSettings]:
    change: Any = ColourChange if colour else ScalarChange
    stroke: Any = ColourStroke if colour else ScalarStroke
    what = "colour, amount and keep" if colour else "level and spread"

    class Settings(OperationSettings):
        in_zones: dict[ZoneId, change] = setting(
            {}, most=MOST_CHANGES, label=f"{label} in zones", help=f"For the id of a zone its {what}."
        )
        strokes: tuple[stroke, ...] = setting(
            (), most=MOST_STROKES, label=f"{label} strokes", help="Strokes painted on the tile, one over the other."
        )

    return Settings


def _decide(
    role: str, made: _Layer, zones: _Layer, covers: _Layer, /, *, frame: Frame, in_zones: dict[str, Any], **options: Any
) -> tuple[Any, ...]:
    """The mean of the map in each zone that changes it: a number, or a linear colour."""
    if not in_zones:
        return ()
    pixels = made().pixels
    return tuple(
        np.tensordot(mask, pixels, 2) / max(float(mask.sum()), 1e-6)
        for mask, _ in masks_of(zones(), options["zones"].zones, in_zones)
    )


def _finish(
    role: str, made: _Layer, zones: _Layer, covers: _Layer, /, *, frame: Frame, decided: tuple[Any, ...], **options: Any
) -> Raster:
    """The map with what zones, covers and strokes change on it. Scalars stay in [0, 1], colours at 0 or more."""
    wanted, strokes = options["in_zones"], options["strokes"]
    rows = active_covers(options["covers"].covers) if ROLES[role].covered is not None else ()
    before = made()
    if not (wanted or strokes or rows):
        return before
    pixels = before.pixels
    masks = masks_of(zones(), options["zones"].zones, wanted) if wanted else []
    if role == "metallic":
        # Nothing is half a metal: edges are drawn tighter.
        masks = [(_crisp(mask), change) for mask, change in masks]
    for (mask, change), mean in zip(masks, decided, strict=True):
        pixels = _changed(pixels, mask, change, mean)
    for number, cover in enumerate(rows):
        weight = np.ascontiguousarray(covers().pixels[..., number])
        weight = _crisp(weight) if role == "metallic" else weight
        pixels = _covered(pixels, weight, cover, role, frame, options["borrowed"])
    pixels = painted(pixels, strokes)
    # Fresh by now, so in place.
    np.clip(pixels, 0, 1.0 if pixels.ndim == 2 else None, out=pixels)
    return Raster(pixels, evidence=dict(before.evidence))


def _crisp(mask: Pixels) -> Pixels:
    return smooth_step(0.35, 0.65, mask)


def _changed(pixels: Pixels, mask: Pixels, change: Any, mean: Any) -> Pixels:
    """A map with one zone led to a level or a colour."""
    if isinstance(change, ScalarChange):
        wanted = np.float32(change.spread) * (pixels - np.float32(mean)) + np.float32(change.level)
        return mix(pixels, wanted, mask)
    target = linear_of_hex(change.colour)
    own = float(luminance(np.asarray(mean, np.float32).reshape(1, 1, 3))[0, 0])
    # The zone's own light and dark stay, as shares of its mean; where it has none there is nothing to keep.
    relative = luminance(pixels) / np.float32(own) if own > 1e-4 else np.ones(pixels.shape[:2], np.float32)
    kept = 1 + np.float32(change.keep / 100) * (relative - 1)
    return tint(pixels, kept, target, mask * np.float32(change.amount / 100))


def _covered(pixels: Pixels, weight: Pixels, cover: Cover, role: str, frame: Frame, borrowed: Borrow) -> Pixels:
    """A map with one cover on it."""
    other = borrowed(cover.material, role, cover.repeat) if cover.material else None
    value: Any
    if other is not None:
        value = other.pixels
    elif ROLES[role].covered == "colour":
        # A deposit is not of one colour: what is under it shows a little, as shares of its own mean.
        light = luminance(pixels)
        shade = light - blur(light, frame.length(2.0), wraps=True)
        shade = 1 + np.float32(cover.variation / 100) * np.tanh(shade / np.float32(max(float(light.std()), 1e-4)))
        return tint(pixels, shade, linear_of_hex(cover.colour), weight)
    else:
        becomes = ROLES[role].covered
        value = np.float32(getattr(cover, becomes) if isinstance(becomes, str) else becomes)
    return mix(pixels, value, weight)


def _matters(role: str, options: dict[str, Any]) -> Any:
    rows = active_covers(options["covers"].covers) if ROLES[role].covered is not None else ()
    return [options["in_zones"], options["strokes"], rows]


def _uses(made: str, role: str, options: dict[str, Any]) -> tuple[str, ...]:
    zones = ("zones",) if options["in_zones"] else ()
    covers = ("covers",) if ROLES[role].covered is not None and active_covers(options["covers"].covers) else ()
    return (made, *zones, *covers)


def finishing(role: str) -> Operation:
    """The operation that finishes one map, of the layer that was made of it."""
    made = f"{role}_made"
    label = ROLES[role].label
    return Operation(
        id=ROLES[role].finished,
        label=f"{label}, finished",
        help=f"What zones, strokes and covers change on the {label.lower()}.",
        settings=_settings(label, ROLES[role].channels == 3),
        reads=(made, "zones", "covers"),
        writes=role,
        apply=partial(_finish, role),
        decide=partial(_decide, role),
        decides_by=("in_zones",),
        also=("response.zones", "response.covers"),
        uses=partial(_uses, made, role),
        matters=partial(_matters, role),
        borrows=borrowed_by if ROLES[role].covered is not None else None,
        lazy=True,
    )


def borrowed_by(options: dict[str, Any]) -> tuple[str, ...]:
    """Ids of the materials that are laid over this one."""
    return materials(options["covers"].covers)
