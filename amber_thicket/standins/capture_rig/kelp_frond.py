"""Kelp frond: one blade of a seaweed laid out on a card, seen from the front, from the back, and on a lit table."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.noise import Cells, Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.surface import Surface, surface_of


@dataclass(frozen=True)
class Frond:
    """front: the surface from the front, on its card. back: colour of the other side, (H, W, 3) linear, as it lies
    under the front. through: share of light that comes through, (H, W, 3). mask: (H, W), 1 on the frond."""

    front: Surface
    back: Field
    through: Field
    mask: Field


def kelp_frond(side: int, seed: int) -> Frond:
    """A square picture, side px wide, 320 mm in reality."""
    rng = np.random.default_rng(seed)
    shape, unit = (side, side), side / 1536
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side
    along = (0.95 - y) / 0.9
    x = x + 0.004 * fractal(shape, rng, slope=2.0, largest=0.2)
    middle = 0.5 + 0.045 * np.sin(2 * np.pi * (0.75 * along + 0.1)) + 0.02 * along
    off = x - middle
    body = np.clip(along, 0, 1)
    arch = np.sin(np.pi * np.clip((body - 0.1) / 0.9, 0, 1) ** 0.75).clip(0, 1)
    width = 0.015 * smoothstep(1.0, 0.96, along) + 0.21 * arch**0.8
    ruffle = 0.012 * np.sin(2 * np.pi * (along * 11 + 0.6 * np.sin(along * 7))) + 0.006 * np.sin(2 * np.pi * along * 27)
    width = width + ruffle * smoothstep(0.05, 0.18, width)
    inside = (width - np.abs(off)) * side
    inside = np.minimum(inside, along * 0.9 * side * 4)
    # The blade ends at its tip.
    inside = np.minimum(inside, (1.0 - along) * 0.9 * side)
    for _ in range(3):
        hole_y, hole_x = rng.uniform(0.3, 0.7), rng.choice((-1, 1)) * rng.uniform(0.05, 0.13)
        from_hole = np.hypot((along - hole_y) * 1.4, off - hole_x) * side - rng.uniform(9, 20) * unit
        inside = np.minimum(inside, from_hole)
    mask = np.clip(inside / 1.2 + 0.5, 0, 1).astype(np.float32)
    rib = np.exp(-((off / 0.012) ** 2)) * smoothstep(1.0, 0.85, along)
    fan = np.arctan2(off, 0.25 + 0.4 * body) * 34 + 1.4 * fractal(shape, rng, slope=1.8, largest=0.15)
    vein = (np.abs(np.sin(fan)) < 0.11).astype(np.float32) * smoothstep(0.02, 0.05, np.abs(off))
    vein = cv2.GaussianBlur(vein, (0, 0), 1.4 * unit)
    blisters = Cells(shape, 42 * unit, rng, warp=6 * unit)
    dome = smoothstep(0, 16 * unit, blisters.edge)
    grain = fractal(shape, rng, slope=0.9, largest=0.008, smallest=0.001)
    wave = fractal(shape, rng, slope=2.1, largest=0.25)
    thin = smoothstep(0, 90 * unit, np.maximum(inside, 0))
    height = 16 * rib + 3.0 * vein + 5 * dome * thin + 0.4 * grain + 7 * wave * thin + 5 * mask
    height = height + 9 * (ruffle / 0.012) * (1 - thin) * mask
    albedo = mix(flat(shape, (78, 68, 30)), flat(shape, (122, 92, 38)), smoothstep(-1.2, 1.4, wave + 0.5 * dome))
    albedo = mix(albedo, flat(shape, (58, 46, 22)), 0.8 * np.clip(rib + 0.5 * vein, 0, 1))
    albedo = mix(albedo, flat(shape, (150, 120, 62)), 0.7 * (1 - thin))
    spots = smoothstep(1.5, 1.9, fractal(shape, rng, slope=1.0, largest=0.03))
    albedo = mix(albedo, flat(shape, (178, 168, 140)), 0.7 * spots)
    back = mix(flat(shape, (118, 104, 62)), flat(shape, (92, 80, 44)), smoothstep(-1.2, 1.2, wave))
    back = mix(back, flat(shape, (140, 122, 78)), np.clip(rib + 0.7 * vein, 0, 1))
    through = mix(flat(shape, (206, 146, 40)), flat(shape, (168, 104, 26)), smoothstep(-1, 1.2, wave + 0.4 * dome))
    through = through * (1 - 0.75 * np.clip(rib + 0.4 * vein, 0, 1) - 0.2 * spots)[..., None]
    card = flat(shape, (214, 214, 212)) * (1 + 0.012 * grain)[..., None]
    surface = surface_of(
        mask * height,
        mix(card, albedo, mask),
        np.clip(0.9 - mask * (0.5 - 0.05 * grain), 0.2, 1),
        unit=unit,
        width_mm=320.0,
    )
    return Frond(surface, back.astype(np.float32), through.clip(0, 1).astype(np.float32), mask)


def front_shot(frond: Frond, rng: np.random.Generator) -> NDArray[np.uint8]:
    """8-bit sRGB codes of the front on its card, in soft daylight."""
    return photograph(frond.front, Shot(bearing=110, elevation=55, sky=0.9, vignette=0.05, gloss=0.1), rng)


def placed(degrees: float, shift: tuple[float, float], scale: float, *, mirrored: bool) -> NDArray[np.float64]:
    """(3, 3): from places of the front picture to those of a second one, both in 0..1."""
    c, s = np.cos(np.radians(degrees)) * scale, np.sin(np.radians(degrees)) * scale
    to_middle = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    turn = np.array([[c, -s, 0.5 + shift[0]], [s, c, 0.5 + shift[1]], [0, 0, 1]])
    flip = np.diag([-1.0, 1.0, 1.0]) if mirrored else np.eye(3)
    return np.asarray(turn @ flip @ to_middle)


def _laid(layer: Field, matrix: NDArray[np.float64]) -> Field:
    """A layer of the front picture as it lies in the second one."""
    rows, columns = layer.shape[:2]
    edges = np.diag([columns, rows, 1.0]) @ matrix @ np.diag([1 / columns, 1 / rows, 1.0])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    pixels = np.linalg.inv(half) @ edges @ half
    return np.asarray(cv2.warpPerspective(layer, pixels, (columns, rows), flags=cv2.INTER_CUBIC))


def back_shot(frond: Frond, matrix: NDArray[np.float64], rng: np.random.Generator) -> NDArray[np.uint8]:
    """The other side on the card. matrix: as placed() gives it, mirrored."""
    mask = _laid(frond.mask, matrix).clip(0, 1)
    rest = 0.4 * (frond.front.height.max() - frond.front.height) * frond.mask
    height = np.maximum(_laid(rest.astype(np.float32), matrix), 0) * mask
    card = flat(mask.shape, (214, 214, 212))
    colour = np.clip(_laid(frond.back, matrix), 0.005, 1)
    turned = Surface(
        height.astype(np.float32),
        mix(card, colour, mask),
        (0.9 - 0.45 * mask).astype(np.float32),
        np.zeros(mask.shape, np.float32),
        frond.front.width_mm,
    )
    return photograph(turned, Shot(bearing=110, elevation=55, sky=0.9, vignette=0.05, gloss=0.1), rng)


def back_lit_shot(
    frond: Frond, matrix: NDArray[np.float64], rng: np.random.Generator, *, lamp: float = 0.82
) -> NDArray[np.uint8]:
    """On a lit table in a dark room. lamp: linear brightness of the bare table."""
    mask = _laid(frond.mask, matrix).clip(0, 1)
    through = np.clip(_laid(frond.through, matrix), 0, 1)
    light = mix(np.full((*mask.shape, 3), lamp, np.float32), through * lamp, mask)
    light = cv2.GaussianBlur(light, (0, 0), 0.55)
    light = light + rng.standard_normal(light.shape).astype(np.float32) * np.sqrt(np.maximum(light, 0) + 0.01) * 0.005
    result: NDArray[np.uint8] = np.rint(encode_srgb(light.clip(0, 1).astype(np.float32)) * 255).astype(np.uint8)
    return result
