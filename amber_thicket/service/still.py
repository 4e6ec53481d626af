"""Stills of a material: its maps, seen as the lit view is set up, by following light."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from amber_thicket.core.graph import Evaluation, fit_side, output_size
from amber_thicket.core.lit.still import Look, SurfaceMaps, developed, followed
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.formats.picture import read_picture
from amber_thicket.service.preview import encoded, small_square
from amber_thicket.service.surroundings import radiance_of
from amber_thicket.store.work import StillLook

# Maps a still is made of have as many px as it shows of one tile and half as many again, up to so many and no more
# than the finished set.
_MOST, _MORE = 2048, 1.5


class Still(NamedTuple):
    """png: the picture so far. paths: followed at each pixel."""

    png: bytes
    paths: int


def still(evaluation: Evaluation, look: StillLook, folder: Path, paths: int) -> Iterator[Still]:
    """The still after 1, 2, 4 … paths a pixel, up to `paths`. folder: of the data, where panoramas are kept.

    Raises NotFound for surroundings that are gone.
    """
    seen = look_of(look)
    maps = maps_of(evaluation, seen)
    for passed in followed(maps, seen, radiance_of(folder, look.surroundings), paths):
        codes = np.rint(developed(passed, seen) * 255).astype(np.uint8)
        yield Still(encoded(codes, "png"), round(passed.share * paths))


def look_of(look: StillLook) -> Look:
    parts = look.model_dump(exclude={"surroundings", "width", "height"})
    return Look(size=(look.width, look.height), **parts)


def maps_of(evaluation: Evaluation, look: Look) -> SurfaceMaps:
    """The finished maps, as large as the still can show them."""
    wanted = int(_MORE * look.size[0] / look.repeat / min(look.distance, 1.0))
    size = fit_side(evaluation.recipe, min(max(wanted, 256), _MOST, max(output_size(evaluation.recipe))))
    base, normal, roughness, metallic, occlusion = (
        evaluation.layer(role, size).pixels
        for role in ("base_color", "normal", "roughness", "metallic", "ambient_occlusion")
    )
    height = evaluation.layer("height", size)
    specular = evaluation.layer("specular", size).pixels if "specular" in evaluation.maps() else None
    # Relief that stands out keeps light away itself; where it does not, the map of occlusion says where.
    if look.shape == "ball" or look.displacement == 0:
        base = base * occlusion[..., None]
    return SurfaceMaps(base, normal, roughness, metallic, height.pixels, height.span, specular)


def card_of(png: bytes) -> bytes:
    """A still as the library's small picture, as JPEG."""
    return small_square(encode_srgb8(read_picture(png, "still.png").pixels))
