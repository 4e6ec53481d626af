"""Photographs of one view: whether they are, how they differ in light, and which of them stands out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Correlation of the places where tone changes, from which two photographs are of one view; a few px aside at most.
_SAME_VIEW, _SHIFT = 0.3, 6
# A photograph lit from all sides differs from the mean of the others by less than this share of what they do.
_EVENLY_LIT = 0.62


def of_one_view(fields: Sequence[Pixels]) -> bool:
    """Whether photographs show one view: each against the mean of the others, since lamps from opposite sides light
    opposite edges. fields: as changes_of() gives them, of one size."""
    whole = np.sum(fields, axis=0)
    return all(alike(np.ascontiguousarray((whole - one) / (len(fields) - 1)), one) >= _SAME_VIEW for one in fields)


class Compared(NamedTuple):
    """stops: how much lighter the second is, log2. spread: how much that differs from place to place at one tone,
    stops."""

    stops: float
    spread: float


def compare(one: Pixels, other: Pixels) -> Compared:
    """How two photographs of one view differ in light. Both (h, w, 3) linear, of one size."""
    tones = [blur(luminance(np.ascontiguousarray(pixels)), 3.0, wraps=False) for pixels in (one, other)]
    told = (tones[0] > 0.004) & (tones[0] < 0.85) & (tones[1] > 0.004) & (tones[1] < 0.85)
    if told.sum() < 400:
        return Compared(0.0, np.inf)
    a, b = (np.log2(tone[told]) for tone in tones)
    order = np.argsort(a)
    ratios = (b - a)[order]
    spreads = [1.48 * np.median(np.abs(part - np.median(part))) for part in np.array_split(ratios, 16)]
    return Compared(float(np.median(ratios)), float(np.median(spreads)))


def changes_of(pixels: Pixels) -> Pixels:
    """(h, w) where tone changes, evened over the picture. pixels: (h, w, 3) linear."""
    tone = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), 2e-3)).astype(np.float32)
    slope = np.hypot(*np.gradient(blur(tone, 1.2, wraps=False))).astype(np.float32)
    usual = blur(slope, max(slope.shape) / 30, wraps=False, fast=True)
    result: Pixels = np.minimum(slope / (usual + 2e-3), 3.0).astype(np.float32)
    return result


def alike(one: Pixels, other: Pixels) -> float:
    """Correlation of two fields of changes_of(), a few px aside at most."""
    if one.shape != other.shape:
        return 0.0
    middle = np.ascontiguousarray(other[_SHIFT:-_SHIFT, _SHIFT:-_SHIFT])
    return float(cv2.matchTemplate(one, middle, cv2.TM_CCOEFF_NORMED).max()) if middle.std() > 1e-4 else 0.0


def evenly_lit(photographs: Sequence[Pixels]) -> int | None:
    """The photograph of a light set that is lit from all sides, by its shading: it looks like the mean of the others.

    None where none, or more than one, stands out. photographs: (h, w, 3) linear.
    """
    if len(photographs) < 4 or len({one.shape for one in photographs}) > 1:
        return None
    logs = []
    for pixels in photographs:
        tone = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), 4e-3)).astype(np.float32)
        logs.append(tone - blur(tone, 24.0, wraps=False, fast=True))
    every = np.stack(logs)
    whole = every.sum(0)
    off = [float(np.std(one - (whole - one) / (len(every) - 1))) for one in every]
    order = np.argsort(off)
    return int(order[0]) if off[order[0]] < _EVENLY_LIT * off[order[1]] else None


def upside_down(photographs: Sequence[Pixels]) -> int | None:
    """The photograph of one view that fits the others only when it is turned by half; None where there is none.

    photographs: (h, w, 3) linear.
    """
    if len(photographs) < 3 or len({one.shape for one in photographs}) > 1:
        return None
    fields = np.stack([changes_of(pixels) for pixels in photographs])
    whole = fields.sum(0)
    for number, one in enumerate(fields):
        others = np.ascontiguousarray((whole - one) / (len(fields) - 1))
        if alike(np.ascontiguousarray(one[::-1, ::-1]), others) > max(_SAME_VIEW, 1.6 * alike(one, others)):
            return number
    return None
