"""The files of a material as an evaluation takes them: which brings the colour, which brings a map."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.align.warp import Stitched, WarpedSource
from amber_thicket.core.gather.frames import joined_files, lie_in, lies_as_it_is
from amber_thicket.core.gather.maps import TAKEN
from amber_thicket.core.gather.registration import places_of
from amber_thicket.core.lightset.source import LightSet, MadePart, light_set
from amber_thicket.core.memory import Memory
from amber_thicket.core.merge.source import Merged, merged_source
from amber_thicket.core.raster import Pixels
from amber_thicket.core.source import Source, channel_of
from amber_thicket.core.walk.source import WalkBy, WalkPart, walk_by


class Inputs(NamedTuple):
    """colour: what brings the colour. brought: maps by role. lights: the light set they were worked out of, if any.

    picture: the photograph with what is joined to it. photograph: the file that is worked on, "" where it has no name.
    joined: the files that go on where it ends. merged: what the photograph is merged of, if it is. placed: (3, 3) by
    file, from places of the picture to places of the file. walked: the walk-by that height is told by, if any."""

    colour: Source
    brought: dict[str, Source]
    lights: LightSet | None
    picture: Source
    photograph: str
    joined: tuple[str, ...]
    merged: Merged | None
    placed: dict[str, Pixels]
    walked: WalkBy | None = None


def resolve_inputs(recipe: Any, files: Mapping[str, Source], first: Source, memory: Memory) -> Inputs:
    """files: by the names settings use. first: was brought first; it brings the colour where nothing else does."""
    maps, lights, laid = (recipe.settings(f"gather.{name}") for name in ("maps", "lights", "registration"))
    root = next((key for key, file in files.items() if file is first), "")
    photograph = maps.base_color if maps.base_color in files else root
    picture: Source = files.get(photograph, first)
    merged = merged_source(recipe.settings("gather.merge"), photograph, files, memory)
    picture = merged or picture
    lies = lie_in(laid, photograph, root, files)
    joined = tuple(name for name in joined_files(laid, photograph, root) if name in files)
    to_photograph = np.eye(3)
    for name in joined:
        matrix = lies[name] @ to_photograph
        picture = Stitched(picture, files[name], tuple((matrix / matrix[2, 2]).ravel().tolist()), memory)
        to_photograph = to_photograph @ picture.to_first
    placed = {name: matrix @ to_photograph for name, matrix in lies.items() if name in files}
    by_hand = places_of(laid)

    def as_laid(name: str) -> Source:
        """A file on the grid of the picture."""
        matrix, wraps = placed[name], name in by_hand and by_hand[name].wraps
        if lies_as_it_is(matrix) and not wraps:
            return files[name]
        entries = tuple(round(float(value), 12) for value in (matrix / matrix[2, 2]).ravel())
        return WarpedSource(files[name], entries, picture.width, picture.height, wraps)

    lamps = {lamp.file for lamp in lights.frames} | {lights.all_lights}
    files = {
        name: file if name in lamps and name not in by_hand else picture if name == photograph else as_laid(name)
        for name, file in files.items()
    }
    brought = {role: found for role in TAKEN if (found := channel_of(files, getattr(maps, role)))}
    walked = walk_by(recipe.settings("gather.walk"), photograph, files, memory)
    if walked is not None:
        for role in ("height", "normal"):
            brought.setdefault(role, WalkPart(walked, role))
        part = WalkPart(walked, "base_color")
        return Inputs(part, brought, None, part, photograph, (), merged, placed, walked)
    made = light_set(lights, files, memory)
    if made is None:
        return Inputs(picture, brought, None, picture, photograph, joined, merged, placed)
    for role in ("normal", "roughness"):
        brought.setdefault(role, MadePart(made, role))
    colour: Source = picture if maps.base_color in files else MadePart(made, "base_color")
    if lights.colour == "all" and lights.all_lights in files:
        colour = files[lights.all_lights]
    return Inputs(colour, brought, made, picture, photograph, joined, merged, placed)
