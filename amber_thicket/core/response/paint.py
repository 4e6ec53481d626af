"""Strokes that paint a value on a map of the tile, round its edges too; kept as data, drawn anew at every size."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, cast

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.response.zones import linear_of
from amber_thicket.core.strokes import MOST, Stroke, is_number, listed, local, softened, stroke_of

Kind = Literal["set", "add", "smooth"]
KINDS: tuple[Kind, ...] = ("set", "add", "smooth")


@dataclass(frozen=True)
class Painted:
    """value: of a scalar map, or "#rrggbb". strength, soft: 0..1."""

    kind: Kind
    value: float | str
    strength: float
    soft: float
    stroke: Stroke


def read(text: str, *, colour: bool) -> tuple[Painted, ...]:
    """Strokes from a JSON list of [kind, value, strength, soft, radius, x, y, …]. Raises ValueError in words."""
    return tuple(_painted(row, colour) for row in listed(text, MOST, "strokes"))


def _painted(row: Any, colour: bool) -> Painted:
    if not isinstance(row, list) or len(row) < 7 or row[0] not in KINDS:
        raise ValueError(f"each stroke begins with one of {', '.join(KINDS)}, then value, strength and softness")
    kind, value, strength, soft = row[:4]
    if colour:
        if not isinstance(value, str):
            raise ValueError("the value of a colour map is written #rrggbb")
        linear_of(value)
    elif not is_number(value) or not -1 <= value <= 1:
        raise ValueError("a value lies from −1 to 1")
    if not (is_number(strength) and 0 <= strength <= 1 and is_number(soft) and 0 <= soft <= 1):
        raise ValueError("strength and softness lie from 0 to 1")
    return Painted(cast(Kind, kind), value, float(strength), float(soft), stroke_of(row[4:]))


def painted(pixels: Pixels, strokes: tuple[Painted, ...]) -> Pixels:
    """A map (H, W) or (H, W, 3) that wraps, with strokes on it, one over the other. Lets the given pixels be."""
    if not strokes:
        return pixels
    height, width = pixels.shape[:2]
    out = pixels.copy()
    for one in strokes:
        found = local(one.stroke, (width, height), soft=0.4 * one.soft)
        mask = softened(found, 0.4 * one.soft * found.thin) * np.float32(one.strength)
        at = found.box.on(out.shape)
        here = out[at]
        if out.ndim == 3:
            mask = mask[..., None]
        out[at] = here + mask * (_wanted(here, one, found.thin) - here)
    return out


def _wanted(here: Pixels, one: Painted, thin: float) -> Pixels:
    if one.kind == "smooth":
        return blur(np.ascontiguousarray(here), max(0.5 * thin, 0.5), wraps=False)
    value = linear_of(one.value) if isinstance(one.value, str) else np.float32(one.value)
    return np.broadcast_to(value, here.shape) if one.kind == "set" else here + value
