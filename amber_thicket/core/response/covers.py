"""What lies on the surface: deposits such as dust and mud, or another material, by height and recesses.

Each cover has one weight map; every map of the set takes it in by that, so that all stay together and seamless.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from pydantic import Field, field_validator

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.levels import smooth_step
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.quantiles import quantiles
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.zones import MOST as MOST_ZONES
from amber_thicket.core.response.zones import ZoneId, spread_of, standing_out
from amber_thicket.core.settings import Colour, OperationSettings, Record, are_apart, setting

MOST = 4
# Zones that were taken away keep how wet they were, for when they come back.
MOST_WET = 4 * MOST_ZONES
_Layer = Callable[[], Raster]
# Width of the surface's own detail that breaks a cover's edge up, % of the tile width.
_DETAIL = 0.8


class Cover(Record):
    """One cover. material: id of a material of the library, empty for a deposit of one colour. zone: only there."""

    id: str = Field(pattern="^[a-z0-9]{1,12}$")
    name: str = Field("", max_length=60)
    on: bool = True
    material: str = Field("", max_length=64)
    zone: str = Field("", max_length=12)
    where: Literal["recesses", "tops", "level", "everywhere"] = setting(
        "recesses",
        label="It lies",
        choices={"recesses": "In recesses", "tops": "On tops", "level": "Up to a level", "everywhere": "Everywhere"},
        help="In recesses as dust does, on tops as moss does, up to a level as mud and water do, or everywhere.",
    )
    share: float = setting(
        30.0, ge=0, le=100, step=1, unit="%", label="Share", help="How much of the surface it lies on."
    )
    size: float = setting(
        2.0,
        ge=0.2,
        le=15,
        step=0.1,
        unit="% of tile",
        label="Size",
        help="How wide the recesses or tops are that count.",
    )
    soft: float = setting(40.0, ge=0, le=100, step=5, unit="%", label="Softness", help="How gradually it ends.")
    broken: float = setting(
        30.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Broken up",
        help="How far the surface's own detail breaks up its edge.",
    )
    strength: float = setting(
        100.0, ge=0, le=100, step=5, unit="%", label="Strength", help="How far it hides what is under it."
    )
    colour: Colour = "#8a7f70"
    variation: float = setting(
        15.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Variation",
        help="How far the tone of what is under it shows in its own.",
    )
    roughness: float = setting(
        0.9, ge=0, le=1, step=0.01, label="Roughness", help="0 mirrors as water does, 1 is chalk."
    )
    metallic: float = setting(
        0.0, ge=0, le=1, step=0.05, label="Metallic", help="1 where it is bare metal, as leaf gold is."
    )
    thick: float = setting(
        4.0,
        ge=0,
        le=100,
        step=1,
        unit="%",
        label="Thickness",
        help="How high it lies, of the depth; of another material its relief.",
    )
    smooth: float = setting(
        50.0, ge=0, le=100, step=5, unit="%", label="Levels out", help="How far it smooths the relief under it."
    )
    repeat: int = setting(
        0, ge=0, le=8, step=1, label="Repeats", help="How often the material lies side by side; 0 goes by real size."
    )


# Deposits to start from: name and what differs from the defaults.
DEPOSITS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("Dust", {"colour": "#a89c88", "share": 35.0, "soft": 70.0, "strength": 70.0, "thick": 1.0, "roughness": 0.95}),
    ("Mud", {"where": "level", "colour": "#5a4632", "share": 35.0, "soft": 25.0, "broken": 20.0, "roughness": 0.75}),
    ("Moss", {"where": "tops", "colour": "#5a6b2e", "share": 25.0, "broken": 70.0, "variation": 50.0, "thick": 6.0,
              "smooth": 20.0, "size": 4.0}),
    ("Standing water", {"where": "level", "colour": "#2a2822", "share": 20.0, "soft": 10.0, "broken": 0.0,
                        "strength": 80.0, "roughness": 0.05, "thick": 0.0}),
    ("Salt crust", {"colour": "#dcd8cf", "share": 15.0, "broken": 80.0, "soft": 30.0, "thick": 2.0, "smooth": 10.0}),
    ("Snow", {"where": "tops", "colour": "#eceff2", "share": 60.0, "size": 8.0, "thick": 15.0, "smooth": 90.0,
              "broken": 10.0, "variation": 0.0, "roughness": 0.8}),
)  # fmt: skip


# Id of the cover that puddles are.
POOL = "pool"


def active_covers(covers: Sequence[Cover], puddles: float = 0.0) -> tuple[Cover, ...]:
    """Those covers that lie on the surface; puddles, % of it, last."""
    rows = tuple(cover for cover in covers if cover.on and cover.strength > 0)
    if puddles <= 0:
        return rows
    return (
        *rows,
        Cover(
            id=POOL,
            name="",
            material="",
            zone="",
            where="level",
            share=puddles,
            soft=8,
            broken=0,
            roughness=0.03,
            thick=0,
        ),
    )


class Settings(OperationSettings):
    wet: float = setting(
        0.0,
        ge=0,
        le=1,
        step=0.05,
        label="Wet",
        help="How wet all of it is: darker and smoother, as after rain. 1 is soaked.",
    )
    puddles: float = setting(
        0.0,
        ge=0,
        le=100,
        step=1,
        unit="%",
        label="Puddles",
        help="How much of it stands under water, from the lowest places up.",
    )
    wet_zones: dict[ZoneId, Annotated[float, Field(ge=0, le=1)]] = setting(
        {}, most=MOST_WET, label="Wet zones", help="For the id of a zone how wet it is, instead of all of it."
    )
    covers: tuple[Cover, ...] = setting(
        (),
        most=MOST,
        label="Covers",
        help="What lies on the surface: dust, mud, moss, or another material of the library.",
    )

    @field_validator("covers")
    @classmethod
    def _are_apart(cls, rows: tuple[Cover, ...]) -> tuple[Cover, ...]:
        are_apart(rows, "covers")
        return rows

    def lying(self) -> tuple[Cover, ...]:
        """What lies on the surface, puddles last."""
        return active_covers(self.covers, self.puddles)

    def is_wet(self) -> bool:
        """Whether anything is wet, or under water."""
        return bool(self.wet or self.puddles or any(self.wet_zones.values()))

    def materials(self) -> tuple[str, ...]:
        """Ids of the library's materials that are laid over this one."""
        return tuple(cover.material for cover in self.lying() if cover.material)


def film_of(wet: float, masks: Sequence[tuple[Pixels, float]]) -> Pixels | np.float32:
    """How wet each place is, (H, W) or one number in [0, 1]: zones instead of all of it, by their masks (H, W)."""
    film: Any = np.float32(wet)
    for mask, amount in masks:
        film = film + mask * (np.float32(amount) - film)
    return film  # type: ignore[no-any-return]


class End(NamedTuple):
    """Where a cover begins, how far places differ there, and how far the detail does that breaks it up."""

    begin: float
    spread: float
    detail: float


def _signal(cover: Cover, height: Pixels, frame: Frame, end: End | None) -> tuple[Pixels, float, float]:
    """What decides where it lies, with the spread of it and of the detail in it."""
    if cover.where == "level":
        signal = -blur(height, 0.02 * frame.length(cover.size), wraps=True)
    else:
        out = standing_out(height, cover.size, frame)
        signal = -out if cover.where == "recesses" else out
    spread = end.spread if end else spread_of(signal)
    detail = blur(height, 0.1 * frame.length(_DETAIL), wraps=True)
    cv2.subtract(detail, blur(height, frame.length(_DETAIL), wraps=True), detail)
    rough = end.detail if end else spread_of(detail)
    return cv2.scaleAdd(detail, cover.broken / 100 * spread / rough, signal), spread, rough


def decide_covers(
    shaped: _Layer, zones: _Layer, /, *, frame: Frame, covers: tuple[Cover, ...], puddles: float, **_: object
) -> tuple[End, ...]:
    """Where each cover begins."""
    found = []
    for cover in active_covers(covers, puddles):
        if cover.where == "everywhere":
            found.append(End(0.0, 1.0, 1.0))
            continue
        signal, spread, rough = _signal(cover, shaped().pixels, frame, None)
        found.append(End(quantiles(signal, (1 - cover.share / 100,))[0], spread, rough))
    return tuple(found)


def covers(
    shaped: _Layer,
    zones: _Layer,
    /,
    *,
    frame: Frame,
    decided: tuple[End, ...],
    covers: tuple[Cover, ...],
    puddles: float,
    **also: object,
) -> Raster:
    """How far each cover hides the surface, (H, W, N) in [0, 1], of those that lie on it, in order."""
    rows = active_covers(covers, puddles)
    weights = np.ones((len(rows), frame.height, frame.width), np.float32)
    order = [zone.id for zone in also["zones"].zones]  # type: ignore[attr-defined]
    for number, (cover, end) in enumerate(zip(rows, decided, strict=True)):
        weight = weights[number]
        if cover.where != "everywhere":
            signal, _, _ = _signal(cover, shaped().pixels, frame, end)
            width = cover.soft / 100 * end.spread + 1e-6
            weight = smooth_step(end.begin - width, end.begin + width, signal)
            # All of it, and nothing of it, are meant.
            weight = np.ones_like(weight) if cover.share >= 100 else weight * np.float32(cover.share > 0)
        if cover.zone in order:
            weight = weight * zones().pixels[..., order.index(cover.zone)]
        weights[number] = weight * np.float32(cover.strength / 100)
    return Raster(np.moveaxis(weights, 0, -1))


def _uses(options: dict[str, Any]) -> tuple[str, ...]:
    rows = active_covers(options["covers"], options["puddles"])
    shaped = ("shaped",) if any(row.where != "everywhere" for row in rows) else ()
    return (*shaped, *(("zones",) if any(row.zone for row in rows) else ()))


def _matters(options: dict[str, Any]) -> Any:
    kept = ("where", "share", "size", "soft", "broken", "strength", "zone")
    return [[getattr(row, name) for name in kept] for row in active_covers(options["covers"], options["puddles"])]


OPERATION = Operation(
    id="response.covers",
    label="Covers",
    help="Deposits, or another material, that lie on the surface.",
    settings=Settings,
    reads=("shaped", "zones"),
    writes="covers",
    apply=covers,
    decide=decide_covers,
    also=("response.zones",),
    uses=_uses,
    matters=_matters,
    lazy=True,
    version=2,
)
