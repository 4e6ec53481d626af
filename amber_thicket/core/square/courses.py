"""Sharpens a rough tilt by what courses and joints have in common across the picture.

On the flat surface every strip of the picture shows its courses at the same heights, and its joints at the same places
across. The tilt, turn, focal length and lens bend that make the strips agree best are looked for, coarse to fine. The
measure is ours; the family of views is that of propose.py.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.libraries import cv2, optimize
from amber_thicket.core.raster import Pixels

_SIDE, _GRID, _STRIPS = 900, 384, 5
_SMOOTH = (5.0, 2.4, 1.3)
_STEPS = np.array([0.02, 0.02, 0.01, 0.1, 0.02])
_MOST_BEND, _BEND_GAIN = 0.15, 0.008
_FARTHEST = np.radians(15)
USUAL_FOCAL = 1.3
# How strongly a focal length that the camera told is held to.
_KNOWN_FOCAL = 0.2

Forward = Callable[[float, float, float, float], NDArray[Any]]
Box = tuple[float, float, float, float]


def tone_of(pixels: Pixels) -> NDArray[np.float32]:
    """Coded luminance, 900 px at most, without its large-scale light. pixels: linear RGB (H, W, 3)."""
    height, width = pixels.shape[:2]
    scale = _SIDE / max(height, width)
    tone = coded_luminance(pixels)
    small = cv2.resize(tone, (round(width * scale), round(height * scale)), interpolation=cv2.INTER_AREA)
    return np.asarray(small - cv2.GaussianBlur(small, (0, 0), 25), np.float32)


def flattened(tone: NDArray[np.float32], forward: NDArray[Any], box: Box, k1: float) -> NDArray[np.float32]:
    """The surface within box (left, top, right, bottom, in surface units), looked up in the picture."""
    height, width = tone.shape
    x = np.linspace(box[0], box[2], _GRID, dtype=np.float32)
    y = np.linspace(box[1], box[3], _GRID, dtype=np.float32)[:, None]
    m = forward.astype(np.float32)
    depth = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    # From the middle, in half diagonals of the picture: what the lens reckons in (core/square/lens.py).
    scale = np.float32(2 * width / np.hypot(width, height))
    px, py = ((m[i, 0] * x + m[i, 1] * y + m[i, 2]) / depth * scale for i in (0, 1))
    bend = 1 + np.float32(k1) * (px * px + py * py)
    px, py = (p * bend * np.float32(width) / scale for p in (px, py))
    result: NDArray[np.float32] = cv2.remap(
        tone,
        px + np.float32(width / 2 - 0.5),
        py + np.float32(height / 2 - 0.5),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT,
    )
    return result


def agreement(flat: NDArray[np.float32], smooth: float) -> float:
    """Mean correlation between strips' profiles of courses (rows) and of joints (columns), -1..1."""
    found = []
    for picture in (flat, flat.T):
        profiles = np.stack([strip.mean(1) for strip in np.array_split(picture, _STRIPS, axis=1)])
        profiles = np.gradient(cv2.GaussianBlur(profiles, (0, 0), sigmaX=smooth, sigmaY=1e-3), axis=1)
        profiles -= profiles.mean(1, keepdims=True)
        profiles /= np.linalg.norm(profiles, axis=1, keepdims=True) + 1e-9
        found.append(float(((profiles @ profiles.T).sum() - _STRIPS) / (_STRIPS * (_STRIPS - 1))))
    return sum(found) / 2


def refined(
    tone: NDArray[np.float32],
    forward: Forward,
    start: NDArray[np.float64],
    box: Callable[[NDArray[Any]], Box],
    *,
    known: bool = False,
    bend: float = 0.0,
) -> NDArray[np.float64]:
    """(tilt, pan, turn, focal, k1) near start (the first four).

    tone: as tone_of gives it. forward: the view of a tilt. box: the part of the surface that is compared, from the
    view; it stays the same through each of the three passes. known: the focal length is that of the start, about. bend:
    a first guess of k1.
    """
    start = np.asarray(start, np.float64)
    usual, hold = (float(start[3]), _KNOWN_FOCAL) if known else (USUAL_FOCAL, 0.01)

    def searched(at: NDArray[np.float64], smooth: float, part: Box) -> tuple[NDArray[np.float64], float]:
        """The best view near `at` (its lens bend too, when it has one), and its cost."""

        def cost(p: NDArray[np.float64]) -> float:
            k1 = float(p[4]) if p.size > 4 else 0.0
            if not 0.6 < p[3] < 4 or abs(k1) > _MOST_BEND or np.abs(p[:3] - start[:3]).max() > _FARTHEST:
                return 1.0
            # Usual lenses are hardly bent and hardly long: a slight pull where the courses do not decide.
            pull = hold * float(np.log(p[3] / usual) ** 2) + 2 * (k1 - bend) ** 2 * (p.size > 4)
            return pull - agreement(flattened(tone, forward(*p[:4]), part, k1), smooth)

        steps = _STEPS[: at.size] * (1.0 if smooth == _SMOOTH[0] else 0.4)
        options = {"initial_simplex": np.vstack([at, at + np.diag(steps)]), "xatol": 1e-4, "fatol": 1e-5, "maxfev": 180}
        found = optimize.minimize(cost, at, method="Nelder-Mead", options=options)
        return found.x, float(found.fun)

    at = np.append(start, bend)
    for smooth in _SMOOTH[:-1]:
        at, _ = searched(at, smooth, box(forward(*at[:4])))
    part = box(forward(*at[:4]))
    straight, plain = searched(at[:4], _SMOOTH[-1], part)
    # The bend is told apart from noise by what it gains; from both ends, as the search may stick.
    bent, best = min(
        (searched(p, _SMOOTH[-1], part) for p in (at, np.append(straight, bend))), key=lambda found: found[1]
    )
    return bent if plain - best > _BEND_GAIN else np.append(straight, 0.0)
