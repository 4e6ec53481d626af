"""One level for the whole surface, of metallic and the maps not every surface has; zones and strokes change parts."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from pydantic import field_validator

from amber_thicket.core.operation import Given, Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.response.convert import to_metal
from amber_thicket.core.response.zones import linear_of
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import OperationSettings, setting


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
            linear_of(value)
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
    return Raster(np.broadcast_to(linear_of(colour), (*shape, 3)))


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
TRANSLUCENCY = _operation(
    "translucency",
    _colour("translucency", "#000000", "Light that comes through from behind; black is none."),
    "Which places let light through, and in which colour.",
)
EMISSIVE = _operation(
    "emissive", _colour("emissive", "#000000", "Light it gives off by itself; black is none."), "Which places shine."
)
BACK = _operation(
    "back_color", _colour("back_color", "#000000", "The colour of the other side; black is none."), "The other side."
)
