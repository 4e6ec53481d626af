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
from amber_thicket.core.response.covers import POOL, Cover, film_of
from amber_thicket.core.response.cues import CUES
from amber_thicket.core.response.paint import ColourStroke, ScalarStroke, painted
from amber_thicket.core.response.roughness import USUAL_SPREAD, combine_cues
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


_FOLLOWS: dict[str, Any] = {"ge": -100, "le": 100, "step": 5, "unit": "%"}


class RoughnessChange(ScalarChange):
    """What a zone changes on the roughness. Where it follows anything, its own variation is that instead, Spread times
    the usual one."""

    recesses: float = setting(0.0, **_FOLLOWS, label="From recesses", help="Above 0 the zone's recesses are rougher.")
    grain: float = setting(0.0, **_FOLLOWS, label="From grain", help="Above 0 what is finely uneven is rougher.")
    pale: float = setting(0.0, **_FOLLOWS, label="From paleness", help="Above 0 the zone's pale places are rougher.")

    def weights(self) -> tuple[float, ...]:
        """How far it follows each of the cues of roughness, in their order."""
        return tuple(getattr(self, name) for name in CUES)


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


def _settings(role: str) -> type[OperationSettings]:
    label, colour = ROLES[role].label, ROLES[role].channels == 3
    change: Any = ColourChange if colour else RoughnessChange if role == "roughness" else ScalarChange
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
    role: str,
    made: _Layer,
    zones: _Layer,
    covers: _Layer,
    /,
    *beside: _Layer,
    frame: Frame,
    in_zones: dict[str, Any],
    **options: Any,
) -> tuple[Any, ...]:
    """The mean of the map in each zone that changes it: a number, or a linear colour; where the zone follows something,
    mean and standard deviation of that in it."""
    if not in_zones:
        return ()
    pixels = made().pixels
    found: list[Any] = []
    for mask, change in masks_of(zones(), options["zones"].zones, in_zones):
        share = mask / max(float(mask.sum()), 1e-6)
        if isinstance(change, RoughnessChange) and any(change.weights()):
            wanted = combine_cues(beside[0]().pixels, change.weights())
            mean = float((share * wanted).sum())
            found.append((mean, max(float((share * (wanted - mean) ** 2).sum()) ** 0.5, 1e-3)))
        else:
            found.append(np.tensordot(share, pixels, 2))
    return tuple(found)


def _finish(
    role: str,
    made: _Layer,
    zones: _Layer,
    covers: _Layer,
    /,
    *beside: _Layer,
    frame: Frame,
    decided: tuple[Any, ...],
    **options: Any,
) -> Raster:
    """The map with what zones, covers, water and strokes change on it. Scalars stay in [0, 1], colours at 0 or more.
    beside: for roughness what it follows; for the colour how metallic it is."""
    wanted, strokes, lying = options["in_zones"], options["strokes"], options["covers"]
    rows = lying.lying() if ROLES[role].covered is not None else ()
    before = made()
    if not (wanted or strokes or rows or (role in WETTED and lying.is_wet())):
        return before
    pixels = before.pixels
    masks = masks_of(zones(), options["zones"].zones, wanted) if wanted else []
    if role == "metallic":
        # Nothing is half a metal: edges are drawn tighter.
        masks = [(_crisp(mask), change) for mask, change in masks]
    for (mask, change), mean in zip(masks, decided, strict=True):
        if isinstance(change, RoughnessChange) and any(change.weights()):
            own = (combine_cues(beside[0]().pixels, change.weights()) - np.float32(mean[0])) / np.float32(mean[1])
            pixels = mix(pixels, np.float32(change.level) + np.float32(change.spread * USUAL_SPREAD) * own, mask)
        else:
            pixels = _changed(pixels, mask, change, mean)
    pool: Any = np.float32(0)
    for number, cover in enumerate(rows):
        weight = np.ascontiguousarray(covers().pixels[..., number])
        if cover.id == POOL and role == "base_color":
            # Water has no colour of its own: the ground is seen through it, wet.
            pool = weight
            continue
        weight = _crisp(weight) if role == "metallic" else weight
        pixels = _covered(pixels, weight, cover, role, frame, options["borrowed"])
    if role in WETTED and lying.is_wet():
        masks = masks_of(zones(), options["zones"].zones, lying.wet_zones) if lying.wet_zones else []
        film = np.maximum(film_of(lying.wet, masks), pool)
        rough = role == "roughness"
        pixels = wet_roughness(pixels, film) if rough else wet_colour(pixels, film, beside[0]().pixels)
    pixels = painted(pixels, strokes)
    # Fresh by now, so in place.
    np.clip(pixels, 0, 1.0 if pixels.ndim == 2 else None, out=pixels)
    return Raster(pixels, evidence=dict(before.evidence))


# Maps that water changes.
WETTED = ("base_color", "roughness")
# Light from inside that the surface of a film of water throws back (n = 1.33), and what it mirrors straight on.
_INSIDE, _OUTSIDE = 0.47, 0.02
# How far a soaked surface is smoothed: common practice, no source.
_SMOOTHED = 0.75


def wet_colour(pixels: Pixels, film: Any, metallic: Pixels) -> Pixels:
    """Linear colours (H, W, 3) under a film of water, 0..1. What light comes back passes the film again and again, so
    each channel a becomes (1 − .02)(1 − p) a / (1 − p a); metals stay.

    Source: Ångström, "The albedo of various surfaces of ground", Geografiska Annaler 7, 1925; p for n = 1.33 as in
    Lekner & Dorf, "Why some things are darker when wet", Applied Optics 27, 1988.
    """
    wet = pixels * np.float32((1 - _OUTSIDE) * (1 - _INSIDE)) / (1 - np.float32(_INSIDE) * pixels.clip(0, 1))
    return mix(pixels, wet, np.asarray(film * (1 - metallic), np.float32))


def wet_roughness(pixels: Pixels, film: Any) -> Pixels:
    """Roughness (H, W) under a film of water, 0..1, which fills what is fine."""
    return np.asarray(pixels * (1 - np.float32(_SMOOTHED) * film), np.float32)


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
    lying = options["covers"]
    rows = lying.lying() if ROLES[role].covered is not None else ()
    water = [lying.wet, lying.wet_zones] if role in WETTED and lying.is_wet() else []
    return [options["in_zones"], options["strokes"], rows, *water]


def _uses(made: str, role: str, options: dict[str, Any]) -> tuple[str, ...]:
    lying = options["covers"]
    wet = role in WETTED and lying.is_wet()
    zones = ("zones",) if options["in_zones"] or (wet and lying.wet_zones) else ()
    covers = ("covers",) if ROLES[role].covered is not None and lying.lying() else ()
    if role == "roughness":
        follows = any(any(change.weights()) for change in options["in_zones"].values())
        return (made, *zones, *covers, *(("roughness_cues",) if follows else ()))
    return (made, *zones, *covers, *(("metallic",) if role == "base_color" and wet else ()))


_BESIDE = {"roughness": ("roughness_cues",), "base_color": ("metallic",)}


def finishing(role: str) -> Operation:
    """The operation that finishes one map, of the layer that was made of it."""
    made = f"{role}_made"
    label = ROLES[role].label
    return Operation(
        id=ROLES[role].finished,
        label=f"{label}, finished",
        help=f"What zones, strokes and covers change on the {label.lower()}.",
        settings=_settings(role),
        reads=(made, "zones", "covers", *_BESIDE.get(role, ())),
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
    found: tuple[str, ...] = options["covers"].materials()
    return found
