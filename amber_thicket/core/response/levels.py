"""One level for the whole surface, of metallic and the maps not every surface has; zones and strokes change parts."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from pydantic import field_validator

from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.operation import Given, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.response.convert import to_metal
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.tile.carried import bled


def _level(role: str, default: float, help: str) -> type[OperationSettings]:
    class Settings(OperationSettings):
        level: float = setting(default, ge=0, le=1, step=0.01, label=ROLES[role].label, help=help)

    return Settings


def _colour(role: str, default: str, help: str) -> type[OperationSettings]:
    class Settings(OperationSettings):
        colour: str = setting(default, label=ROLES[role].label, help=help)

        @field_validator("colour")
        @classmethod
        def _is_colour(cls, value: str) -> str:
            linear_of_hex(value)
            return value

    return Settings


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


def _operation(role: str, settings: type[OperationSettings], help: str) -> Operation:
    return Operation(
        id=f"response.{role}",
        label=ROLES[role].label,
        help=help,
        settings=settings,
        reads=("tiled",),
        writes=f"{role}_made",
        apply=_flat,
        given=(Given(role, partial(_brought, role)),),
    )


METALLIC = _operation(
    "metallic",
    _level(
        "metallic",
        0.0,
        "0 is off: the map is blank and left out. Bare metal is 1, or a little less so that it never goes black.",
    ),
    "Which places are bare metal.",
)
METALLIC = replace(
    METALLIC,
    reads=("tiled", "?tiled.specular"),
    apply=_metallic,
    also=("gather.maps",),
    matters=lambda options: [options["level"], options["maps"].workflow],
)
SPECULAR = _operation(
    "specular",
    _colour(
        "specular", "#383838", "How strongly it mirrors straight on; #383838 is the usual 4 % of what is no metal."
    ),
    "How strongly and in which colour each place mirrors.",
)
OPACITY = _operation(
    "opacity", _level("opacity", 1.0, "1 is solid, 0 lets everything through."), "Which places are solid."
)


def _opacity(cut: Raster | None, /, *, frame: Frame, level: float, **_: Any) -> Raster:
    """The mask of a cut-out, or one level: (H, W) in [0, 1]."""
    if cut is None:
        return Raster(np.full((frame.height, frame.width), level, np.float32))
    return Raster(cut.pixels * np.float32(level), evidence=dict(cut.evidence))


def _cut(options: dict[str, Any]) -> tuple[str, ...]:
    return ("cut",) if options["cutout"].on else ()


OPACITY = replace(
    OPACITY,
    reads=("cut",),
    apply=_opacity,
    also=("tile.cutout",),
    uses=_cut,
    matters=lambda options: [options["level"], options["cutout"].on],
)


class Translucency(OperationSettings):
    colour: str = setting(
        "#000000", label=ROLES["translucency"].label, help="Light that comes through from behind; black is none."
    )
    lamp: bool = setting(
        True,
        label="Lamp is white",
        help="Of a cut-out's back-lit photograph: the bare lamp beside it counts as white, so that what comes through "
        "is a share of it.",
    )

    @field_validator("colour")
    @classmethod
    def _is_colour(cls, value: str) -> str:
        linear_of_hex(value)
        return value


def decide_lamp(tiled: Raster, brought: Raster | None, cut: Raster | None, /, *, lamp: bool, **_: Any) -> Pixels:
    """(3,) linear: the light of the bare lamp in a back-lit photograph; ones where there is nothing to see of it."""
    if not lamp or brought is None or cut is None:
        return np.ones(3, np.float32)
    bare = cut.pixels < 0.02
    if float(bare.mean()) < 0.005:
        return np.ones(3, np.float32)
    return np.maximum(np.median(brought.pixels[bare], axis=0), 1e-3).astype(np.float32)


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


TRANSLUCENCY = Operation(
    id="response.translucency",
    label=ROLES["translucency"].label,
    help="Which places let light through, and in which colour.",
    settings=Translucency,
    reads=("tiled", "?tiled.translucency", "cut"),
    writes="translucency_made",
    apply=_through,
    decide=decide_lamp,
    also=("tile.cutout",),
    uses=lambda options: ("tiled", "?tiled.translucency", *_cut(options)),
    matters=lambda options: [options["colour"], options["lamp"], options["cutout"].on],
)


def _back(
    tiled: Raster, brought: Raster | None, cut: Raster | None, /, *, frame: Frame, colour: str, **_: Any
) -> Raster:
    """Colour of the other side, linear RGB (H, W, 3)."""
    if brought is None:
        return _flat(tiled, frame=frame, colour=colour)
    return brought if cut is None else Raster(bled(brought.pixels, cut.pixels))


EMISSIVE = _operation(
    "emissive", _colour("emissive", "#000000", "Light it gives off by itself; black is none."), "Which places shine."
)
BACK = replace(
    _operation(
        "back_color",
        _colour("back_color", "#000000", "The colour of the other side; black is none."),
        "The other side.",
    ),
    reads=("tiled", "?tiled.back_color", "cut"),
    apply=_back,
    given=(),
    also=("tile.cutout",),
    uses=lambda options: ("tiled", "?tiled.back_color", *_cut(options)),
    matters=lambda options: [options["colour"], options["cutout"].on],
)
