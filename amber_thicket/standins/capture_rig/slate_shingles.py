"""Slate shingles: riven slates in half-bond courses with lichen and chipped tails."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def slate_shingles(side: int, seed: int, *, courses: int = 9, across: int = 6) -> Surface:
    """A square patch, side px wide, 1200 mm in reality, seen straight on."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)
    ragged = fractal(shape, rng, slope=1.2, largest=0.03) * 2.2 * unit
    sag = fractal(shape, rng, slope=2.5, largest=0.6) * 2.5 * unit
    layer = _Layer(x, y + ragged + sag, side, courses, across, rng, unit)
    riven = _riven(shape, layer, rng, unit)
    fine = fractal(shape, rng, slope=0.8, largest=0.01, smallest=0.001)
    # Each slate lies on the one below: thickest at its tail, dropping to the course under it.
    relief = (
        layer.down * 13
        + layer.lift * 2.2
        + riven * 2.4
        + 0.3 * fine
        - 20 * layer.gap
        + layer.tilt * (layer.u - 0.5) * 5
    )
    relief = relief - 3.0 * smoothstep(0.93, 1.0, layer.down)
    albedo = mix(flat(shape, (86, 94, 104)), flat(shape, (118, 124, 128)), smoothstep(-1.6, 1.6, layer.tone))
    albedo = mix(albedo, flat(shape, (94, 84, 96)), 0.5 * smoothstep(0.5, 1.6, layer.hue))
    albedo = mix(albedo, flat(shape, (104, 112, 98)), 0.5 * smoothstep(0.6, 1.7, -layer.hue))
    stain = fractal(shape, rng, slope=1.6, largest=0.15, stretch=(0.6, 1.6))
    albedo *= (1 + 0.10 * riven + 0.05 * fine + 0.10 * stain)[..., None]
    rust = smoothstep(1.5, 2.6, fractal(shape, rng, slope=1.5, largest=0.12) + 0.4 * layer.tone)
    albedo = mix(albedo, flat(shape, (132, 98, 66)), 0.5 * rust)
    albedo, relief = _lichen(albedo, relief, shape, rng, unit)
    albedo = mix(albedo, flat(shape, (34, 33, 32)), 0.75 * layer.gap)
    roughness = np.clip(0.58 + 0.05 * fine - 0.04 * riven + 0.25 * rust, 0.3, 1)
    return surface_of(relief, albedo, roughness, unit=unit, width_mm=1200.0)


class _Layer:
    """Where each pixel lies in its slate: down (0 head … 1 tail), u (0 … 1 across), and the slate's own numbers."""

    def __init__(
        self, x: Field, y: Field, side: int, courses: int, across: int, rng: np.random.Generator, unit: float
    ) -> None:
        rows, columns = courses + 4, across + 4
        course_height, slate_width = side / courses, side / across
        row = np.floor(y / course_height).astype(int)
        self.row_at = np.clip(row + 2, 0, rows - 1)
        shifted = x + np.where(row % 2 == 0, 0.0, slate_width / 2)
        nudged = shifted + _pick(rng.normal(0, 5 * unit, (rows,)), self.row_at)
        column = np.floor(nudged / slate_width).astype(int)
        self.column_at = np.clip(column + 1, 0, columns - 1)
        chips = rng.normal(0, 4.5 * unit, (rows, columns))
        down = (y - row * course_height - chips[self.row_at, self.column_at]) / course_height
        below = down > 1
        self.row_at = np.where(below, np.clip(self.row_at + 1, 0, rows - 1), self.row_at)
        self.down = np.where(below, down - 1, np.maximum(down, 0)).astype(np.float32)
        self.u = (nudged / slate_width - column).astype(np.float32)
        width = rng.uniform(1.2, 3.2, (rows, columns)) * unit
        edge = np.minimum(self.u, 1 - self.u) * slate_width
        self.gap = np.exp(-((edge / width[self.row_at, self.column_at]) ** 2)).astype(np.float32)
        self.tone = self._own(rng.normal(size=(rows, columns)))
        self.hue = self._own(rng.normal(size=(rows, columns)))
        self.lift = self._own(rng.normal(size=(rows, columns)))
        self.tilt = self._own(rng.normal(size=(rows, columns)))

    def _own(self, numbers: np.ndarray) -> Field:
        result: Field = numbers[self.row_at, self.column_at].astype(np.float32)
        return result


def _pick(numbers: np.ndarray, index: np.ndarray) -> Field:
    result: Field = numbers[index].astype(np.float32)
    return result


def _riven(shape: tuple[int, int], layer: _Layer, rng: np.random.Generator, unit: float) -> Field:
    """Split stone: terraces of slow noise, another pattern on every slate."""
    slow = fractal(shape, rng, slope=1.75, largest=0.16, smallest=0.003, stretch=(0.7, 1.5))
    terraces = (slow + 0.9 * layer.tone + 0.5 * layer.hue) * 2.2
    steps = np.floor(terraces) + smoothstep(0.72, 1.0, (terraces - np.floor(terraces)).astype(np.float32))
    result: Field = (0.55 * (steps - steps.mean()) / max(float(steps.std()), 1e-6) + 0.6 * slow).astype(np.float32)
    return result


def _lichen(
    albedo: Field, relief: Field, shape: tuple[int, int], rng: np.random.Generator, unit: float
) -> tuple[Field, Field]:
    """Rosettes of pale and yellow lichen."""
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    ragged = fractal(shape, rng, slope=1.1, largest=0.05)
    speckle = fractal(shape, rng, slope=0.6, largest=0.008, smallest=0.0012)
    for number in range(26):
        cy, cx = rng.uniform(0, shape[0], 2)
        radius = rng.gamma(3.0, 9.0) * unit + 5 * unit
        box = np.s_[
            max(0, int(cy - 2 * radius)) : int(cy + 2 * radius) + 1,
            max(0, int(cx - 2 * radius)) : int(cx + 2 * radius) + 1,
        ]
        if albedo[box].size == 0:
            continue
        distance = np.hypot(x[box] - cx, y[box] - cy) / radius + 0.22 * ragged[box]
        body = smoothstep(1.0, 0.85, distance) * smoothstep(-1.3, 0.2, speckle[box] + 1.1 * distance)
        colour = ((176, 172, 140), (168, 150, 82), (190, 190, 172))[number % 3]
        tinted = flat(distance.shape, colour) * (1 + 0.12 * speckle[box])[..., None]
        albedo[box] = mix(albedo[box], tinted, 0.8 * body)
        relief[box] += body * (0.9 + 0.5 * speckle[box])
    return albedo, relief
