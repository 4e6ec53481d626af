"""Cork board: pressed granules with pores, and a few flecks of bark that stand out."""

from __future__ import annotations

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, Field, flat, fractal, mix, per_cell, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def cork_board(side: int, seed: int, *, flecks: int = 7) -> Surface:
    """A square patch, side px wide, 240 mm in reality. flecks: pieces that stand out."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    coarse = Cells(shape, 46 * unit, rng, warp=5 * unit)
    small = Cells(shape, 21 * unit, rng, warp=3 * unit)
    which = smoothstep(-0.15, 0.15, per_cell(coarse, rng) - 0.25)
    edge = np.where(which > 0.5, np.minimum(small.edge, coarse.edge), coarse.edge)
    tone = np.where(which > 0.5, per_cell(small, rng), per_cell(coarse, rng))
    lean_x = np.where(which > 0.5, per_cell(small, rng) * small.off_x, per_cell(coarse, rng) * coarse.off_x * 0.6)
    lean_y = np.where(which > 0.5, per_cell(small, rng) * small.off_y, per_cell(coarse, rng) * coarse.off_y * 0.6)
    seam = np.exp(-((edge / (1.5 * unit)) ** 2))
    pores = smoothstep(1.55, 2.3, fractal(shape, rng, slope=0.8, largest=0.009, smallest=0.0018))
    grain = fractal(shape, rng, slope=0.7, largest=0.012, smallest=0.001)
    voids = smoothstep(2.1, 2.6, fractal(shape, rng, slope=1.2, largest=0.03, smallest=0.004)) * smoothstep(7, 1, edge)
    swell = fractal(shape, rng, slope=2.0, largest=0.3)
    height = (
        4.5 * smoothstep(0, 7 * unit, edge.astype(np.float32))
        + 0.05 * (lean_x + lean_y) / unit
        + 1.2 * tone
        + 1.1 * grain
        + 3 * swell
        - 5 * pores
        - 12 * voids
    )
    albedo = mix(flat(shape, (178, 128, 82)), flat(shape, (205, 160, 110)), smoothstep(-1.6, 1.6, tone))
    albedo = mix(albedo, flat(shape, (140, 92, 56)), smoothstep(1.1, 2.0, -tone) * 0.9)
    albedo *= (1 + 0.06 * grain + 0.03 * swell)[..., None]
    albedo = mix(albedo, flat(shape, (96, 60, 36)), np.clip(0.6 * seam + 0.55 * pores + 0.8 * voids, 0, 1))
    albedo, height = _flecks(albedo, height, rng, unit, flecks)
    roughness = np.clip(0.8 + 0.05 * grain + 0.08 * seam, 0.4, 1)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=240.0)


def _flecks(albedo: Field, height: Field, rng: np.random.Generator, unit: float, count: int) -> tuple[Field, Field]:
    """Large dark bark pieces and one pale one, each with a ragged outline."""
    shape = height.shape
    ragged = fractal(shape, rng, slope=1.3, largest=0.04)
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    for number in range(count):
        centre = rng.uniform(0.1, 0.9, 2) * shape[0]
        long, flatness, angle = rng.uniform(22, 44) * unit, rng.uniform(0.4, 0.8), rng.uniform(0, np.pi)
        u = (x - centre[1]) * np.cos(angle) + (y - centre[0]) * np.sin(angle)
        v = -(x - centre[1]) * np.sin(angle) + (y - centre[0]) * np.cos(angle)
        inside = smoothstep(1.12, 0.92, (np.hypot(u, v / flatness) / long + 0.16 * ragged).astype(np.float32))
        colour = (231, 205, 160) if number == count - 1 else ((58, 36, 24), (74, 45, 28), (47, 33, 27))[number % 3]
        streak = 1 + 0.25 * np.sin(v / (2.4 * unit) + ragged)
        albedo = mix(albedo, flat(shape, colour) * streak[..., None].astype(np.float32), inside)
        height = height + inside * (1.5 + 1.2 * np.sin(v / (2.4 * unit) + ragged))
    return albedo, cv2.GaussianBlur(height.astype(np.float32), (0, 0), 0.5)
