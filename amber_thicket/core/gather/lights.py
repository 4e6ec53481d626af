"""A light set: photographs of one surface from one fixed camera, each under another lamp of a ring.

Bearings run from the picture's right, counter-clockwise, toward the lamp.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from amber_thicket.core.gather.lamps import bearings, directions_of
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Pixels
from amber_thicket.core.settings import FileKey, OperationSettings, Record, are_apart, setting

FEWEST, MOST = 3, 32


class Lamp(Record):
    """One photograph. file: as gather.maps names files. bearing, elevation: of its lamp, where it stands out of the
    even ring; None follows the ring. out: it is left out, and its place in the ring stays empty."""

    file: FileKey
    bearing: float | None = Field(default=None, ge=0, lt=360)
    elevation: float | None = Field(default=None, ge=5, le=85)
    out: bool = False


class Settings(OperationSettings):
    frames: tuple[Lamp, ...] = setting(
        (),
        most=MOST,
        label="Photographs",
        help="Photographs in the order of their lamps, with bearing and elevation where a lamp stood out of the ring.",
    )
    first: float = setting(
        0.0,
        ge=0,
        le=360,
        step=1,
        unit="°",
        label="First lamp",
        help="Where the first lamp stood: 0° is the picture's right, 90° its top.",
    )
    direction: Literal["ccw", "cw"] = setting(
        "ccw",
        label="Lamps go",
        choices={"ccw": "Counter-clockwise", "cw": "Clockwise"},
        help="Which way the lamps follow each other, seen from the camera.",
    )
    elevation: float = setting(
        45.0,
        ge=5,
        le=85,
        step=1,
        unit="°",
        label="Elevation",
        help="How high the lamps stood above the surface; 90° is where the camera is.",
    )
    gap: int = setting(
        0,
        ge=0,
        le=MOST,
        step=1,
        label="Missing after",
        help="One lamp's photograph is missing after this many; 0 when none is.",
    )
    align: bool = setting(True, label="Camera moved", help="Brings photographs that lie a little aside into place.")
    exposure: bool = setting(
        True, label="One exposure", help="Brings photographs that were exposed differently to one exposure."
    )
    lamp_light: bool = setting(
        True, label="Even lamps", help="Takes out that each lamp lights its own side of the picture more."
    )
    bend: float = setting(
        0.0,
        ge=0,
        le=50,
        step=1,
        unit="% of picture",
        label="Bending taken out",
        help="Slopes that run on over more than this much of the picture are flattened; 0 keeps them all.",
    )
    all_lights: FileKey | Literal[""] = setting(
        "", label="All lights", help="The photograph with all lamps lit, if there is one."
    )
    colour: Literal["solved", "all"] = setting(
        "solved",
        label="Colour from",
        choices={"solved": "The light set", "all": "All lights"},
        help="Where the base colour comes from: worked out of the light set, or the photograph with all lamps lit.",
    )

    @field_validator("frames")
    @classmethod
    def _are_apart(cls, rows: tuple[Lamp, ...]) -> tuple[Lamp, ...]:
        are_apart(rows, "photographs", by="file")
        return rows


def standing(settings: Settings) -> tuple[Pixels, Pixels]:
    """(bearings, elevations) in degrees of all lamps of a light set."""
    lamps = settings.frames
    ring = bearings(len(lamps), first=settings.first, clockwise=settings.direction == "cw", gap=settings.gap)
    own = [lamp.bearing for lamp in lamps]
    degrees = np.array([r if o is None else o for r, o in zip(ring, own, strict=True)], np.float64)
    high = np.array([lamp.elevation or settings.elevation for lamp in lamps], np.float64)
    return degrees, high


def directions(settings: Settings) -> Pixels:
    """(N, 3) unit vectors toward the lamps."""
    return directions_of(*standing(settings))


OPERATION = Operation(
    id="gather.lights",
    label="Light set",
    help="Photographs under lamps all round: normal, colour and roughness are worked out of them.",
    settings=Settings,
)
