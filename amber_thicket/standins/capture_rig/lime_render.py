"""Shell-lime render: trowelled lime plaster with sand, crushed shell, hair cracks and damp."""

from __future__ import annotations

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, Field, flat, fractal, mix, smoothstep, warped
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def lime_render(side: int, seed: int) -> Surface:
    """A square patch, side px wide, 600 mm in reality."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    trowel = _trowel(shape, rng, unit)
    body = fractal(shape, rng, slope=1.7, largest=0.25)
    sand = fractal(shape, rng, slope=0.6, largest=0.008, smallest=0.0012)
    pits_noise = fractal(shape, rng, slope=1.0, largest=0.02, smallest=0.003)
    pits = smoothstep(2.0, 2.7, pits_noise) * smoothstep(-0.5, 0.8, body)
    cracks = _cracks(shape, rng, unit)
    shell, shell_tone = _shell(shape, rng, unit)
    height = 3.2 * body + 1.1 * trowel + 0.55 * sand - 5 * pits - 2.5 * cracks + 1.3 * shell
    damp = smoothstep(0.2, 1.7, fractal(shape, rng, slope=2.1, largest=0.5))
    tint = fractal(shape, rng, slope=1.5, largest=0.2)
    albedo = mix(flat(shape, (207, 196, 174)), flat(shape, (186, 168, 140)), smoothstep(-1.5, 1.8, tint))
    albedo = mix(albedo, flat(shape, (150, 135, 112)), 0.45 * damp)
    albedo *= (1 + 0.05 * sand + 0.025 * trowel + 0.03 * body)[..., None]
    grains = smoothstep(1.9, 2.5, fractal(shape, rng, slope=0.3, largest=0.006, smallest=0.0016))
    albedo = mix(albedo, flat(shape, (112, 96, 80)), 0.7 * grains)
    albedo = mix(albedo, flat(shape, (233, 226, 212)) * (1 + 0.12 * shell_tone)[..., None], 0.85 * shell)
    albedo = mix(albedo, flat(shape, (104, 90, 73)), np.clip(0.55 * cracks + 0.4 * pits, 0, 1))
    roughness = np.clip(0.86 + 0.04 * sand - 0.25 * damp * 0.4 - 0.12 * shell, 0.3, 1)
    return surface_of(height, albedo, roughness, unit=unit, width_mm=600.0)


def _trowel(shape: tuple[int, int], rng: np.random.Generator, unit: float) -> Field:
    """Sweeps of a trowel: streaked noise bent into arcs, in overlapping patches."""
    streaks = fractal(shape, rng, slope=1.3, largest=0.3, smallest=0.002, stretch=(9.0, 1.0))
    other = fractal(shape, rng, slope=1.3, largest=0.3, smallest=0.002, stretch=(1.6, 5.0))
    bend = fractal(shape, rng, slope=2.4, largest=0.8) * 70 * unit
    patches = smoothstep(-0.3, 0.3, fractal(shape, rng, slope=2.2, largest=0.4))
    return mix(warped(streaks, bend, 1.5 * bend), warped(other, bend, -bend), patches)


def _cracks(shape: tuple[int, int], rng: np.random.Generator, unit: float) -> Field:
    cells = Cells(shape, 520 * unit, rng, warp=26 * unit)
    present = smoothstep(0.3, 1.0, fractal(shape, rng, slope=2.0, largest=0.5))
    return np.exp(-((cells.edge / (1.1 * unit)) ** 2)) * present


def _shell(shape: tuple[int, int], rng: np.random.Generator, unit: float) -> tuple[Field, Field]:
    """Slivers of crushed shell: small, pale, angular."""
    mask = np.zeros(shape, np.float32)
    tone = np.zeros(shape, np.float32)
    for _ in range(900):
        centre = rng.uniform(0, shape[0], 2)
        long, angle = rng.gamma(3.0, 2.1) * unit + 1.0, rng.uniform(0, np.pi)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        corners = rng.uniform(0.6, 1.0, (5, 1)) * np.stack(
            [np.cos(np.arange(5) * 1.2566), rng.uniform(0.25, 0.6) * np.sin(np.arange(5) * 1.2566)], -1
        )
        points = (corners * long) @ turn.T + centre
        cv2.fillPoly(mask, [np.rint(points * 16).astype(np.int32)], 1.0, cv2.LINE_AA, 4)
        cv2.fillPoly(tone, [np.rint(points * 16).astype(np.int32)], float(rng.normal()), cv2.LINE_AA, 4)
    return cv2.GaussianBlur(mask, (0, 0), 0.8), tone
