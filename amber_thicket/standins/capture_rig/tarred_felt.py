"""Tarred felt: roofing felt with mineral granules, wrinkled, with tar run over it and rubbed bald in places."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, flat, fractal, mix, per_cell, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def tarred_felt(side: int, seed: int) -> Surface:
    """A square patch, side px wide, 400 mm in reality."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    granules = Cells(shape, 11 * unit, rng, warp=1.5 * unit)
    tone, hue, size = (per_cell(granules, rng) for _ in range(3))
    wave = fractal(shape, rng, slope=1.9, largest=0.22, stretch=(1.4, 0.7))
    wrinkle = np.exp(-((fractal(shape, rng, slope=1.8, largest=0.3, stretch=(1.6, 0.6)) / 0.1) ** 2))
    fine = fractal(shape, rng, slope=0.7, largest=0.006, smallest=0.001)
    bald = smoothstep(1.0, 1.7, fractal(shape, rng, slope=1.3, largest=0.07) + 0.5 * wave)
    run = smoothstep(1.35, 1.55, fractal(shape, rng, slope=1.9, largest=0.3, stretch=(0.7, 1.4)) + 0.12 * wave)
    grain = smoothstep(0, 3.2 * unit, granules.edge) * (0.6 + 0.25 * size).clip(0.1, 1.4) * (1 - 0.85 * bald)
    albedo = mix(flat(shape, (62, 64, 66)), flat(shape, (108, 108, 106)), smoothstep(-1.8, 1.8, tone))
    albedo = mix(albedo, flat(shape, (92, 82, 76)), 0.6 * smoothstep(0.6, 1.8, hue))
    albedo = mix(albedo, flat(shape, (150, 150, 146)), 0.7 * smoothstep(1.7, 2.3, tone - 0.3 * hue))
    gaps = 1 - smoothstep(0, 2.4 * unit, granules.edge)
    albedo = mix(albedo, flat(shape, (34, 33, 33)), np.clip(0.75 * gaps + 0.8 * bald, 0, 1))
    dust = smoothstep(-0.4, 1.6, fractal(shape, rng, slope=1.4, largest=0.18) - 0.6 * wrinkle)
    albedo = mix(albedo, flat(shape, (128, 122, 112)), 0.22 * dust * (1 - run))
    albedo = mix(albedo, flat(shape, (25, 24, 24)) * (1 + 0.15 * wave)[..., None], run)
    height = 6 * wave + 4 * wrinkle + (1 - 0.9 * run) * (3.4 * grain + 0.25 * fine) + run * (2.6 + 0.5 * wave)
    roughness = np.clip(0.86 + 0.03 * fine - 0.15 * bald - 0.55 * run, 0.15, 1)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=400.0)
