"""Verdigris copper: an old roof sheet, bare metal where it was rubbed, crusted green where rain stood and ran."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def verdigris_copper(side: int, seed: int) -> Surface:
    """A square patch, side px wide, 500 mm in reality."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    dents = fractal(shape, rng, slope=2.6, largest=0.35)
    patch = fractal(shape, rng, slope=1.5, largest=0.28)
    runs = fractal(shape, rng, slope=1.3, largest=0.2, stretch=(0.5, 2.4))
    fine = fractal(shape, rng, slope=0.7, largest=0.008, smallest=0.001)
    grit = fractal(shape, rng, slope=0.9, largest=0.02, smallest=0.0015)
    growth = 0.8 * patch + 0.45 * runs - 0.25 * dents + 0.22 * grit
    crust = smoothstep(0.05, 0.55, growth)
    stain = smoothstep(-0.7, 0.15, growth) * (1 - crust)
    scratch = _scratches(shape, rng, unit)
    copper = mix(flat(shape, (198, 134, 104)), flat(shape, (142, 88, 66)), smoothstep(-1.2, 1.4, patch + 0.4 * grit))
    copper = mix(copper, flat(shape, (84, 56, 46)), 0.75 * stain)
    copper = mix(copper, flat(shape, (232, 172, 142)), 0.8 * scratch * (1 - stain))
    green = mix(flat(shape, (92, 148, 128)), flat(shape, (132, 182, 158)), smoothstep(-1.3, 1.3, grit + 0.6 * runs))
    green = mix(green, flat(shape, (58, 104, 100)), 0.7 * smoothstep(0.3, 1.8, -grit + 0.5 * patch))
    green *= (1 + 0.06 * fine)[..., None]
    albedo = mix(copper, green, crust)
    bare = (1 - crust) * (1 - 0.65 * stain)
    height = 7 * dents + crust * (2.2 + 1.3 * grit + 0.7 * fine) + 0.35 * stain * grit - 0.8 * scratch * (1 - crust)
    roughness = np.clip(0.3 + 0.2 * stain + 0.55 * crust + 0.03 * fine - 0.05 * scratch, 0.1, 1)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=500.0, metallic=smoothstep(0.25, 0.6, bare))


def _scratches(shape: tuple[int, int], rng: np.random.Generator, unit: float, count: int = 70) -> Field:
    """Thin straight scores, 1 in their middle."""
    rows, columns = shape
    found = np.zeros(shape, np.float32)
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    for _ in range(count):
        cx, cy = rng.uniform(0, columns), rng.uniform(0, rows)
        half, angle, width = rng.gamma(2, 45) * unit, rng.normal(0.5, 0.5), rng.uniform(0.5, 1.3) * unit
        reach = half + 4
        box = np.s_[
            max(0, int(cy - reach)) : int(cy + reach) + 1,
            max(0, int(cx - reach)) : int(cx + reach) + 1,
        ]
        u = (x[box] - cx) * np.cos(angle) + (y[box] - cy) * np.sin(angle)
        v = (y[box] - cy) * np.cos(angle) - (x[box] - cx) * np.sin(angle)
        score = np.exp(-((v / width) ** 2)) * smoothstep(half, 0.6 * half, np.abs(u))
        np.maximum(found[box], score, out=found[box])
    return found
