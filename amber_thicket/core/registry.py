"""The explicit list of operations, in the order they run. A duplicate id fails at import."""

from __future__ import annotations

from typing import Any

from amber_thicket.core import limits
from amber_thicket.core.even import (
    blotches,
    both_lights,
    drift,
    glare,
    highlight,
    hues,
    light,
    original,
    raking,
    shadow,
    sun,
    tone,
)
from amber_thicket.core.even import known_shading as known
from amber_thicket.core.gather import camera, lights, maps, merge, orient, walk, white
from amber_thicket.core.gather import registration as placed
from amber_thicket.core.links import chain, linked
from amber_thicket.core.operation import Operation
from amber_thicket.core.pack import files
from amber_thicket.core.relief import (
    bands,
    cues,
    curvature,
    height,
    held,
    hued,
    normal,
    occlusion,
    shape,
    split,
    stones,
)
from amber_thicket.core.relief import covered as laid
from amber_thicket.core.relief import light as light_found
from amber_thicket.core.response import color, compared, covers, glints, levels, roughness, zones
from amber_thicket.core.response import cues as told
from amber_thicket.core.response.finish import ColourChange, RoughnessChange, ScalarChange, finishing
from amber_thicket.core.settings import Record, describe
from amber_thicket.core.square import crop, flat, lens, size
from amber_thicket.core.tile import cutout, join, repair, tileset
from amber_thicket.core.tile import extended as carried
from amber_thicket.core.tile import retouch as touch

# What a stage shows when it is opened.
STAGE_LAYERS: dict[str, str] = {
    "gather": "gathered",
    "square": "squared",
    "even": "evened",
    "tile": "tiled",
    "relief": "height",
    "response": "roughness",
    "check": "ambient_occlusion",
    "pack": "normal",
}

OPERATIONS: tuple[Operation, ...] = linked(
    (
        white.OPERATION,
        camera.OPERATION,
        orient.OPERATION,
        maps.OPERATION,
        lights.OPERATION,
        placed.OPERATION,
        merge.OPERATION,
        walk.OPERATION,
        lens.OPERATION,
        flat.OPERATION,
        crop.OPERATION,
        size.OPERATION,
        # Takes the light out of the sample, a kind at a time.
        *chain(
            "squared",
            both_lights.OPERATION,
            light.OPERATION,
            sun.OPERATION,
            known.OPERATION,
            raking.OPERATION,
            shadow.OPERATION,
            highlight.OPERATION,
            glare.OPERATION,
            blotches.OPERATION,
            drift.OPERATION,
            original.OPERATION,
            tone.OPERATION,
            hues.OPERATION,
            makes="evened",
        ),
        # Makes the edges meet, and mends what shows.
        *chain(
            "evened",
            join.OPERATION,
            repair.OPERATION,
            touch.OPERATION,
            tileset.OPERATION,
            cutout.OPERATION,
            carried.OPERATION,
            makes="tiled",
        ),
        light_found.OPERATION,
        hued.OPERATION,
        cues.OPERATION,
        *chain("cue", stones.OPERATION, bands.OPERATION, height.OPERATION, makes="formed"),
        compared.OPERATION,
        zones.OPERATION,
        shape.OPERATION,
        covers.OPERATION,
        laid.OPERATION,
        held.OPERATION,
        normal.OPERATION,
        occlusion.OPERATION,
        finishing("ambient_occlusion"),
        curvature.OPERATION,
        split.OPERATION,
        *split.PARTS,
        told.OPERATION,
        glints.OPERATION,
        roughness.OPERATION,
        finishing("roughness"),
        *(one for made in levels.OPERATIONS for one in (made, finishing(made.name))),
        color.OPERATION,
        finishing("base_color"),
        limits.OPERATION,
        files.OPERATION,
    ),
    shown=set(STAGE_LAYERS.values()),
)

BY_ID: dict[str, Operation] = {operation.id: operation for operation in OPERATIONS}
BY_LAYER: dict[str, Operation] = {operation.writes: operation for operation in OPERATIONS if operation.writes}
# What existing maps go through with the colour: name of the step, operation, and the step before it.
_CARRYING = tuple(operation for operation in OPERATIONS if operation.carries)
CARRIED: dict[str, tuple[Operation, str]] = {
    operation.carries: (operation, before)
    for operation, before in zip(_CARRYING, ("photo", *(one.carries for one in _CARRYING)), strict=False)
}


def catalogue() -> list[dict[str, Any]]:
    """Every operation with its settings as plain data: what `settings --json` and the page read."""
    return [
        {
            "id": operation.id,
            "stage": operation.stage,
            "name": operation.name,
            "label": operation.label,
            "help": operation.help,
            "writes": operation.writes or None,
            "settings": describe(operation.settings),
        }
        for operation in OPERATIONS
    ]


# What settings that hold several values are made of.
SHAPES: dict[str, type[Record]] = {
    "zone": zones.Zone,
    "part": zones.Part,
    "cover": covers.Cover,
    "height": shape.HeightChange,
    "scalar": ScalarChange,
    "roughness": RoughnessChange,
    "colour": ColourChange,
}
