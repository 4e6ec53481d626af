"""What the numbers of a normal map say about how it was stored: encoding, channels, direction of green."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from amber_thicket.core.numeric.vectors import undo_srgb_encoding, vectors_of
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.convention import UNSURE, curl_match

Stored = Literal["linear", "srgb", "decoded"]
# Where flat lies in a file that holds numbers, one that was coded as sRGB, and one that was decoded once.
_FLAT: dict[Stored, float] = {"linear": 0.5, "srgb": 0.7354, "decoded": 0.2140}
_APART, _UNIT, _MISSING = 0.2, 0.12, 0.02
_CLEAN, _FAR_LESS = 0.05, 0.25


@dataclass(frozen=True)
class Reading:
    """How a normal map was stored. two: its third channel is missing. swapped: red and green. y: which way green
    points, after that is put right. told: whether swapped could be told. sure: 0..1 for swapped and y. unit: share of
    unit vectors once it is put right.
    tilt: how far the mean leans, 0..1."""

    stored: Stored
    two: bool
    swapped: bool
    y: Literal["plus", "minus", "unknown"]
    sure: float
    unit: float
    tilt: float
    told: bool


def vectors_as(values: Pixels, found: Reading) -> Pixels:
    """Unit normals, Y+, of stored numbers (H, W, 3) that were read."""
    y = "minus" if found.y == "minus" else "plus"
    return vectors_of(values, stored=found.stored, two=found.two, swapped=found.swapped, y=y)


def normal_reading(values: Pixels) -> Reading:
    """values: (H, W, 3) stored numbers in [0, 1], rows downwards.

    A surface has no curl: the change of its slope to the right toward the top equals that of its slope to the top
    toward the right. Of the arrangements of red and green the right one makes them alike; a Y− map makes them
    opposite. Source: integrability, Frankot & Chellappa, IEEE TPAMI 10(4), 1988; the statistic is ours.
    """
    flat = float(np.median(values[..., :2]))
    stored: Stored = min(_FLAT, key=lambda name: abs(_FLAT[name] - flat))
    blue = values[..., 2]
    two = float(np.percentile(blue, 99) - np.percentile(blue, 1)) < _MISSING and not 0.85 < float(blue.mean()) < 0.999
    if stored != "linear" and not two and _unit_share(values, stored) < _unit_share(values, "linear") + 0.1:
        stored = "linear"
    vectors = vectors_of(values, stored=stored, two=two)
    plain, other = curl_match(vectors), curl_match(vectors[..., [1, 0, 2]])
    # A pattern of lozenges nearly fits either way; the right one then leaves far less curl.
    least, most = (1 - abs(other), 1 - abs(plain))
    swapped = abs(other) > abs(plain) + _APART or (least < _CLEAN and least < _FAR_LESS * most)
    told = max(least, most) > _CLEAN
    best = other if swapped else plain
    y: Literal["plus", "minus", "unknown"] = "unknown" if abs(best) < UNSURE else "plus" if best > 0 else "minus"
    mean = vectors.mean(axis=(0, 1))
    tilt = float(np.hypot(mean[0], mean[1]) / max(float(np.linalg.norm(mean)), 1e-6))
    return Reading(stored, two, swapped, y, round(min(1.0, abs(best)), 3), _unit_share(values, stored, two), tilt, told)


def _unit_share(values: Pixels, stored: Stored, two: bool = False) -> float:
    """Share of vectors whose length is about 1 before it is made so."""
    if two:
        return 1.0
    raw = undo_srgb_encoding(values, stored) * np.float32(2) - np.float32(1)
    length = np.sqrt(np.einsum("ijk,ijk->ij", raw, raw))
    return float(np.mean(np.abs(length - 1) < _UNIT))
