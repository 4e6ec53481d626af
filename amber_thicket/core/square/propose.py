"""Finds the camera's tilt from what is square on the surface: courses, joints, weave, planks.

Edges of such a surface lie along two directions at right angles. Under a pinhole camera every tilt of the surface
bends that cross into another pattern of edge directions over the picture, so the tilt (and turn) that puts the most
edge energy back onto the two axes is looked for. Directions alone are compared: nothing is resampled. The family of
homographies is that of a pinhole camera with its axis in the middle of the picture (Hartley & Zisserman, "Multiple View
Geometry", 2nd ed., 2004, chapter 8); the score is ours.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2, optimize
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square import courses
from amber_thicket.core.square.view import turns

_SIDE = 900
_EDGES = 12_000
_COARSE = 2_000
_NEAR = 0.03
_FOCAL = courses.USUAL_FOCAL
# Of a frame of 24 × 36 mm.
_FILM_DIAGONAL = 43.27
_STEEPEST = np.radians(58)
ENOUGH = 0.2
_ASKEW = 1.5


@dataclass(frozen=True)
class Proposal:
    """corners: upper left, upper right, lower right, lower left, in per cent of the picture without lens bend.
    k1: the bend, as in lens.py; 0 where none shows. confidence: 0..1. tilt: degrees off straight on.
    turn: degrees the courses lie askew. reason: in words. accepted: sure enough to offer."""

    corners: tuple[tuple[float, float], ...]
    k1: float
    confidence: float
    tilt: float
    turn: float
    reason: str
    accepted: bool


@dataclass(frozen=True)
class _Edges:
    """Places (N, 2) from the middle in picture widths, unit directions along the edge (N, 2), weights (N,)."""

    places: NDArray[np.float64]
    along: NDArray[np.float64]
    weights: NDArray[np.float64]

    def some(self, count: int) -> _Edges:
        """The first of the edges, which stand in random order."""
        weights = self.weights[:count]
        return _Edges(self.places[:count], self.along[:count], weights / weights.sum())


def _edges(pixels: Pixels) -> _Edges:
    height, width = pixels.shape[:2]
    scale = _SIDE / max(height, width)
    tone = coded_luminance(pixels)
    small = cv2.resize(tone, (round(width * scale), round(height * scale)), interpolation=cv2.INTER_AREA)
    found = []
    for sigma, window in ((1.2, 3.0), (2.0, 7.0)):
        soft = cv2.GaussianBlur(small, (0, 0), sigma)
        gx, gy = cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1)
        xx, yy, xy = (cv2.GaussianBlur(p, (0, 0), window) for p in (gx * gx, gy * gy, gx * gy))
        # Orientation of the structure tensor; its coherence says how far it is one line and not a grain.
        angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2
        coherence = np.hypot(xx - yy, 2 * xy) / np.maximum(xx + yy, 1e-12)
        weight = np.sqrt(xx + yy) * coherence**3
        margin = int(2 * window) + 2
        inner = np.zeros_like(weight, bool)
        inner[margin:-margin:2, margin:-margin:2] = True
        y, x = np.nonzero(inner & (weight > np.quantile(weight[inner], 0.75)))
        w = weight[y, x]
        places = np.stack([x + 0.5 - small.shape[1] / 2, y + 0.5 - small.shape[0] / 2], -1) / small.shape[1]
        along = np.stack([np.cos(angle[y, x]), np.sin(angle[y, x])], -1)
        found.append((places, along, np.minimum(w / max(float(w.sum()) / max(w.size, 1), 1e-12), 3.0)))
    places, along, weights = (np.concatenate(parts) for parts in zip(*found, strict=True))
    pick = np.random.default_rng(0).permutation(len(weights))[:_EDGES]
    return _Edges(places[pick].astype(float), along[pick].astype(float), weights[pick] / weights[pick].sum())


def _forward(tilt: float, pan: float, turn: float, focal: float) -> NDArray[Any]:
    """3 × 3 from the surface to picture coordinates (from the middle, in picture widths)."""
    about_x, about_y, about_z = turns(tilt, pan, turn)
    plane = np.column_stack([(about_x @ about_y @ about_z)[:, :2], [0.0, 0.0, 1.0]])
    result: NDArray[Any] = np.diag([focal, focal, 1.0]) @ plane
    return result


def _order(edges: _Edges, forward: NDArray[Any], near: float) -> float:
    """Edge weight that lies within about `near` radians of where the surface's two axes point at its place.

    Compared in the picture, where the noise of directions is the same everywhere: compared on the surface, steep
    views would gain by stretching it. The share that chance would give is taken off.
    """
    chance = 2 * near * np.sqrt(np.pi) / np.pi
    agreeing = _agreeing(edges.places, edges.along, edges.weights, forward, near)
    return float((agreeing - chance) / (1 - chance))


@compiled()
def _agreeing(places: Any, along: Any, weights: Any, forward: Any, near: float) -> float:
    total = 0.0
    # Further off an edge counts less than 1e-10.
    least = np.cos(min(5 * near, np.pi / 2))
    for i in range(len(places)):
        closest = 0.0
        for axis in range(2):
            # Lines along an axis run to its vanishing point.
            x = forward[0, axis] - forward[2, axis] * places[i, 0]
            y = forward[1, axis] - forward[2, axis] * places[i, 1]
            length = max(np.sqrt(x * x + y * y), 1e-12)
            closest = max(closest, abs(x * along[i, 0] + y * along[i, 1]) / length)
        if closest > least:
            off = np.arccos(min(closest, 1.0)) / near
            total += weights[i] * np.exp(-off * off)
    return total


def _balanced(edges: _Edges, forward: NDArray[Any]) -> _Edges:
    """The same edges with both axes' lines weighing the same in all: courses must not drown the joints between."""
    towards = [forward[:2, axis] - forward[2, axis] * edges.places for axis in (0, 1)]
    cosines = [np.abs((t * edges.along).sum(axis=1)) / np.maximum(np.linalg.norm(t, axis=1), 1e-12) for t in towards]
    near = [c > np.cos(2 * _NEAR) for c in cosines]
    weights = edges.weights.copy()
    total = [float(weights[n].sum()) for n in near]
    if min(total) > 0:
        for lines, share in zip(near, total, strict=True):
            weights[lines] *= min(2.5, max(total) / share)
    return _Edges(edges.places, edges.along, weights / weights.sum())


def _searched(edges: _Edges, focal: float = _FOCAL) -> tuple[float, NDArray[np.float64]]:
    """Best order, and (tilt, pan, turn) in radians under a lens of that focal length, in widths of the picture."""
    coarse = edges.some(_COARSE)
    starts = [(0.0, 0.0, 0.0, 0.0)]
    for tilt in np.radians((-45, -30, -15, 0, 15, 30, 45)):
        for pan in np.radians((-36, -18, 0, 18, 36)):
            for turn in np.radians((-18, -6, 6, 18)):
                starts.append((_order(coarse, _forward(tilt, pan, turn, focal), 0.14), tilt, pan, turn))
    starts.sort(reverse=True)

    def cost(p: NDArray[np.float64], among: _Edges, near: float) -> float:
        if abs(p[0]) > _STEEPEST or abs(p[1]) > _STEEPEST:
            return 1.0
        # A slight pull towards straight on where the edges do not decide.
        return 0.004 * float(p[:2] @ p[:2]) - _order(among, _forward(p[0], p[1], p[2], focal), near)

    tried = []
    for _, *start in starts[:4]:
        at = np.array(start)
        for near in (0.14, 0.07, _NEAR):
            options = {"xatol": 1e-3, "fatol": 1e-5, "maxiter": 120}
            at = optimize.minimize(cost, at, args=(coarse, near), method="Nelder-Mead", options=options).x
        tried.append((cost(at, coarse, _NEAR), *at))
    at = np.array(min(tried)[1:])
    fair = _balanced(edges, _forward(at[0], at[1], at[2], focal))
    options = {"xatol": 1e-4, "fatol": 1e-6, "maxiter": 120}
    at = optimize.minimize(cost, at, args=(fair, _NEAR), method="Nelder-Mead", options=options).x
    return _order(edges, _forward(at[0], at[1], at[2], focal), _NEAR), at


def rough_tilt(pixels: Pixels) -> tuple[float, float]:
    """(how far the edges agree, to be compared with ENOUGH; degrees off straight on), quickly."""
    order, (tilt, pan, _) = _searched(_edges(pixels).some(_COARSE))
    return order, _away(tilt, pan)


def _away(tilt: float, pan: float) -> float:
    return float(np.degrees(np.arccos(np.clip(np.cos(tilt) * np.cos(pan), -1, 1))))


def focal_in_widths(focal_35: float, aspect: float) -> float:
    """A focal length in mm for a frame of 35 mm film, in widths of a picture of this height over width."""
    return focal_35 / _FILM_DIAGONAL * float(np.hypot(1, aspect))


def propose(pixels: Pixels, focal_35: float | None = None) -> Proposal:
    """The corners of a flat rectangle in a picture of something square-built. pixels: linear RGB (H, W, 3). focal_35:
    the focal length the camera told, in mm for a frame of 35 mm film; None where it did not."""
    height, width = pixels.shape[:2]
    aspect = height / width
    edges = _edges(pixels)
    focal = focal_in_widths(focal_35, aspect) if focal_35 else _FOCAL
    order, at = _searched(edges, focal)
    tone = courses.tone_of(pixels)

    def part(forward: NDArray[Any]) -> courses.Box:
        return _largest_upright(_seen(forward, aspect))

    found = np.array([*at, focal, 0.0])
    if order > ENOUGH:
        guess = _usual_bend(focal_35) if focal_35 else 0.0
        found = courses.refined(tone, _forward, found[:4], part, known=bool(focal_35), bend=guess)
    tilt, pan, turn, focal, k1 = found
    forward = _forward(tilt, pan, turn, focal)
    away = _away(tilt, pan)
    confidence = float(np.clip((order - ENOUGH / 2) / 0.3, 0, 1))
    askew = max(away, abs(float(np.degrees(turn))))
    accepted = bool(order > ENOUGH and askew > _ASKEW)
    if order <= ENOUGH:
        reason = "Too few straight lines that cross at right angles."
    elif not accepted:
        reason = "The lines already lie level and square."
    else:
        reason = f"Lines crossing at right angles lie {away:.0f}° off straight on and {np.degrees(turn):.1f}° askew."
    return Proposal(
        corners_of(forward, aspect),
        round(float(k1), 3),
        round(confidence, 2),
        round(away, 1),
        round(float(np.degrees(turn)), 1),
        reason,
        accepted,
    )


def _usual_bend(focal_35: float) -> float:
    """The bend a lens of that focal length usually has: wide ones bow lines outward. Common practice, no source."""
    return -0.02 * min((24 / focal_35) ** 2, 2.0)


def _seen(forward: NDArray[Any], aspect: float) -> NDArray[np.float64]:
    """The picture's corners on the surface, (4, 2)."""
    frame = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]]) * [1.0, aspect]
    return _mapped(frame, np.linalg.inv(forward))


def _largest_upright(seen: NDArray[np.float64], steps: int = 241) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of the largest upright rectangle within a convex outline, (N, 2)."""
    x = np.linspace(seen[:, 0].min(), seen[:, 0].max(), steps)
    high, low = np.full(steps, -np.inf), np.full(steps, np.inf)
    for one, other in zip(seen, np.roll(seen, -1, axis=0), strict=True):
        (x0, y0), (x1, y1) = sorted((tuple(one), tuple(other)))
        within = (x >= x0 - 1e-12) & (x <= x1 + 1e-12)
        y = y0 + (y1 - y0) * (x[within] - x0) / max(x1 - x0, 1e-12)
        low[within], high[within] = np.minimum(low[within], y), np.maximum(high[within], y)
    # The outline is convex, so between two places across nothing narrows it more than it is at either.
    top, bottom = np.maximum(low[:, None], low[None]), np.minimum(high[:, None], high[None])
    area = np.clip(bottom - top, 0, None) * np.clip(x[None] - x[:, None], 0, None)
    left, right = np.unravel_index(int(area.argmax()), area.shape)
    return float(x[left]), float(top[left, right]), float(x[right]), float(bottom[left, right])


def corners_of(forward: NDArray[Any], aspect: float) -> tuple[tuple[float, float], ...]:
    """Corners (per cent of the picture) of the largest upright rectangle on the surface that lies within it."""
    left, top, right, bottom = _largest_upright(_seen(forward, aspect))
    chosen = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    corners = _mapped(chosen, forward) / np.array([1.0, aspect]) + 0.5
    return tuple((round(float(x) * 100, 3), round(float(y) * 100, 3)) for x, y in corners)


def _mapped(points: NDArray[Any], matrix: NDArray[Any]) -> NDArray[Any]:
    homogeneous = np.concatenate([points, np.ones((len(points), 1))], 1) @ matrix.T
    result: NDArray[Any] = homogeneous[:, :2] / homogeneous[:, 2:]
    return result
