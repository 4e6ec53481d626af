"""What a made-up surface is."""

from __future__ import annotations

from dataclasses import dataclass

from amber_thicket.standins.bench.noise import Field


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
