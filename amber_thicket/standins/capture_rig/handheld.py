"""Handheld photographs of one surface from slightly different places: true perspective and parallax of its relief."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.square.lens import straight
from amber_thicket.standins.capture_rig.camera import Shot, exposed, light_of
from amber_thicket.standins.capture_rig.noise import Field
from amber_thicket.standins.capture_rig.surface import Surface

_STEPS = 72


@dataclass(frozen=True)
class Hand:
    """Where a camera is held: place in widths of the surface from its middle (right, down, away from it), what it looks
    at (right, down), roll in degrees. focal: in widths of the picture. k1: lens bend as in core/square/lens.py."""

    place: tuple[float, float, float]
    aim: tuple[float, float] = (0.0, 0.0)
    roll: float = 0.0
    focal: float = 1.15
    k1: float = 0.0

    def turn(self) -> NDArray[np.float64]:
        """(3, 3): rows are the camera's right, down and forward in surface axes (right, down, toward the camera)."""
        forward = np.array([self.aim[0], self.aim[1], 0.0]) - np.array(self.place)
        forward /= np.linalg.norm(forward)
        right = np.cross(np.array([0.0, 1.0, 0.0]), -forward)
        right /= np.linalg.norm(right)
        down = np.cross(right, forward)
        angle = np.radians(self.roll)
        c, s = np.cos(angle), np.sin(angle)
        return np.stack([c * right + s * down, -s * right + c * down, forward])


@dataclass(frozen=True)
class View:
    """codes: (H, W, 3) 8-bit sRGB. hit: (H, W, 3) where each pixel's ray meets the surface: right and down in widths
    from its upper left corner, height in widths."""

    codes: NDArray[np.uint8]
    hit: Field


def hands(count: int, rng: np.random.Generator, *, focal: float = 1.15, k1: float = 0.0) -> tuple[Hand, ...]:
    """Places of somebody who takes a step aside between photographs, never twice alike; the first about the middle."""
    found = []
    for number in range(count):
        angle = 2 * np.pi * number / max(count - 1, 1) + rng.uniform(-0.3, 0.3)
        aside = 0.0 if number == 0 else rng.uniform(0.16, 0.24)
        place = (aside * np.cos(angle), aside * np.sin(angle), rng.uniform(1.02, 1.14) * focal)
        aim = (0.35 * place[0] + rng.uniform(-0.02, 0.02), 0.35 * place[1] + rng.uniform(-0.02, 0.02))
        found.append(Hand((float(place[0]), float(place[1]), float(place[2])), (float(aim[0]), float(aim[1])),
                          float(rng.uniform(-3.5, 3.5)), focal, k1))  # fmt: skip
    return tuple(found)


def seen_by(surface: Surface, shot: Shot, hand: Hand, size: tuple[int, int], rng: np.random.Generator) -> View:
    """One photograph of (width, height) px."""
    width, height = size
    fine = (2 * width, 2 * height)
    hit = _traced(surface, hand, fine)
    place = np.array(hand.place)
    light = light_of(surface, shot, (place[0], -place[1], place[2]))
    rows, columns = surface.height.shape
    at = (hit[..., 0] * columns - 0.5).astype(np.float32), (hit[..., 1] * rows - 0.5).astype(np.float32)
    seen = cv2.remap(light, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    seen = cv2.resize(seen, size, interpolation=cv2.INTER_AREA)
    exposure = replace(shot, exposure=shot.exposure * float(rng.uniform(0.9, 1.08)), white=None)
    small = cv2.resize(hit.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    return View(exposed(np.maximum(seen, 0), exposure, rng), small)


def _traced(surface: Surface, hand: Hand, size: tuple[int, int]) -> NDArray[np.float64]:
    """(H, W, 3): where rays first meet the relief."""
    width, height = size
    y, x = np.mgrid[0:height, 0:width]
    places = np.stack([(x + 0.5) / width, (y + 0.5) / height], -1)
    if hand.k1:
        flat = straight(places.reshape(-1, 2), width / height, k1=hand.k1, k2=0.0, p1=0.0, p2=0.0)
        places = flat.reshape(places.shape)
    rays = (
        np.stack(
            [
                (places[..., 0] - 0.5) / hand.focal,
                (places[..., 1] - 0.5) * height / width / hand.focal,
                np.ones((height, width)),
            ],
            -1,
        )
        @ hand.turn()
    )
    origin = np.array(hand.place) + np.array([0.5, 0.5, 0.0])
    relief = (surface.height / surface.height.shape[1]).astype(np.float32)
    found = np.empty((height, width), np.float64)
    over_rows(partial(_march, np.ascontiguousarray(rays), origin, relief, float(relief.max()) + 1e-4, found), height)
    result: NDArray[np.float64] = origin + found[..., None] * rays
    return result


@compiled()
def _march(rays, origin, relief, top, found, first, last):  # type: ignore[no-untyped-def]
    """How far along each ray it first goes below the relief, in equal steps from the highest level to the lowest."""
    rows, columns = relief.shape
    for y in range(first, last):
        for x in range(rays.shape[1]):
            start = (top - origin[2]) / rays[y, x, 2]
            end = -origin[2] / rays[y, x, 2]
            step = (end - start) / _STEPS
            before, along, hit = top, start, end
            for _ in range(_STEPS):
                along += step
                px = (origin[0] + along * rays[y, x, 0]) * columns - 0.5
                py = (origin[1] + along * rays[y, x, 1]) * rows - 0.5
                # Beyond its edges the surface goes on mirrored.
                i, j = int(np.floor(px)), int(np.floor(py))
                u, v = px - i, py - j
                i0, i1 = _mirrored(i, columns), _mirrored(i + 1, columns)
                j0, j1 = _mirrored(j, rows), _mirrored(j + 1, rows)
                here = (1 - v) * ((1 - u) * relief[j0, i0] + u * relief[j0, i1]) + v * (
                    (1 - u) * relief[j1, i0] + u * relief[j1, i1]
                )
                above = origin[2] + along * rays[y, x, 2] - here
                if above <= 0:
                    hit = along - step * (-above) / max(before - above, 1e-12)
                    break
                before = above
            found[y, x] = hit


@compiled(inline=True)
def _mirrored(at, count):  # type: ignore[no-untyped-def]
    at = at % (2 * count)
    return at if at < count else 2 * count - 1 - at
