"""More surfaces, plainer than those of the demo: what the text-to-image stand-in draws from."""

from __future__ import annotations

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.noise import Cells, Field, flat, fractal, mix, per_cell, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def brick_wall(side: int, seed: int) -> Surface:
    """Bricks in running bond, 900 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    wave = fractal(shape, rng, slope=1.9, largest=0.15)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side
    row = np.floor((y + 0.002 * wave) * 12)
    u, v = (x + 0.002 * wave) * 4 + 0.5 * (row % 2), (y + 0.002 * wave) * 12
    column = np.floor(u)
    away = np.minimum(np.minimum(u % 1, 1 - u % 1) / 4, np.minimum(v % 1, 1 - v % 1) / 12) * side
    body = smoothstep(5 * unit, 11 * unit, away + 1.5 * unit * fractal(shape, rng, slope=1.2, largest=0.02))
    number = (row * 31 + column % 4 * 7).astype(int) % 97
    tone, lift = (rng.standard_normal(97).astype(np.float32)[number] for _ in range(2))
    grain = fractal(shape, rng, slope=0.9, largest=0.012)
    albedo = mix(flat(shape, (138, 74, 56)), flat(shape, (176, 108, 78)), smoothstep(-1.5, 1.5, tone + 0.4 * wave))
    albedo = mix(albedo, flat(shape, (78, 52, 48)), smoothstep(1.3, 2.0, tone))
    albedo = mix(flat(shape, (168, 160, 146)), albedo * (1 + 0.08 * grain)[..., None], body)
    return surface_of(
        body * (13 + 1.5 * lift + 0.9 * grain) + 0.8 * grain + wave, albedo, 0.88 - 0.04 * grain, unit=unit,
        width_mm=900.0,
    )  # fmt: skip


def rippled_sand(side: int, seed: int) -> Surface:
    """Tide-rippled sand, 700 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side
    bend = fractal(shape, rng, slope=2.4, largest=0.5)
    phase = 2 * np.pi * (9 * y + 0.16 * bend + 0.12 * np.sin(2 * np.pi * x))
    ripple = np.sin(phase) + 0.25 * np.sin(2 * phase + 0.8)
    grain = fractal(shape, rng, slope=0.4, largest=0.005)
    light = smoothstep(-1.2, 1.2, ripple + 0.3 * grain)
    albedo = mix(flat(shape, (168, 146, 112)), flat(shape, (204, 186, 152)), light)
    shells = smoothstep(2.6, 3.0, fractal(shape, rng, slope=0.7, largest=0.01))
    albedo = mix(albedo * (1 + 0.06 * grain)[..., None], flat(shape, (232, 226, 216)), shells)
    return surface_of(16 * ripple + 0.9 * grain + 3 * shells, albedo, 0.9 - 0.03 * grain, unit=unit, width_mm=700.0)


def cushion_moss(side: int, seed: int) -> Surface:
    """Moss in cushions, 250 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    cushions = Cells(shape, 150 * unit, rng, warp=30 * unit)
    dome = smoothstep(0, 70 * unit, cushions.edge)
    tips = Cells(shape, 13 * unit, rng, warp=3 * unit)
    tip, fine = smoothstep(0, 6 * unit, tips.edge), fractal(shape, rng, slope=0.8, largest=0.01)
    tone = per_cell(tips, rng)
    light = smoothstep(-1, 1.6, tone + 1.4 * tip + dome - 1)
    albedo = mix(flat(shape, (46, 62, 24)), flat(shape, (112, 134, 52)), light)
    albedo = mix(albedo, flat(shape, (60, 46, 30)), 0.7 * smoothstep(0.3, 0, dome))
    return surface_of(26 * dome + 7 * tip + 1.2 * fine, albedo, 0.93 - 0.03 * tip, unit=unit, width_mm=250.0)


def rusted_plate(side: int, seed: int) -> Surface:
    """Iron plate with rust and what is left of its paint, 500 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    patch, small = fractal(shape, rng, slope=1.5, largest=0.3), fractal(shape, rng, slope=1.0, largest=0.03)
    rust = smoothstep(-0.3, 0.2, patch + 0.35 * small)
    pits = smoothstep(1.2, 2.0, fractal(shape, rng, slope=0.8, largest=0.015)) * rust
    albedo = mix(flat(shape, (96, 52, 30)), flat(shape, (158, 88, 44)), smoothstep(-1, 1, small))
    albedo = mix(albedo, flat(shape, (60, 36, 28)), pits)
    albedo = mix(flat(shape, (92, 106, 110)) * (1 + 0.05 * patch)[..., None], albedo, rust)
    height = 5 * (1 - rust) + rust * (1.6 * small + 1.0) - 4 * pits
    return surface_of(height, albedo, 0.45 * (1 - rust) + rust * 0.88, unit=unit, width_mm=500.0)


def sail_canvas(side: int, seed: int) -> Surface:
    """Plain-woven canvas, 60 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    bend = 0.0025 * fractal(shape, rng, slope=1.9, largest=0.2)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side
    u, v = (x + bend) * 48, (y - bend) * 48
    over = (np.floor(u) + np.floor(v)) % 2
    across, along = (np.sqrt(np.clip(1 - (2 * (p % 1) - 1) ** 2, 0, 1)) for p in (u, v))
    bulge_u, bulge_v = np.sin(np.pi * (v % 1)), np.sin(np.pi * (u % 1))
    thread = np.where(over > 0, across * (0.35 + 0.65 * bulge_u), along * (0.35 + 0.65 * bulge_v)).astype(np.float32)
    slub = fractal(shape, rng, slope=1.0, largest=0.08, stretch=(4.0, 0.5))
    fibre = fractal(shape, rng, slope=0.6, largest=0.006)
    albedo = mix(flat(shape, (122, 112, 92)), flat(shape, (204, 194, 170)), thread * (0.9 + 0.1 * fibre))
    albedo = albedo * (1 + 0.05 * slub)[..., None]
    return surface_of(9 * thread + 0.8 * slub + 0.5 * fibre, albedo, 0.9 - 0.03 * fibre, unit=unit, width_mm=60.0)


def cast_concrete(side: int, seed: int) -> Surface:
    """Concrete with air holes and the grain of its boards, 800 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    cloud, fine = fractal(shape, rng, slope=1.6, largest=0.3), fractal(shape, rng, slope=0.7, largest=0.008)
    board = fractal(shape, rng, slope=1.1, largest=0.1, stretch=(0.08, 2.0))
    hole = np.zeros(shape, np.float32)
    for _ in range(90):
        centre, radius = rng.uniform(0, side, 2), rng.gamma(2.0, 2.4) * unit + 1.5
        cv2.circle(hole, (int(centre[0]), int(centre[1])), max(1, round(radius)), 1.0, cv2.FILLED, cv2.LINE_AA)
    hole = cv2.GaussianBlur(hole, (0, 0), 1.2 * unit + 0.3)
    albedo = mix(flat(shape, (126, 126, 122)), flat(shape, (168, 166, 160)), smoothstep(-1.6, 1.6, cloud + 0.4 * board))
    albedo = mix(albedo * (1 + 0.04 * fine)[..., None], flat(shape, (84, 82, 78)), 0.8 * hole)
    return surface_of(1.6 * board + 0.7 * fine - 9 * hole, albedo, 0.8 - 0.03 * cloud, unit=unit, width_mm=800.0)


def garden_soil(side: int, seed: int) -> Surface:
    """Soil in crumbs with stones and straw, 300 mm wide."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    height: Field = np.zeros(shape, np.float32)
    tone: Field = np.zeros(shape, np.float32)
    for spacing, tall in ((90, 20.0), (38, 10.0), (16, 4.5)):
        crumbs = Cells(shape, spacing * unit, rng, warp=0.25 * spacing * unit)
        size = per_cell(crumbs, rng)
        crumb = smoothstep(0.05 * spacing * unit, 0.45 * spacing * unit, crumbs.edge) * smoothstep(-0.4, 0.6, size)
        height, tone = height + tall * crumb, tone + 0.3 * size * crumb
    stones = Cells(shape, 120 * unit, rng, warp=14 * unit)
    stone = smoothstep(0.30, 0.36, stones.edge / (120 * unit)) * (per_cell(stones, rng) > 1.1)
    straw: Field = np.zeros(shape, np.float32)
    for _ in range(40):
        start, way = rng.uniform(0, side, 2), rng.uniform(0, 2 * np.pi)
        end = start + rng.uniform(30, 110) * unit * np.array([np.cos(way), np.sin(way)])
        one, other = ((int(p[0]), int(p[1])) for p in (start, end))
        cv2.line(straw, one, other, 1.0, max(1, round(3 * unit)), cv2.LINE_AA)
    fine = fractal(shape, rng, slope=0.7, largest=0.008)
    albedo = mix(flat(shape, (52, 38, 28)), flat(shape, (108, 84, 62)), smoothstep(-1, 1.2, tone + 0.04 * height))
    albedo = mix(albedo * (1 + 0.1 * fine)[..., None], flat(shape, (142, 136, 128)), stone.astype(np.float32))
    albedo = mix(albedo, flat(shape, (188, 160, 104)), 0.9 * straw)
    return surface_of(
        height + 10 * stone + 4 * straw + fine, albedo, np.clip(0.93 - 0.25 * stone, 0, 1), unit=unit, width_mm=300.0
    )
