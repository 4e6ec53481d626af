"""Tide pebbles: rounded stones of several kinds and sizes, pressed into wet sand."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, Field, flat, fractal, mix, per_cell, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of

_KINDS = ((112, 112, 116), (150, 142, 130), (96, 88, 92), (168, 156, 138), (122, 98, 84), (84, 92, 96), (190, 184, 172))


def tide_pebbles(side: int, seed: int) -> Surface:
    """A square patch, side px wide, 600 mm in reality."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    fine = fractal(shape, rng, slope=0.6, largest=0.006, smallest=0.001)
    ripple = fractal(shape, rng, slope=2.0, largest=0.2)
    height = 3 * ripple + 0.9 * fine
    albedo = mix(flat(shape, (126, 112, 92)), flat(shape, (150, 136, 114)), smoothstep(-1.6, 1.6, fine + 0.6 * ripple))
    roughness = np.full(shape, 0.75, np.float32)
    for spacing, rise, share in ((34.0, 9.0, 0.75), (62.0, 20.0, 0.7), (118.0, 42.0, 0.55)):
        height, albedo, roughness = _laid(height, albedo, roughness, rng, unit, spacing * unit, rise, share, fine)
    return surface_of(height, albedo, np.clip(roughness, 0.2, 1), unit=unit, width_mm=600.0)


def _laid(
    height: Field, albedo: Field, rough: Field, rng: np.random.Generator, unit: float, spacing: float, rise: float,
    share: float, fine: Field,
) -> tuple[Field, Field, Field]:  # fmt: skip
    """A layer of stones of one size over what lies there."""
    shape = height.shape
    cells = Cells(shape, spacing, rng, warp=spacing * 0.02)
    chosen = (rng.random(cells.count) < share)[cells.index]
    angle, flatness = 1.6 * per_cell(cells, rng), 1 + 0.3 * np.abs(per_cell(cells, rng))
    u = cells.off_x * np.cos(angle) + cells.off_y * np.sin(angle)
    v = cells.off_y * np.cos(angle) - cells.off_x * np.sin(angle)
    round_off = 1.5 * (1 - np.hypot(u / flatness, v * flatness) / (0.66 * spacing))
    inner = np.where(chosen, np.minimum(cells.edge / (0.3 * spacing), round_off), 0.0).astype(np.float32)
    dome = np.sqrt(np.clip(1 - (1 - np.clip(inner - 0.1, 0, 1)) ** 2.2, 0, 1))
    lean = (per_cell(cells, rng) * cells.off_x + per_cell(cells, rng) * cells.off_y) / spacing
    top = rise * (dome * (0.75 + 0.12 * per_cell(cells, rng)) + 0.12 * lean * dome - 0.2) + 0.35 * fine
    stone = smoothstep(0.0, 2.0, (top - height) * (inner > 0.1))
    kind = rng.integers(0, len(_KINDS), cells.count)[cells.index]
    colour = flat(shape, _KINDS[0])
    for number, srgb in enumerate(_KINDS[1:], 1):
        colour[kind == number] = flat((1, 1), srgb)[0, 0]
    bands = np.sin((per_cell(cells, rng) * cells.off_x + per_cell(cells, rng) * cells.off_y) / (0.05 * spacing))
    veined = (np.abs(per_cell(cells, rng)) > 1.1) * smoothstep(0.75, 0.98, bands)
    speckle = fractal(shape, rng, slope=0.9, largest=0.012, smallest=0.001)
    colour = colour * (1 + 0.13 * per_cell(cells, rng) + 0.05 * speckle)[..., None]
    colour = mix(colour, flat(shape, (206, 200, 190)), 0.65 * veined)
    roughness = 0.42 + 0.1 * per_cell(cells, rng) + 0.03 * speckle
    return np.maximum(height, height + (top - height) * stone), mix(albedo, colour, stone), mix(rough, roughness, stone)
