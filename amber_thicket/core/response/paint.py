"""Strokes that paint a value on a map of the tile, round its edges too; kept as data, drawn anew at every size."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.settings import Colour
from amber_thicket.core.strokes import Stroke, local, softened

Share = Annotated[float, Field(ge=0, le=1)]


class ScalarStroke(Stroke):
    """A stroke on a map of one channel. strength: how much of it counts; soft: how much of its width fades."""

    kind: Literal["set", "add", "smooth"]
    value: float = Field(ge=-1, le=1)
    strength: Share
    soft: Share


class ColourStroke(Stroke):
    """A stroke on a colour map; as ScalarStroke."""

    kind: Literal["set", "add", "smooth"]
    value: Colour
    strength: Share
    soft: Share


def painted(pixels: Pixels, strokes: Sequence[ScalarStroke | ColourStroke]) -> Pixels:
    """A map (H, W) or (H, W, 3) that wraps, with strokes on it, one over the other. Lets the given pixels be."""
    if not strokes:
        return pixels
    height, width = pixels.shape[:2]
    out = pixels.copy()
    for one in strokes:
        found = local(one, (width, height), soft=0.4 * one.soft)
        mask = softened(found, 0.4 * one.soft * found.thin) * np.float32(one.strength)
        at = found.box.on(out.shape)
        here = out[at]
        if out.ndim == 3:
            mask = mask[..., None]
        out[at] = here + mask * (_wanted(here, one, found.thin) - here)
    return out


def _wanted(here: Pixels, one: ScalarStroke | ColourStroke, thin: float) -> Pixels:
    if one.kind == "smooth":
        return blur(np.ascontiguousarray(here), max(0.5 * thin, 0.5), wraps=False)
    value: Any = linear_of_hex(one.value) if isinstance(one.value, str) else np.float32(one.value)
    return np.broadcast_to(value, here.shape) if one.kind == "set" else here + value
