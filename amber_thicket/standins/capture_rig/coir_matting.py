"""Coir matting: a plain weave of thick two-ply coconut yarn with loose fibres."""

from __future__ import annotations

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


def coir_matting(side: int, seed: int, *, yarns: int = 22) -> Surface:
    """A square patch, side px wide, 300 mm in reality; yarns: how many run each way."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    sway_x = fractal(shape, rng, slope=2.2, largest=0.3) * 7 * unit
    sway_y = fractal(shape, rng, slope=2.2, largest=0.3) * 7 * unit
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)
    pitch = side / yarns
    warp_height, warp_tone, warp_fibre = _yarns((x + sway_x) / pitch, (y + sway_y) / pitch, rng, yarns, phase=0.0)
    weft_height, weft_tone, weft_fibre = _yarns((y + sway_y) / pitch, (x + sway_x) / pitch, rng, yarns, phase=1.0)
    over = warp_height > weft_height
    height = np.maximum(warp_height, weft_height)
    tone = np.where(over, warp_tone, weft_tone)
    fibre = np.where(over, warp_fibre, weft_fibre)
    loose, loose_tone = _loose_fibres(shape, rng, unit)
    fuzz = fractal(shape, rng, slope=0.5, largest=0.006, smallest=0.0009)
    depth = pitch * 0.34
    relief = height * depth + fibre * 2.6 * unit + fuzz * 0.8 * unit + loose * 5 * unit
    gap = smoothstep(0.25, -0.15, height)
    albedo = mix(flat(shape, (128, 86, 47)), flat(shape, (186, 141, 88)), smoothstep(-2.2, 2.2, tone + 0.8 * fibre))
    albedo = mix(albedo, flat(shape, (96, 60, 33)), 0.5 * smoothstep(0.6, 2.4, -fibre + 0.3 * fuzz))
    albedo = mix(albedo, flat(shape, (52, 36, 24)), 0.8 * gap)
    albedo *= (1 + 0.05 * fuzz)[..., None]
    albedo = mix(albedo, flat(shape, (203, 165, 112)) * (1 + 0.15 * loose_tone)[..., None], 0.75 * loose)
    roughness = np.clip(0.82 + 0.06 * gap - 0.05 * fibre, 0.4, 1)
    return surface_of(relief, albedo, roughness, unit=1.0, width_mm=300.0)


def _yarns(
    across: Field, along: Field, rng: np.random.Generator, yarns: int, *, phase: float
) -> tuple[Field, Field, Field]:
    """One direction of the weave: height (-1..1), tone a yarn, and fibre relief.

    across, along: position in yarn pitches.
    """
    number = np.floor(across).astype(int)
    u = (across - number - 0.5) * 2
    per = rng.standard_normal(yarns + 64).astype(np.float32)
    thick = 0.93 + 0.05 * per[np.clip(number + 16, 0, yarns + 63)]
    profile = np.sqrt(np.clip(1 - (u / thick) ** 2, 0, 1))
    sign = np.where((number % 2 == 0) == (phase == 0.0), 1.0, -1.0)
    swing = np.sin(np.pi * (along + 0.5)) * sign
    body = profile * 0.75 + 0.52 * swing - 0.35
    body = np.where(profile > 0, body, -1.0)
    # Two plies twisted round each other: a slanting groove, and fibres along the same slant.
    twist = along * 1.15 + u * 0.55 + per[np.clip(number + 30, 0, yarns + 63)]
    groove = np.abs(np.sin(np.pi * twist))
    body = body + 0.16 * (groove - 0.6) * profile
    fibre = _slanted(across, along, twist, rng)
    tone = per[np.clip(number + 8, 0, yarns + 63)] + 0.8 * np.sin(2 * np.pi * (np.floor(twist) * 0.37 + number * 0.21))
    return body.astype(np.float32), tone.astype(np.float32), (fibre * np.sqrt(profile)).astype(np.float32)


def _slanted(across: Field, along: Field, twist: Field, rng: np.random.Generator) -> Field:
    """Fine fibres: noise that varies quickly across the slant and slowly along it."""
    bank = fractal((512, 512), rng, slope=0.45, largest=0.1, smallest=0.003, stretch=(1.0, 14.0))
    quick = (twist * 61 + across * 40).astype(np.float32) % 512
    slow = (along * 22 + across * 97).astype(np.float32) % 512
    result: Field = cv2.remap(bank, quick, slow, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    return result


def _loose_fibres(shape: tuple[int, int], rng: np.random.Generator, unit: float) -> tuple[Field, Field]:
    mask, tone = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    for _ in range(420):
        at = rng.uniform(0, shape[0], 2)
        angle, curl = rng.uniform(0, 2 * np.pi), rng.normal(0, 0.012)
        points = []
        for _step in range(int(rng.uniform(12, 46))):
            at = at + np.array([np.cos(angle), np.sin(angle)]) * 3.2 * unit
            angle += curl + rng.normal(0, 0.07)
            points.append(at.copy())
        line = [np.rint(np.array(points) * 16).astype(np.int32)]
        width = 2 if unit > 0.7 and rng.random() < 0.5 else 1
        cv2.polylines(mask, line, False, float(rng.uniform(0.5, 1)), width, cv2.LINE_AA, 4)
        cv2.polylines(tone, line, False, float(rng.normal()), width, cv2.LINE_AA, 4)
    return cv2.GaussianBlur(mask, (0, 0), 0.6), tone
