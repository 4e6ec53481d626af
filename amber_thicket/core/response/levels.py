"""One level for the whole surface, of metallic and the maps not every surface has; zones and strokes change parts."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from pydantic import create_model

from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.convert import to_metal
from amber_thicket.core.roles import ROLES, Role, Uniform
from amber_thicket.core.settings import Colour, OperationSettings, setting
from amber_thicket.core.tile.extended import bled


def _settings(role: Role, uniform: Uniform) -> type[OperationSettings]:
    """One setting that fills the map: level or colour."""
    if role.channels == 1:
        control = setting(uniform.default, ge=0, le=1, step=0.01, label=role.label, help=uniform.help)
        fields: dict[str, Any] = {"level": (float, control)}
    else:
        fields = {"colour": (Colour, setting(uniform.default, label=role.label, help=uniform.help))}
    return create_model(role.id, __base__=OperationSettings, **fields)


def _metallic(tiled: Raster, specular: Raster | None, /, *, frame: Frame, level: float, maps: Any) -> Raster:
    """One level, or what diffuse and specular of a set tell, (H, W) in [0, 1]."""
    if specular is None or maps.workflow == "metal":
        return _flat(tiled, frame=frame, level=level)
    return Raster(to_metal(tiled.pixels, specular.pixels)[1])


def _flat(tiled: Raster, *, frame: Frame, level: float = 0.0, colour: str = "") -> Raster:
    """The same value everywhere: (H, W) in [0, 1], or linear RGB (H, W, 3)."""
    shape = (frame.height, frame.width)
    if not colour:
        return Raster(np.full(shape, level, np.float32))
    return Raster(np.broadcast_to(linear_of_hex(colour), (*shape, 3)))


def _brought(role: str, given: Raster, *, frame: Frame, **_: Any) -> Raster:
    """The map that was brought."""
    return given


def _specular(tiled: Raster, brought: Raster | None, /, *, frame: Frame, colour: str, maps: Any) -> Raster:
    """How much what is no metal mirrors straight on, linear RGB (H, W, 3): one colour, the map that was brought, or
    what a specular of a specular/gloss set says beyond its metals."""
    if brought is None:
        return _flat(tiled, frame=frame, colour=colour)
    return brought if maps.workflow == "metal" else Raster(to_metal(tiled.pixels, brought.pixels)[2])


def _operation(role: Role, uniform: Uniform) -> Operation:
    return Operation(
        id=f"response.{role.id}",
        label=role.label,
        help=uniform.about,
        settings=_settings(role, uniform),
        reads=("tiled",),
        writes=f"{role.id}_made",
        apply=_flat,
        given=(ExistingMap(role.id, partial(_brought, role.id)),),
    )


def _opacity(cut: Raster | None, /, *, frame: Frame, level: float, **_: Any) -> Raster:
    """The mask of a cut-out, or one level: (H, W) in [0, 1]."""
    if cut is None:
        return Raster(np.full((frame.height, frame.width), level, np.float32))
    return Raster(cut.pixels * np.float32(level), evidence=dict(cut.evidence))


def _cut(options: dict[str, Any]) -> tuple[str, ...]:
    return ("cut",) if options["cutout"].on else ()


def decide_lamp(tiled: Raster, brought: Raster | None, cut: Raster | None, /, *, lamp: bool, **_: Any) -> Pixels:
    """(3,) linear: the light of the bare lamp in a back-lit photograph; ones where there is nothing to see of it."""
    if not lamp or brought is None or cut is None:
        return np.ones(3, np.float32)
    bare = cut.pixels < 0.02
    if float(bare.mean()) < 0.005:
        return np.ones(3, np.float32)
    result: Pixels = np.maximum(np.median(brought.pixels[bare], axis=0), 1e-3).astype(np.float32)
    return result


def _through(
    tiled: Raster,
    brought: Raster | None,
    cut: Raster | None,
    /,
    *,
    frame: Frame,
    colour: str,
    decided: Pixels,
    **_: Any,
) -> Raster:
    """Light that comes through, as a share of the lamp, linear RGB (H, W, 3)."""
    if brought is None:
        return _flat(tiled, frame=frame, colour=colour)
    share = (brought.pixels / decided).clip(0, 1)
    return Raster(share if cut is None else bled(share, cut.pixels), evidence={"lamp": float(decided.mean())})


def _back(
    tiled: Raster, brought: Raster | None, cut: Raster | None, /, *, frame: Frame, colour: str, **_: Any
) -> Raster:
    """Colour of the other side, linear RGB (H, W, 3)."""
    if brought is None:
        return _flat(tiled, frame=frame, colour=colour)
    return brought if cut is None else Raster(bled(brought.pixels, cut.pixels))


def _with_lamp(settings: type[OperationSettings]) -> type[OperationSettings]:
    """The settings of translucency: its colour, and what a lamp beside the thing says."""
    lamp = setting(
        True,
        label="Lamp is white",
        help="Of a cut-out's back-lit photograph: the bare lamp beside it counts as white, so that what comes through "
        "is a share of it.",
    )
    return create_model("translucency", __base__=settings, lamp=(bool, lamp))


def _special(made: Operation) -> Operation:
    """What some maps have besides the value that fills them."""
    role = made.name
    if role == "metallic":
        return replace(
            made,
            reads=("tiled", "?tiled.specular"),
            apply=_metallic,
            also=("gather.maps",),
            matters=lambda options: [options["level"], options["maps"].workflow],
        )
    if role == "specular":
        return replace(
            made,
            reads=("tiled", "?tiled.specular"),
            apply=_specular,
            given=(),
            also=("gather.maps",),
            matters=lambda options: [options["colour"], options["maps"].workflow],
        )
    if role == "opacity":
        return replace(
            made,
            reads=("cut",),
            apply=_opacity,
            also=("tile.cutout",),
            uses=_cut,
            matters=lambda options: [options["level"], options["cutout"].on],
        )
    if role in ("translucency", "back_color"):
        brought = f"?tiled.{role}"
        made = replace(
            made,
            reads=("tiled", brought, "cut"),
            apply=_back,
            given=(),
            also=("tile.cutout",),
            uses=lambda options: ("tiled", brought, *_cut(options)),
            matters=lambda options: [options["colour"], options.get("lamp"), options["cutout"].on],
        )
    if role == "translucency":
        made = replace(made, settings=_with_lamp(made.settings), apply=_through, decide=decide_lamp)
    return made


# One operation for every role that a value can fill, in the order of the table of roles.
OPERATIONS: tuple[Operation, ...] = tuple(
    _special(_operation(role, role.uniform)) for role in ROLES.values() if role.uniform
)
