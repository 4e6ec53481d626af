"""Light sets of the simulated capture bench, with the true normals, for tests."""

from __future__ import annotations

import io
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from PIL import Image

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8
from amber_thicket.core.relief.normal import from_height
from amber_thicket.standins.capture_rig.camera import photograph, ring
from amber_thicket.standins.capture_rig.surface import Surface
from tests.support import rig_surface

# Surfaces are drawn for pictures of this many px; a part of that is photographed sharply enough to be measured.
SIDE, PART, ROOM = 1536, 416, 64
# The most that may be asked for.
_LARGEST = 512


def _part(kind: str, seed: int) -> Surface:
    """The middle of a surface, with some room round it."""
    return rig_surface(kind, SIDE, seed, (384 - ROOM, 384 + _LARGEST + ROOM))


def _cut(surface: Surface, part: int) -> Surface:
    """As much of a surface as is photographed, and the room round it."""
    at = slice(0, part + 2 * ROOM)
    return Surface(
        *(field[at, at] for field in (surface.height, surface.albedo, surface.roughness, surface.metallic)),
        surface.width_mm,
    )


@lru_cache(maxsize=16)
def shot(
    kind: str,
    *,
    count: int = 8,
    first: float = 37.0,
    clockwise: bool = False,
    seed: int = 5,
    noise: float = 0.006,
    part: int = PART,
):
    """((N, part, part, 3) linear photographs, (part, part, 3) true normals as sharp as the camera is)."""
    surface = _cut(_part(kind, seed), part)
    at = slice(ROOM, ROOM + part)
    shots = [replace(one, noise=noise) for one in ring(count, first=first, clockwise=clockwise)]
    photos = [
        decode_srgb(photograph(surface, one, np.random.default_rng(seed * 100 + k)))[at, at]
        for k, one in enumerate(shots)
    ]
    seen = cv2.GaussianBlur(from_height(surface.height, depth=1.0, wraps=False), (0, 0), shots[0].focus)[at, at]
    return np.stack(photos).astype(np.float32), seen / np.linalg.norm(seen, axis=-1, keepdims=True)


def png(photo: np.ndarray) -> bytes:
    """A photograph as a file."""
    stream = io.BytesIO()
    Image.fromarray(encode_srgb8(np.ascontiguousarray(photo, np.float32))).save(stream, "PNG")
    return stream.getvalue()


def angles(normal: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Degrees between unit vectors."""
    return np.degrees(np.arccos(np.clip((normal * truth).sum(-1), -1, 1)))


def _stones(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return np.clip(np.abs(np.sin(x / 34)) ** 0.2 * np.abs(np.sin(y / 25)) ** 0.2, 0, 1)


def _domes(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return np.exp(-(((x + 9) % 70 - 35) ** 2 + (y % 64 - 32) ** 2) / 140)


# Reliefs of which half are others turned inside out. noise(s): a field with spread 1 whose features are s px wide.
RELIEFS = {
    "hills": lambda noise, x, y: 2 * noise(9),
    "crests": lambda noise, x, y: -3 * np.abs(noise(9)),
    "creases": lambda noise, x, y: 3 * np.abs(noise(9)),
    "bumps on a level": lambda noise, x, y: 4 * np.clip(noise(9), 0.3, None),
    "pits in a level": lambda noise, x, y: -4 * np.clip(noise(9), 0.3, None),
    "waves": lambda noise, x, y: 3 * np.sin(x / 7) + 0.3 * noise(2),
    "stones and joints": lambda noise, x, y: 7 * _stones(x, y),
    "a net of ridges": lambda noise, x, y: -7 * _stones(x, y),
    "rough ground": lambda noise, x, y: 1.2 * noise(2.5) + 3 * noise(14),
    "steps": lambda noise, x, y: 6.0 * (noise(12) > 0.2),
    "domes": lambda noise, x, y: 14 * _domes(x, y),
    "bowls": lambda noise, x, y: -14 * _domes(x, y),
}


def relief(name: str, side: int, seed: int, *, steep: float = 1.0) -> Surface:
    """A relief by its name with a tone of its own that says nothing about it. steep: times as steep."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)

    def noise(size: float) -> np.ndarray:
        field = cv2.GaussianBlur(rng.standard_normal((side, side)).astype(np.float32), (0, 0), size)
        return field / field.std()

    height = cv2.GaussianBlur((steep * RELIEFS[name](noise, x, y)).astype(np.float32), (0, 0), 0.8)
    tone = (0.35 + 0.1 * noise(6))[..., None] * np.array([0.9, 0.9, 0.85])
    flat = np.ones((side, side), np.float32)
    return Surface(height - height.min(), tone.clip(0.05, 0.9).astype(np.float32), 0.5 * flat, 0 * flat, 100.0)
