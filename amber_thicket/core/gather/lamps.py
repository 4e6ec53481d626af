"""Lamps round a surface: bearings run from the picture's right, counter-clockwise, toward the lamp."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.raster import Pixels


def bearings(count: int, *, first: float = 0.0, clockwise: bool = False, gap: int = 0) -> Pixels:
    """Degrees of each lamp of an even ring. gap: one lamp's photograph is missing after this many; 0 for none."""
    slots = np.arange(count) + (np.arange(count) >= gap if gap else 0)
    return (first + (-1 if clockwise else 1) * slots * 360.0 / (count + bool(gap))) % 360.0


def directions_of(degrees: Pixels, elevations: Pixels | float) -> Pixels:
    """(N, 3) unit vectors toward lamps, +X right, +Y up, +Z out."""
    a, e = np.radians(degrees), np.radians(np.broadcast_to(elevations, np.shape(degrees)))
    return np.stack([np.cos(a) * np.cos(e), np.sin(a) * np.cos(e), np.sin(e)], -1)
