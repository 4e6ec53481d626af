"""Harbour grating: a galvanised walkway of crossed bars, worn bright on top, rusted in the corners. Its edges meet."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def harbour_grating(side: int, seed: int, *, across: int = 6) -> Surface:
    """A square patch, side px wide, 360 mm in reality. across: bars in a row."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = (np.mgrid[0:side, 0:side].astype(np.float32) + 0.5) / side * across
    wobble = 0.006 * fractal(shape, rng, slope=2.0, largest=0.3)
    off_x, off_y = np.abs(x - np.floor(x) - 0.5 + wobble), np.abs(y - np.floor(y) - 0.5 - wobble)
    upright = smoothstep(0.17, 0.13, off_x)
    lying = smoothstep(0.12, 0.085, off_y)
    bar = np.maximum(upright, 0.72 * lying)
    teeth = upright * smoothstep(0.25, 0.4, 0.5 + 0.5 * np.cos(2 * np.pi * 4 * y)) * 0.12
    grit = fractal(shape, rng, slope=0.8, largest=0.02, smallest=0.001)
    patch = fractal(shape, rng, slope=1.5, largest=0.25)
    corner = np.exp(-(((off_x - 0.16) / 0.05) ** 2)) * smoothstep(0.3, 0.1, off_y)
    rust = smoothstep(0.35, 1.0, 0.5 * patch + 0.35 * grit + 1.2 * corner) * (0.4 + 0.6 * bar)
    hole = 1 - np.maximum(upright, lying)
    worn = smoothstep(0.6, 0.95, bar) * smoothstep(0.9, -0.2, patch) * (1 - rust)
    zinc = mix(
        flat(shape, (128, 133, 138)), flat(shape, (164, 168, 171)), smoothstep(-1.2, 1.2, 0.7 * patch + 0.5 * grit)
    )
    albedo = mix(zinc, flat(shape, (196, 198, 199)), 0.6 * worn)
    albedo = mix(albedo, mix(flat(shape, (112, 62, 34)), flat(shape, (148, 88, 46)), smoothstep(-1, 1, grit)), rust)
    albedo = mix(albedo, flat(shape, (46, 43, 40)), 0.9 * hole)
    height = 26 * bar + 22 * teeth + 0.5 * grit * (1 - worn) + 1.2 * rust * (1 + 0.6 * grit)
    roughness = np.clip(0.52 + 0.32 * rust + 0.25 * hole - 0.26 * worn + 0.03 * grit, 0.12, 0.96)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=360.0)
