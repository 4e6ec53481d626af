"""The files of a material as an evaluation takes them: which brings the colour, which brings a map."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from amber_thicket.core.align.warp import Stitched, WarpedSource
from amber_thicket.core.gather.maps import TAKEN
from amber_thicket.core.gather.registration import places_of
from amber_thicket.core.lightset.source import LightSet, MadePart, light_set
from amber_thicket.core.memory import Memory
from amber_thicket.core.source import Source, channel_of


class Inputs(NamedTuple):
    """colour: what brings the colour. brought: maps by role. lights: the light set they were worked out of, if any."""

    colour: Source
    brought: dict[str, Source]
    lights: LightSet | None


def resolve_inputs(recipe: Any, files: Mapping[str, Source], first: Source, memory: Memory) -> Inputs:
    """files: by the names settings use. first: brings the colour where nothing else does."""
    maps, lights, placed = (recipe.settings(f"gather.{name}") for name in ("maps", "lights", "registration"))
    for joined in placed.joined:
        if joined.file in files and files[joined.file] is not first:
            first = Stitched(first, files[joined.file], joined.matrix, memory)
    laid = places_of(placed)
    files = {
        key: WarpedSource(file, laid[key].matrix, first.width, first.height, laid[key].wraps) if key in laid else file
        for key, file in files.items()
    }
    brought = {role: found for role in TAKEN if (found := channel_of(files, getattr(maps, role)))}
    made = light_set(lights, files, memory)
    if made is None:
        return Inputs(first, brought, None)
    for role in ("normal", "roughness"):
        brought.setdefault(role, MadePart(made, role))
    colour: Source = first if maps.base_color in files else MadePart(made, "base_color")
    if lights.colour == "all" and lights.all_lights in files:
        colour = files[lights.all_lights]
    return Inputs(colour, brought, made)
