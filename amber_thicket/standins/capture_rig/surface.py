"""What a made-up surface is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amber_thicket.standins.capture_rig.noise import Field


@dataclass(frozen=True)
class Surface:
    """True maps of a made-up surface.

    height: (H, W) px above the lowest point. albedo: (H, W, 3) linear. roughness, metallic: (H, W) 0..1.
    width_mm: its real width.
    """

    height: Field
    albedo: Field
    roughness: Field
    metallic: Field
    width_mm: float


def surface_of(
    height: Field, albedo: Field, roughness: Field, *, unit: float, width_mm: float, metallic: Field | None = None
) -> Surface:
    """A surface from fields of any precision. height: in px of a side of 1536, from any level; unit: px per such px."""
    return Surface(
        (unit * (height - height.min())).astype(np.float32),
        albedo.clip(0.008, 0.95).astype(np.float32),
        roughness.clip(0, 1).astype(np.float32),
        np.zeros(height.shape, np.float32) if metallic is None else metallic.astype(np.float32),
        width_mm,
    )
