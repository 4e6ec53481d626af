"""Surfaces of several materials whose places are known: what tells whether zones, and what is made of them, are right.

Each gives the surface, the kinds of its zones as core/response/kinds.py names them, and the number of the zone at every
pixel, (H, W) int32 from 0.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.piecewise_kinds import crazy_paving
from amber_thicket.standins.capture_rig.plain_kinds import rippled_sand
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


class Zoned(NamedTuple):
    """surface; kinds: of its zones, by number; zones: (H, W) which."""

    surface: Surface
    kinds: tuple[str, ...]
    zones: NDArray[np.int32]


def _recesses(height: Field, reach: float) -> Field:
    """How far places lie in recesses, about −1..1. reach: px."""
    low = height - cv2.GaussianBlur(height, (0, 0), reach)
    return np.asarray(-low / max(2 * float(low.std()), 1e-6), np.float32).clip(-1, 1)


def _cushions(shape: tuple[int, int], rng: np.random.Generator) -> tuple[Field, Field]:
    """(colour, relief 0..1) of moss."""
    tips, fine = fractal(shape, rng, slope=0.7, largest=0.012), fractal(shape, rng, slope=0.6, largest=0.006)
    light = smoothstep(-1.4, 1.8, tips + 0.5 * fine)
    return mix(flat(shape, (52, 70, 26)), flat(shape, (104, 128, 48)), light), (0.6 + 0.3 * tips).clip(0, 1)


def _numbered(masks: tuple[Field, ...]) -> NDArray[np.int32]:
    """0 where no mask is above a half, otherwise the last that is."""
    zones = np.zeros(masks[0].shape, np.int32)
    for number, mask in enumerate(masks, 1):
        zones[mask > 0.5] = number
    return zones


def mossy_cobbles(side: int, seed: int) -> Zoned:
    """Grey stones with moss in their joints and over some of them, 2.4 m wide."""
    paved, numbers = crazy_paving(side, seed)
    rng = np.random.default_rng(seed + 100)
    shape, unit = (side, side), side / 1536
    height = paved.height / unit
    grey = paved.albedo.mean(-1, keepdims=True) * np.array([0.98, 1.0, 1.02], np.float32)
    patch = fractal(shape, rng, slope=1.6, largest=0.3)
    joint = smoothstep(0.5, 0.0, cv2.GaussianBlur((numbers > 0).astype(np.float32), (0, 0), 4 * unit) - 0.4)
    moss = smoothstep(0.4, 0.5, 0.75 * joint + 0.5 * smoothstep(0.2, 1.4, patch))
    green, cushion = _cushions(shape, rng)
    grain = fractal(shape, rng, slope=0.8, largest=0.02)
    stone = 0.62 + 0.1 * _recesses(height, 30 * unit) + 0.03 * grain
    rough = mix(stone, 0.93 + 0.03 * _recesses(cushion, 6 * unit), moss)
    made = surface_of(
        height + moss * (3 + 5 * cushion), mix(grey, green, moss), rough, unit=unit, width_mm=paved.width_mm
    )
    return Zoned(made, ("stone", "moss"), _numbered((moss,)))


def painted_plate(side: int, seed: int) -> Zoned:
    """Cyan paint, orange rust where it flaked off, green moss where water stood; 500 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    patch, small = fractal(shape, rng, slope=1.5, largest=0.3), fractal(shape, rng, slope=1.0, largest=0.03)
    wet = fractal(shape, rng, slope=1.7, largest=0.35)
    rust, moss = smoothstep(0.35, 0.45, patch + 0.14 * small), smoothstep(0.9, 1.05, wet + 0.12 * small)
    paint = flat(shape, (42, 138, 158)) * (1 + 0.05 * fractal(shape, rng, slope=1.8, largest=0.3))[..., None]
    oxide = mix(flat(shape, (122, 60, 26)), flat(shape, (190, 104, 44)), smoothstep(-1.2, 1.2, small))
    green, cushion = _cushions(shape, rng)
    height = 6 * (1 - rust) + rust * (1.8 * small + 1) + 0.3 * small * (1 - rust)
    gloss = 0.3 + 0.05 * patch + 0.06 * _recesses(height, 25 * unit)
    rough = mix(mix(gloss, 0.86 + 0.04 * _recesses(height, 12 * unit), rust), np.full(shape, 0.94, np.float32), moss)
    made = surface_of(
        height + moss * (4 + 8 * cushion), mix(mix(paint, oxide, rust), green, moss), rough, unit=unit, width_mm=500.0
    )
    return Zoned(made, ("paint", "rust", "moss"), _numbered((rust, moss)))


def drain_cover(side: int, seed: int) -> Zoned:
    """A cast cover with raised bars: tops worn to bare iron, the rest dark with dirt and rust; 600 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = (np.mgrid[0:side, 0:side].astype(np.float32) + 0.5) / side * 5
    turned = ((np.floor(x) + np.floor(y)) % 2).astype(np.float32)
    along, across = np.where(turned > 0, x % 1, y % 1), np.where(turned > 0, y % 1, x % 1)
    bar = smoothstep(0.06, 0.1, along) * smoothstep(0.94, 0.9, along) * smoothstep(0.2, 0.14, np.abs(across - 0.5))
    grit, patch = fractal(shape, rng, slope=0.8, largest=0.012), fractal(shape, rng, slope=1.6, largest=0.3)
    height = 22 * bar + 0.8 * grit + 1.5 * patch
    worn = smoothstep(0.72, 0.9, bar + 0.06 * patch + 0.04 * grit)
    rust = smoothstep(0.5, 0.7, patch + 0.15 * grit) * (1 - worn)
    iron = flat(shape, (176, 172, 166)) * (1 + 0.04 * grit)[..., None]
    dirt = mix(flat(shape, (54, 50, 46)), flat(shape, (82, 74, 64)), smoothstep(-1.5, 1.5, grit + patch))
    oxide = mix(flat(shape, (96, 52, 28)), flat(shape, (140, 78, 38)), smoothstep(-1, 1, grit))
    albedo = mix(mix(dirt, oxide, rust), iron, worn)
    rough = mix(mix(0.88 + 0.05 * _recesses(height, 20 * unit), np.full(shape, 0.86, np.float32), rust),
                0.3 + 0.05 * grit, worn)  # fmt: skip
    made = surface_of(height, albedo, rough, unit=unit, width_mm=600.0, metallic=worn)
    return Zoned(made, ("soil", "rust", "iron"), _numbered((rust, worn)))


def sand_alone(side: int, seed: int) -> Zoned:
    """Rippled sand: one material."""
    return Zoned(rippled_sand(side, seed), ("sand",), np.zeros((side, side), np.int32))


ZONED: dict[str, Callable[[int, int], Zoned]] = {
    make.__name__: make for make in (mossy_cobbles, painted_plate, drain_cover, sand_alone)
}
