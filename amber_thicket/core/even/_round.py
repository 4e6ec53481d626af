"""Work on a tile as on a picture with a margin: what lies beyond an edge is what lies at the other one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from amber_thicket.core.raster import Frame, Raster

# Width of the margin as a share of the tile's; the same at every size.
_MARGIN = 1 / 8


def _margins(frame: Frame) -> tuple[int, int]:
    return round(frame.height * _MARGIN), round(frame.width * _MARGIN)


def with_margin(raster: Raster, frame: Frame) -> tuple[Raster, Frame]:
    """The layer with as much more on every side as lies round its edges, and its frame, whose edges do not meet."""
    down, across = _margins(frame)
    rows, columns = np.arange(-down, frame.height + down), np.arange(-across, frame.width + across)
    pixels = raster.pixels[(rows % frame.height)[:, None], (columns % frame.width)[None]]
    wide = replace(frame, width=len(columns), height=len(rows), wraps=False, exact=(0.0, 0.0))
    return replace(raster, pixels=np.ascontiguousarray(pixels)), wide


def without_margin(raster: Raster, frame: Frame) -> Raster:
    """The tile itself. frame: of the tile."""
    down, across = _margins(frame)
    inner = raster.pixels[down : down + frame.height, across : across + frame.width]
    return replace(raster, pixels=np.ascontiguousarray(inner))
