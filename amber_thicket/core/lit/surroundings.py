"""Surroundings of the lit view, made here and prefiltered here, so that the page only looks them up.

Made up: a studio with three soft boxes, an overcast sky over ground, a clear sky with the sun in it.
Sources: Karis, SIGGRAPH 2013 course
"Physically based shading in theory and practice" (split sum); Ramamoorthi & Hanrahan, "An efficient representation
for irradiance environment maps", SIGGRAPH 2001; Walter et al., EGSR 2007 (GGX).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

WIDTH, HEIGHT = 128, 64
ROUGHNESS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
NAMES = ("studio", "overcast", "sun")


@dataclass(frozen=True)
class Surroundings:
    """levels: (6·64, 128, 3) float32, one equirectangular picture a roughness, stacked; harmonics: (9, 3)
    coefficients whose polynomial in the normal is irradiance over π."""

    levels: Pixels
    harmonics: Pixels


def directions(width: int, height: int) -> tuple[Pixels, Pixels]:
    """Unit vectors (H, W, 3) of an equirectangular picture, +Y up, and each pixel's solid angle (H, W)."""
    theta = (np.arange(height) + 0.5) / height * np.pi
    phi = (np.arange(width) + 0.5) / width * 2 * np.pi - np.pi
    sin = np.sin(theta)[:, None]
    vectors = np.stack(
        [sin * np.sin(phi), np.broadcast_to(np.cos(theta)[:, None], (height, width)), sin * np.cos(phi)], -1
    )
    angle = np.broadcast_to(sin * (np.pi / height) * (2 * np.pi / width), (height, width))
    return vectors.astype(np.float32), angle.astype(np.float32)


def radiance(name: str, width: int = 256, height: int = 128) -> Pixels:
    """Linear radiance (H, W, 3). name: one of NAMES."""
    vectors, _ = directions(width, height)
    return {"studio": _studio, "overcast": _overcast, "sun": _sun}[name](vectors)


def _box(vectors: Pixels, toward: tuple[float, float, float], half: tuple[float, float], soft: float) -> Pixels:
    """A soft rectangle of light seen in a direction."""
    axis = np.array(toward, np.float32)
    axis /= np.linalg.norm(axis)
    side = np.cross(np.array([0, 1, 0], np.float32), axis)
    side /= np.linalg.norm(side)
    over = np.cross(axis, side)
    facing = vectors @ axis
    u = np.abs(vectors @ side) / np.maximum(facing, 1e-3)
    v = np.abs(vectors @ over) / np.maximum(facing, 1e-3)
    inside = np.clip((half[0] - u) / soft, 0, 1) * np.clip((half[1] - v) / soft, 0, 1)
    return np.where(facing > 0, inside, 0).astype(np.float32)


def _studio(vectors: Pixels) -> Pixels:
    up = vectors[..., 1:2]
    room = np.array([0.14, 0.14, 0.145], np.float32) * (0.65 + 0.35 * up) + np.array(
        [0.05, 0.045, 0.04], np.float32
    ) * (up < -0.2)
    light: Pixels = room.astype(np.float32)
    for toward, half, strength, colour in (
        ((-0.75, 0.75, 0.7), (0.55, 0.4), 6.5, (1.0, 0.985, 0.96)),
        ((0.95, 0.45, 0.25), (0.28, 0.55), 2.6, (0.95, 0.98, 1.0)),
        ((0.1, 0.55, -1.0), (0.9, 0.14), 3.6, (1.0, 1.0, 1.0)),
    ):
        box = _box(vectors, toward, half, 0.07)[..., None]
        light = (light + box * np.array(colour) * strength).astype(np.float32)
    return light


def _overcast(vectors: Pixels) -> Pixels:
    """CIE standard overcast sky: zenith three times the horizon (CIE S 011/E:2003, sky type 16)."""
    up = vectors[..., 1]
    sky = (1 + 2 * np.clip(up, 0, 1)) / 3 * 1.25
    cloud = 0.06 * np.sin(5 * vectors[..., 0] + 2 * vectors[..., 2]) * np.sin(4 * vectors[..., 2] - 1.3)
    sky = sky * (1 + cloud)
    tinted = sky[..., None] * np.array([0.97, 1.0, 1.04], np.float32)
    ground = np.array([0.17, 0.16, 0.15], np.float32)
    share = np.clip(up * 12 + 0.5, 0, 1)[..., None]
    result: Pixels = (tinted * share + ground * (1 - share)).astype(np.float32)
    return result


def _sun(vectors: Pixels) -> Pixels:
    """Clear sky with the sun half way up on the left: bluer and darker away from it, a warm glow around it."""
    up = vectors[..., 1:2]
    toward = np.array([-0.62, 0.62, 0.48], np.float32)
    toward /= np.linalg.norm(toward)
    near = np.clip(vectors @ toward, -1, 1)[..., None]
    sky = np.array([0.22, 0.36, 0.62], np.float32) * (1.25 - 0.75 * np.clip(up, 0, 1))
    glow = np.array([1.0, 0.85, 0.6], np.float32) * (0.9 * np.exp((near - 1) * 14) + 3.0 * np.exp((near - 1) * 120))
    # A sun of 6° instead of half a degree: as bright in all, and no finer than the picture's pixels.
    disc = np.array([1.0, 0.93, 0.82], np.float32) * 180.0 * np.clip((near - 0.9945) / 0.001, 0, 1)
    ground = np.array([0.2, 0.18, 0.15], np.float32)
    share = np.clip(up * 12 + 0.5, 0, 1)
    result: Pixels = ((sky + glow + disc) * share + ground * (1 - share)).astype(np.float32)
    return result


def prefiltered(source: Pixels) -> Surroundings:
    """All roughness levels and the diffuse harmonics of equirectangular radiance (H, W, 3)."""
    levels = [cv2.resize(source, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)]
    towards, _ = directions(WIDTH, HEIGHT)
    flat = towards.reshape(-1, 3)
    for roughness in ROUGHNESS[1:]:
        size = (128, 64) if roughness < 0.5 else (64, 32)
        small = cv2.resize(source, size, interpolation=cv2.INTER_AREA).reshape(-1, 3)
        vectors, angle = directions(*size)
        levels.append(
            _convolved(flat, vectors.reshape(-1, 3), small * angle.reshape(-1, 1), angle.reshape(-1), roughness)
        )
    return Surroundings(np.concatenate(levels, 0), _harmonics(source))


def _convolved(
    towards: Pixels, vectors: Pixels, weighted: Pixels, angle: NDArray[np.float32], roughness: float
) -> Pixels:
    """∫ L (n·l) D(h) dl / ∫ (n·l) D(h) dl with n = v."""
    alpha2 = np.float32(max(roughness, 0.05) ** 4)
    result = np.empty((towards.shape[0], 3), np.float32)
    # One array for each number, so that several directions are summed at once.
    parts = tuple(np.ascontiguousarray(part, np.float32) for part in (*vectors.T, *weighted.T, angle))
    over_rows(partial(_sum_lobes, np.ascontiguousarray(towards, np.float32), parts, alpha2, result), len(result))
    return result.reshape(HEIGHT, WIDTH, 3)


@compiled(loose=True)
def _sum_lobes(towards, parts, alpha2, out, first, last):  # type: ignore[no-untyped-def]
    x, y, z, red, green, blue, angle = parts
    one = np.float32(1)
    for i in range(first, last):
        tx, ty, tz = towards[i, 0], towards[i, 1], towards[i, 2]
        r = g = b = total = np.float32(0)
        for k in range(x.size):
            cosine = min(max(tx * x[k] + ty * y[k] + tz * z[k], np.float32(0)), one)
            # The half vector of n and l makes half their angle: cos² of it is (1 + n·l) / 2.
            spread = (one + cosine) * np.float32(0.5) * (alpha2 - one) + one
            share = cosine * alpha2 / (spread * spread)
            r += share * red[k]
            g += share * green[k]
            b += share * blue[k]
            total += share * angle[k]
        total = max(total, np.float32(1e-9))
        out[i, 0], out[i, 1], out[i, 2] = r / total, g / total, b / total


def _harmonics(source: Pixels) -> Pixels:
    """Nine coefficients c with irradiance(n)/π = Σ c_i Y_i(n); cosine lobe folded in."""
    small = cv2.resize(source, (128, 64), interpolation=cv2.INTER_AREA)
    vectors, angle = directions(128, 64)
    basis = harmonic_basis(vectors)
    lobe = np.array([1.0] + [2 / 3] * 3 + [1 / 4] * 5, np.float32)
    coefficients = np.einsum("hwi,hwc,hw->ic", basis, small, angle) * lobe[:, None]
    result: Pixels = coefficients.astype(np.float32)
    return result


def harmonic_basis(n: Pixels) -> Pixels:
    """The nine real spherical harmonics of bands 0–2, (..., 9), for unit vectors (..., 3)."""
    x, y, z = n[..., 0], n[..., 1], n[..., 2]
    one = np.ones_like(x)
    return np.stack(
        [
            0.282095 * one,
            0.488603 * y,
            0.488603 * z,
            0.488603 * x,
            1.092548 * x * y,
            1.092548 * y * z,
            0.315392 * (3 * z * z - 1),
            1.092548 * x * z,
            0.546274 * (x * x - y * y),
        ],
        -1,
    )
