"""Embossed hide: a leather offcut with pebbled grain, creases, and a pressed pattern of twisted cord."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, flat, fractal, mix, per_cell, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def embossed_hide(side: int, seed: int, *, across: int = 5) -> Surface:
    """A square patch, side px wide, 180 mm in reality. across: pressed lozenges in a row."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    grain = Cells(shape, 24 * unit, rng, warp=4 * unit)
    small = Cells(shape, 11 * unit, rng, warp=2 * unit)
    dome = smoothstep(0, 8 * unit, grain.edge) + 0.35 * smoothstep(0, 4 * unit, small.edge)
    swell = fractal(shape, rng, slope=2.2, largest=0.3)
    crease = np.exp(-((fractal(shape, rng, slope=1.7, largest=0.3) / 0.035) ** 2))
    pore = fractal(shape, rng, slope=0.8, largest=0.006, smallest=0.001)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side * across
    x, y = (p + 0.012 * fractal(shape, rng, slope=2.0, largest=0.4) for p in (x, y))
    along, over = x + y, x - y
    cord = np.zeros(shape, np.float32)
    strand = np.zeros(shape, np.float32)
    for run, side_way in ((along, over), (over, along)):
        off = np.abs(run - np.round(run)) / 0.085
        body = np.sqrt(np.clip(1 - off**2, 0, 1))
        twist = 0.5 + 0.5 * np.cos(2 * np.pi * (side_way * 9 + 1.6 * off * np.sign(run - np.round(run))))
        higher = body > cord
        strand = np.where(higher, twist * body, strand)
        cord = np.maximum(cord, body)
    pressed = smoothstep(0.0, 0.25, cord)
    height = 2.0 * dome * (1 - 0.75 * pressed) + 3 * swell - 2.2 * crease + 0.3 * pore
    height = height - 7 * smoothstep(1.0, 0.0, np.abs(cord - 0.03) * 12) + pressed * (5 * cord + 3.2 * strand)
    tone = per_cell(grain, rng)
    albedo = mix(flat(shape, (104, 68, 46)), flat(shape, (134, 92, 64)), smoothstep(-2, 2, tone + 0.8 * swell))
    albedo = mix(albedo, flat(shape, (74, 42, 26)), np.clip(0.55 * (1 - smoothstep(0, 5 * unit, grain.edge)), 0, 1))
    rub = smoothstep(0.55, 1.0, cord * (0.6 + 0.4 * strand)) + 0.5 * smoothstep(0.9, 2.0, swell)
    albedo = mix(albedo, flat(shape, (164, 122, 90)), 0.5 * np.clip(rub, 0, 1))
    albedo = mix(albedo, flat(shape, (58, 34, 22)), 0.35 * crease)
    albedo *= (1 + 0.04 * pore)[..., None]
    roughness = np.clip(0.5 + 0.06 * pore + 0.12 * crease - 0.14 * np.clip(rub, 0, 1), 0.2, 1)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=180.0)
