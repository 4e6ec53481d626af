"""Deck planks: weathered boards with grain, knots, caulked gaps and nail heads; their butts lie in half-bond."""

from __future__ import annotations

import numpy as np

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def deck_planks(side: int, seed: int, *, boards: int = 7) -> Surface:
    """A square patch, side px wide, 900 mm in reality; boards run across the picture."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)
    wide = side / boards
    y = y + 1.2 * unit * fractal(shape, rng, slope=2.2, largest=0.7)
    board = np.clip(np.floor(y / wide).astype(int), 0, boards - 1)
    v = y / wide - board
    length = 0.8 * side
    shifted = x + np.where(board % 2 == 0, 0.2, 0.6).astype(np.float32) * length
    piece = np.floor(shifted / length).astype(int)
    u = shifted / length - piece
    own = rng.normal(size=(4, boards, int(piece.max()) + 2))
    tone, warm, lift, phase = (numbers[board, piece].astype(np.float32) for numbers in own)
    knots, swirl = _knots(x, y, shape, rng, unit, boards)
    grain = _grain(shape, rng, v, phase, swirl)
    silver = fractal(shape, rng, slope=1.4, largest=0.25, stretch=(2.0, 0.4))
    fibre = fractal(shape, rng, slope=0.7, largest=0.02, smallest=0.0012, stretch=(2.2, 0.12))
    crack = smoothstep(2.0, 2.5, fractal(shape, rng, slope=1.1, largest=0.05, stretch=(2.6, 0.1)))
    albedo = mix(flat(shape, (128, 118, 106)), flat(shape, (158, 148, 134)), smoothstep(-1.8, 1.8, tone + 0.5 * silver))
    albedo = mix(albedo, flat(shape, (132, 106, 82)), 0.6 * smoothstep(0.2, 1.8, warm - 0.6 * silver))
    albedo = albedo * (1 + 0.12 * grain + 0.07 * fibre)[..., None]
    albedo = mix(albedo, flat(shape, (78, 58, 44)), 0.8 * knots)
    near = np.minimum(np.minimum(v, 1 - v) * wide, np.minimum(u, 1 - u) * length) / unit
    gap = smoothstep(5.5, 3.0, near)
    nail = _nails(u * length, v * wide, length, wide, unit)
    albedo = mix(albedo, flat(shape, (30, 28, 27)), np.clip(0.9 * gap + 0.7 * crack, 0, 1))
    rusty = smoothstep(26, 4, nail / unit)
    albedo = mix(albedo, flat(shape, (92, 60, 44)), 0.55 * rusty)
    head = smoothstep(6.5, 5.0, nail / unit)
    albedo = mix(albedo, flat(shape, (66, 52, 46)), head)
    height = 3.5 * lift + 2.2 * grain + 1.3 * fibre + 4 * smoothstep(0, 16, near) - 16 * gap - 5 * crack + 2 * knots
    height = height + head * 2.2
    roughness = np.clip(0.72 + 0.04 * fibre + 0.1 * gap - 0.2 * head, 0.3, 1)
    return surface_of(
        height,
        albedo,
        roughness,
        unit=unit,
        width_mm=900.0,
        metallic=0.9 * head * (1 - rusty * 0.9),
    )


def _grain(shape: tuple[int, int], rng: np.random.Generator, v: Field, phase: Field, swirl: Field) -> Field:
    """Growth rings: lines along the board that bend around knots."""
    wander = fractal(shape, rng, slope=2.0, largest=0.8, stretch=(2.6, 0.5))
    rings = (v * 7 + 0.5 * wander + swirl) * (1 + 0.15 * phase) + 3 * phase
    saw = rings - np.floor(rings)
    result: Field = (saw**2 * 2 - 0.7).astype(np.float32)
    return result


def _knots(
    x: Field, y: Field, shape: tuple[int, int], rng: np.random.Generator, unit: float, boards: int
) -> tuple[Field, Field]:
    knots, swirl = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    for _ in range(boards + 2):
        row = rng.integers(0, boards)
        cy = (row + rng.uniform(0.3, 0.7)) * shape[0] / boards
        cx, size = rng.uniform(0, shape[1]), rng.uniform(9, 20) * unit
        away = np.hypot((x - cx) / 1.7, y - cy) / size
        knots = np.maximum(knots, smoothstep(1.15, 0.75, away))
        # Only the board the knot grew in bends round it.
        same = np.abs(y - (row + 0.5) * shape[0] / boards) < 0.5 * shape[0] / boards
        swirl += np.where(same, 3.0 * np.exp(-(away**2) / 10), 0).astype(np.float32)
    return knots, swirl


def _nails(along: Field, across: Field, length: float, wide: float, unit: float) -> Field:
    """Distance to the nearest nail head (px): two at each end of a board."""
    from_end = np.minimum(along, length - along)
    from_side = np.minimum(across, wide - across)
    return np.hypot(from_end - 34 * unit, from_side - 42 * unit).astype(np.float32)
