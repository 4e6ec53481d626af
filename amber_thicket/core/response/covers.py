"""What lies on the surface: deposits such as dust and mud, or another material, by height and recesses.

Each cover has one weight map; every map of the set takes it in by that, so that all stay together and seamless.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.zones import linear_of, plain, standing_out, step
from amber_thicket.core.response.zones import read as read_zones
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.strokes import listed

MOST = 4
_Layer = Callable[[], Raster]
# Width of the surface's own detail that breaks a cover's edge up, % of the tile width.
_DETAIL = 0.8


class Cover(BaseModel):
    """One cover. material: id of a material of the library, empty for a deposit of one colour.

    where, share, size: it lies on the `share` % of the surface that lies lowest in recesses of `size` % of the tile
    width, stands out most, lies under a level, or everywhere. soft, broken: how gradually it ends, and how far the
    surface's own detail breaks that up, 0..100 %. strength: 0..100 %, how far it hides what is under it. thick: % of
    the depth. smooth: 0..100 %, how far it levels the relief under it. repeat: how often the material is laid side by
    side; 0 goes by real size. zone: only there.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    id: str = Field(pattern="^[a-z0-9]{1,12}$")
    name: str = Field("", max_length=60)
    on: bool = True
    material: str = Field("", max_length=64)
    where: Literal["recesses", "tops", "level", "everywhere"] = "recesses"
    share: float = Field(30.0, ge=0, le=100)
    size: float = Field(2.0, ge=0.2, le=15)
    soft: float = Field(40.0, ge=0, le=100)
    broken: float = Field(30.0, ge=0, le=100)
    strength: float = Field(100.0, ge=0, le=100)
    colour: str = "#8a7f70"
    variation: float = Field(15.0, ge=0, le=100)
    roughness: float = Field(0.9, ge=0, le=1)
    metallic: float = Field(0.0, ge=0, le=1)
    thick: float = Field(4.0, ge=0, le=100)
    smooth: float = Field(50.0, ge=0, le=100)
    repeat: int = Field(0, ge=0, le=8)
    zone: str = Field("", max_length=12)

    @field_validator("colour")
    @classmethod
    def _is_colour(cls, value: str) -> str:
        linear_of(value)
        return value


def read(text: str) -> tuple[Cover, ...]:
    """Covers from their setting. Raises ValueError in words."""
    found = []
    for row in listed(text, MOST, "covers"):
        try:
            found.append(Cover.model_validate(row))
        except ValidationError as error:
            raise ValueError(plain(error)) from None
    if len({cover.id for cover in found}) != len(found):
        raise ValueError("two covers share an id")
    return tuple(found)


def laid(text: str) -> tuple[Cover, ...]:
    """Those covers that lie on the surface."""
    return tuple(cover for cover in read(text) if cover.on and cover.strength > 0)


def materials(text: str) -> tuple[str, ...]:
    """Ids of the library's materials that are laid over this one."""
    return tuple(cover.material for cover in laid(text) if cover.material)


class Settings(OperationSettings):
    covers: str = setting(
        "",
        label="Covers",
        help="A JSON list of what lies on the surface: dust, mud, moss, or another material of the library.",
    )

    @field_validator("covers")
    @classmethod
    def _are_covers(cls, value: str) -> str:
        read(value)
        return value


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
    spread = end.spread if end else float(signal.std()) + 1e-9
    detail = blur(height, 0.1 * frame.length(_DETAIL), wraps=True) - blur(height, frame.length(_DETAIL), wraps=True)
    rough = end.detail if end else float(detail.std()) + 1e-9
    return signal + np.float32(cover.broken / 100 * spread / rough) * detail, spread, rough


def decide_covers(shaped: _Layer, zones: _Layer, /, *, frame: Frame, covers: str, **_: object) -> tuple[End, ...]:
    """Where each cover begins."""
    found = []
    for cover in laid(covers):
        if cover.where == "everywhere":
            found.append(End(0.0, 1.0, 1.0))
            continue
        signal, spread, rough = _signal(cover, shaped().pixels, frame, None)
        found.append(End(float(np.quantile(signal, 1 - cover.share / 100)), spread, rough))
    return tuple(found)


def covers(
    shaped: _Layer, zones: _Layer, /, *, frame: Frame, decided: tuple[End, ...], covers: str, **also: object
) -> Raster:
    """How far each cover hides the surface, (H, W, N) in [0, 1], of those that lie on it, in order."""
    rows = laid(covers)
    weights = np.ones((frame.height, frame.width, len(rows)), np.float32)
    order = [zone.id for zone in read_zones(also["zones"].zones)]  # type: ignore[attr-defined]
    for number, (cover, end) in enumerate(zip(rows, decided, strict=True)):
        weight = weights[..., number]
        if cover.where != "everywhere":
            signal, _, _ = _signal(cover, shaped().pixels, frame, end)
            width = cover.soft / 100 * end.spread + 1e-6
            weight = step(end.begin - width, end.begin + width, signal)
            # All of it, and nothing of it, are meant.
            weight = np.ones_like(weight) if cover.share >= 100 else weight * np.float32(cover.share > 0)
        if cover.zone in order:
            weight = weight * zones().pixels[..., order.index(cover.zone)]
        weights[..., number] = weight * np.float32(cover.strength / 100)
    return Raster(weights)


def _uses(options: dict[str, Any]) -> tuple[str, ...]:
    rows = laid(options["covers"])
    shaped = ("shaped",) if any(row.where != "everywhere" for row in rows) else ()
    return (*shaped, *(("zones",) if any(row.zone for row in rows) else ()))


def _matters(options: dict[str, Any]) -> Any:
    kept = ("where", "share", "size", "soft", "broken", "strength", "zone")
    return [[getattr(row, name) for name in kept] for row in laid(options["covers"])]


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
)
