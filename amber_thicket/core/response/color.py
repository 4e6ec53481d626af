"""The colour before zones and covers: the tiled one, or the base colour of a specular/gloss set."""

from __future__ import annotations

from typing import Any

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.response.convert import to_metal
from amber_thicket.core.settings import OperationSettings


class Settings(OperationSettings):
    pass


def color(tiled: Raster, specular: Raster | None, /, *, frame: Frame, maps: Any) -> Raster:
    """Linear RGB (H, W, 3). tiled: base colour, or diffuse where the set came as specular/gloss."""
    if specular is None or maps.workflow == "metal":
        return tiled
    return Raster(to_metal(tiled.pixels, specular.pixels)[0], evidence=dict(tiled.evidence))


OPERATION = Operation(
    id="response.color",
    label="Colour",
    help="The base colour, from diffuse and specular where a set brought those.",
    settings=Settings,
    reads=("tiled", "?tiled.specular"),
    writes="base_color_made",
    apply=color,
    also=("gather.maps",),
    matters=lambda options: options["maps"].workflow,
)
