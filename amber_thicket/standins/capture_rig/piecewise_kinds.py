"""Surfaces laid of pieces whose places are known: what tells whether a join cuts one.

Each gives the surface and the number of the piece at every pixel, (H, W) int32, 0 where joint material shows.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, neighbours, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of

Numbers = NDArray[np.int32]


def _polished(
    inside: Field, number: Numbers, rng: np.random.Generator, *, colours: tuple[tuple[int, int, int], ...], unit: float
) -> tuple[Field, Field, Field]:
    """(albedo, height, grain) of stones. inside: px from the edge of each; number: whose pixel it is."""
    shape = inside.shape
    grain = fractal(shape, rng, slope=0.8, largest=0.02)
    count = int(number.max()) + 1
    pick, tone, lift = rng.integers(0, len(colours), count), rng.standard_normal(count), rng.standard_normal(count)
    lean = rng.standard_normal((2, count)) * 0.02
    palette = np.stack([flat((1, 1), colour)[0, 0] for colour in colours])
    albedo = palette[pick[number]] * (1 + 0.09 * tone[number] + 0.1 * grain)[..., None]
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]] / unit
    area = np.maximum(np.bincount(number.ravel()), 1)
    middle = [np.bincount(number.ravel(), field.ravel()) / area for field in (x, y)]
    height = 12 + 2 * lift[number]
    height += lean[0][number] * (x - middle[0][number]) + lean[1][number] * (y - middle[1][number])
    round_off = smoothstep(0, 14 * unit, inside)
    return albedo.astype(np.float32), (height * round_off + 1.2 * grain).astype(np.float32), grain


def _mortared(
    inside: Field, number: Numbers, rng: np.random.Generator, colours: tuple[tuple[int, int, int], ...],
    mortar: tuple[int, int, int], side: int, width_mm: float,
) -> tuple[Surface, Numbers]:  # fmt: skip
    """Stones in mortar. inside: px from each stone's edge, below 0 in mortar."""
    unit = side / 1536
    albedo, height, grain = _polished(inside.clip(0), number, rng, colours=colours, unit=unit)
    body = smoothstep(-1.5 * unit, 1.5 * unit, inside + 1.2 * unit * grain)
    bed = flat(inside.shape, mortar) * (1 + 0.12 * fractal(inside.shape, rng, slope=0.6, largest=0.01))[..., None]
    surface = surface_of(height * body, mix(bed, albedo, body), 0.85 - 0.05 * grain, unit=unit, width_mm=width_mm)
    return surface, np.where(inside > 0, number + 1, 0).astype(np.int32)


def _cells(side: int, points: NDArray[np.float64], stretch: float, wave: Field) -> tuple[Numbers, Field]:
    """Whose point is nearest, and px to the border with the next one. points: (n, 2) as (y, x) in px; stretch: how much
    wider than high cells are; wave: (2, H, W) px by which places are moved."""
    y, x = np.mgrid[0:side, 0:side].astype(np.float64)
    at = np.stack([(y + wave[0]) * stretch, x + wave[1]], -1).reshape(-1, 2)
    scaled = points * np.array([stretch, 1.0])
    away, near = neighbours(scaled).query(at, k=2, workers=2)
    between = np.maximum(np.linalg.norm(scaled[near[:, 0]] - scaled[near[:, 1]], axis=1), 1e-6)
    # To the line half-way between two points.
    border = (away[:, 1] ** 2 - away[:, 0] ** 2) / (2 * between) / stretch**0.5
    return near[:, 0].reshape(side, side).astype(np.int32), border.reshape(side, side).astype(np.float32)


def _spread_points(side: int, apart: float, rng: np.random.Generator) -> NDArray[np.float64]:
    """Points no nearer to each other than that, (n, 2), a little beyond the edges as well."""
    points: list[NDArray[np.float64]] = []
    for _ in range(6000):
        point = rng.uniform(-apart, side + apart, 2)
        if all(np.hypot(*(point - other)) > apart for other in points):
            points.append(point)
    return np.array(points)


def crazy_paving(side: int, seed: int) -> tuple[Surface, Numbers]:
    """Broken slabs laid any way round with wide joints, 2.4 m wide."""
    rng = np.random.default_rng(seed)
    unit = side / 1536
    wave = np.stack([fractal((side, side), rng, slope=1.8, largest=0.1) for _ in range(2)]) * 5 * unit
    number, border = _cells(side, _spread_points(side, 0.105 * side, rng), 1.0, wave)
    colours = ((150, 120, 92), (136, 128, 118), (168, 142, 110), (122, 100, 84))
    return _mortared(border - 8 * unit, number, rng, colours, (86, 80, 72), side, 2400.0)


def rubble_wall(side: int, seed: int) -> tuple[Surface, Numbers]:
    """Field stones wider than high in lime mortar, 2 m wide."""
    rng = np.random.default_rng(seed)
    unit = side / 1536
    wave = np.stack([fractal((side, side), rng, slope=1.6, largest=0.08) for _ in range(2)]) * 8 * unit
    points = _spread_points(side, 0.082 * side, rng)
    points[:, 0] = points[:, 0] / 1.7
    more = points + np.array([side / 1.7, 0.03 * side])
    number, border = _cells(side, np.concatenate([points, more[more[:, 0] > points[:, 0].max()]]), 1.7, wave)
    colours = ((112, 104, 96), (136, 122, 104), (96, 92, 92), (150, 138, 122), (118, 96, 80))
    return _mortared(border - 6 * unit, number, rng, colours, (190, 180, 164), side, 2000.0)


def uneven_slates(side: int, seed: int) -> tuple[Surface, Numbers]:
    """Roof slates in courses of one height and of unequal widths, 2.4 m wide."""
    rng = np.random.default_rng(seed)
    unit = side / 1536
    course = side / 13.0
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)
    wave = fractal((side, side), rng, slope=2.0, largest=0.1) * 1.5 * unit
    row = np.floor((y + wave) / course).astype(int)
    number, left, right = np.zeros((side, side), np.int32), np.zeros((side, side)), np.zeros((side, side))
    count = 0
    for one in range(int(row.min()), int(row.max()) + 1):
        edges = np.cumsum(rng.uniform(0.75, 1.6, 40) * course) - rng.uniform(1, 3) * course
        at = np.searchsorted(edges, x[row == one] + wave[row == one])
        number[row == one] = count + at
        left[row == one] = x[row == one] + wave[row == one] - edges[np.maximum(at - 1, 0)]
        right[row == one] = edges[np.minimum(at, 39)] - x[row == one] - wave[row == one]
        count += 41
    down = (y + wave) - row * course
    inside = np.minimum(np.minimum(left, right), np.minimum(down, course - down)).astype(np.float32) - 2.2 * unit
    grain = fractal((side, side), rng, slope=1.0, largest=0.03)
    tone, pick = rng.standard_normal(count + 41), rng.integers(0, 3, count + 41)
    palette = np.stack([flat((1, 1), c)[0, 0] for c in ((74, 80, 92), (88, 90, 96), (66, 70, 78))])
    albedo = palette[pick[number]] * (1 + 0.12 * tone[number] + 0.08 * grain)[..., None]
    # Each lies on the one below: high at its lower edge, a dark line beneath it.
    body = smoothstep(-1.5 * unit, 1.5 * unit, inside)
    height = body * (8 + 14 * down / course + 1.5 * tone[number]) + 0.7 * grain
    albedo = mix(flat((side, side), (30, 31, 34)), albedo.astype(np.float32), body)
    surface = surface_of(height, albedo, 0.6 - 0.05 * grain, unit=unit, width_mm=2400.0)
    return surface, np.where(inside > 0, number + 1, 0).astype(np.int32)


def fallen_leaves(side: int, seed: int) -> tuple[Surface, Numbers]:
    """Leaves lying over each other on dark soil, 900 mm wide."""
    rng = np.random.default_rng(seed)
    unit = side / 1536
    soil = fractal((side, side), rng, slope=0.9, largest=0.03)
    albedo = flat((side, side), (52, 42, 34)) * (1 + 0.2 * soil)[..., None]
    height, number = 3 * soil, np.zeros((side, side), np.int32)
    colours = ((176, 112, 40), (140, 72, 34), (196, 156, 64), (120, 96, 48), (158, 58, 36))
    for leaf in range(1, 240):
        size = rng.uniform(0.05, 0.085) * side
        cy, cx, turn = rng.uniform(0, side), rng.uniform(0, side), rng.uniform(0, 2 * np.pi)
        reach = int(1.2 * size) + 2
        top, low = max(int(cy) - reach, 0), min(int(cy) + reach, side)
        start, end = max(int(cx) - reach, 0), min(int(cx) + reach, side)
        yy, xx = np.mgrid[top:low, start:end].astype(np.float32)
        u = ((xx - cx) * np.cos(turn) + (yy - cy) * np.sin(turn)) / size
        v = (-(xx - cx) * np.sin(turn) + (yy - cy) * np.cos(turn)) / size
        half = 0.55 * np.clip(1 - u * u, 0, 1) ** 0.9 * (1 - 0.25 * u) + 0.02 * np.sin(14 * u)
        away = (half - np.abs(v)) * size
        body = smoothstep(-1.5 * unit, 1.5 * unit, np.where(np.abs(u) < 1, away, -9.0).astype(np.float32))
        vein = np.exp(-((v / 0.03) ** 2)) + 0.5 * np.exp(-(((((np.abs(v) - 0.7 * u) * 6) % 1 - 0.5) / 0.12) ** 2))
        colour = flat((1, 1), colours[rng.integers(len(colours))])[0, 0] * (1 + 0.15 * rng.standard_normal())
        tone = (1 + 0.18 * vein - 0.25 * np.exp(-away.clip(0) / (9 * unit)))[..., None]
        part = np.s_[top:low, start:end]
        albedo[part] = mix(albedo[part], (colour * tone).astype(np.float32), body)
        height[part] = height[part] * (1 - body) + body * (6 + 0.12 * leaf + 3 * vein + 5 * (1 - v * v * 4))
        number[part] = np.where(body > 0.5, leaf, number[part])
    surface = surface_of(height, albedo, 0.7 + 0.05 * soil, unit=unit, width_mm=900.0)
    return surface, cv2.medianBlur(number.astype(np.uint8), 3).astype(np.int32)


PIECEWISE: dict[str, Callable[[int, int], tuple[Surface, Numbers]]] = {
    make.__name__: make for make in (rubble_wall, crazy_paving, uneven_slates, fallen_leaves)
}
