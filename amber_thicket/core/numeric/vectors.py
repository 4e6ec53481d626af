"""Normals as unit vectors, and as the numbers files hold."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.colour import linear_to_srgb, srgb_to_linear
from amber_thicket.core.raster import Pixels


def undo_srgb_encoding(values: Pixels, stored: str) -> Pixels:
    """Stored numbers in [0, 1] as they were before they were coded as sRGB ("srgb") or decoded from it ("decoded")."""
    if stored == "srgb":
        return srgb_to_linear(values).astype(np.float32)
    return linear_to_srgb(values).astype(np.float32) if stored == "decoded" else values


def vectors_of(
    values: Pixels,
    *,
    stored: str = "linear",
    two: bool = False,
    swapped: bool = False,
    inverted: bool = False,
    y: str = "plus",
) -> Pixels:
    """Unit normals, Y+, of the stored numbers (H, W, 3) in [0, 1] of a normal map with known faults."""
    vectors = undo_srgb_encoding(values, stored) * np.float32(2) - np.float32(1)
    if two:
        vectors[..., 2] = np.sqrt(np.maximum(1 - vectors[..., 0] ** 2 - vectors[..., 1] ** 2, 1e-4))
    if swapped:
        vectors = np.ascontiguousarray(vectors[..., [1, 0, 2]])
    if inverted:
        vectors[..., :2] *= -1
    if y == "minus":
        vectors[..., 1] *= -1
    return unit(vectors)


def unit(vectors: Pixels) -> Pixels:
    """Vectors (H, W, 3) of length 1; where there is none, straight out."""
    length = np.sqrt(np.einsum("ijk,ijk->ij", vectors, vectors))[..., None]
    out = np.divide(vectors, length, where=length > 1e-6, out=np.zeros_like(vectors))
    out[..., 2] += (length[..., 0] <= 1e-6).astype(np.float32)
    result: Pixels = out
    return result
