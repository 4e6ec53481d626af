"""The ring of lamps: where each stood, found from the photographs themselves.

A wrong first bearing turns all normals about the view, so that they no longer belong to one surface: their curl tells
the bearing in closed form, except for the half-turn that swaps bumps and dents, which cast shadows tell, and a
photograph with all lamps lit.
Source of integrability as the test: Belhumeur, Kriegman & Yuille, "The bas-relief ambiguity", IJCV 35(1), 1999.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from amber_thicket.core.gather.lamps import bearings, directions_of
from amber_thicket.core.lightset.solve import Solved, solve_light_set
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.slope import integrated

# What the half-turn's cues must reach to be believed, and how far the lamps must agree on shadows.
SHADOWS_TELL, LAMPS_AGREE, ALL_LIGHTS_TELL = 0.025, 2.2, 0.3
# Recesses are no wider than this, px; a place in shadow is at most so much darker than shading explains.
_RECESS, _MOST_DARKER = 12.0, 0.5
_PLACES = 4
# How far the misfit to a ring must fall before another order is proposed.
ORDER_TELLS = 1.49
_SMOOTH = 1.2
_LOWEST, _HIGHEST = 15.0, 50.0


class HalfTurn(NamedTuple):
    """What tells bumps from dents, each positive for the lamps as they are. shadows: correlation of what is darker than
    shading explains with the shadows they would cast; agree: by how many standard errors the lamps, or the places,
    agree on that.
    all_lights: of what is bright under light from all sides with what lies high; 0 where there is no such photograph.

    What is dark under the lamps that light it least says nothing: flanks are, on bumps and in dents alike."""

    shadows: float
    agree: float
    all_lights: float

    @property
    def telling(self) -> tuple[str, ...]:
        """The cues that are clear: "shadows", "all_lights"."""
        clear = {
            "shadows": abs(self.shadows) > SHADOWS_TELL and self.agree > LAMPS_AGREE,
            "all_lights": abs(self.all_lights) > ALL_LIGHTS_TELL,
        }
        return tuple(name for name, told in clear.items() if told)

    @property
    def best(self) -> float:
        """The cue that says most: shadows, unless they are too faint and the other one is clear."""
        return self.all_lights if self.telling == ("all_lights",) else self.shadows or self.all_lights

    @property
    def certain(self) -> bool:
        """Whether something is clear, and nothing that is clear speaks against it."""
        signs = {getattr(self, name) > 0 for name in self.telling}
        return len(signs) == 1


class Found(NamedTuple):
    """first: bearing of the first lamp, degrees from the right, counter-clockwise. clockwise: how the lamps go on.
    certain: whether bump and dent can be told apart. cues: what says so, positive for what is proposed.
    curl: share of the normals' turning that no surface has, at this bearing; twisted: at one 90° away.
    elevation: degrees above the surface, None where the photographs do not tell.
    """

    first: float
    clockwise: bool
    certain: bool
    cues: HalfTurn
    curl: float
    twisted: float
    elevation: float | None


def _curl(p: Pixels, q: Pixels) -> tuple[Pixels, Pixels]:
    """(py − qx, qy + px) of slopes smoothed a little and clipped; y runs up."""
    limit = float(np.percentile(np.hypot(p, q), 97))
    length = np.maximum(np.hypot(p, q) / max(limit, 1e-9), 1)
    p, q = (blur(np.ascontiguousarray(v / length, np.float32), _SMOOTH, wraps=False) for v in (p, q))
    inside = slice(4, -4)
    px, qx = np.gradient(p, axis=1)[inside, inside], np.gradient(q, axis=1)[inside, inside]
    py, qy = -np.gradient(p, axis=0)[inside, inside], -np.gradient(q, axis=0)[inside, inside]
    return py - qx, qy + px


def _turned(a: Pixels, b: Pixels) -> tuple[float, float, float]:
    """(degrees to turn the lamps by, misfit there, misfit 90° away); misfits are mean squares of the curl."""
    aa, ab, bb = float(np.mean(a * a)), float(np.mean(a * b)), float(np.mean(b * b))
    # ⟨(a cos t − b sin t)²⟩ is a second harmonic of t; its minimum in closed form.
    middle, swing = (aa + bb) / 2, np.hypot((aa - bb) / 2, ab)
    at = np.degrees(np.arctan2(ab, (bb - aa) / 2)) / 2 + 90.0
    best = min((at + k * 90.0 for k in (0, 1)), key=lambda t: _misfit(aa, ab, bb, t))
    return best % 180.0, middle - swing, middle + swing


def _misfit(aa: float, ab: float, bb: float, degrees: float) -> float:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return float(aa * c * c - 2 * ab * s * c + bb * s * s)


def found(
    photographs: Pixels,
    *,
    elevation: float,
    gap: int = 0,
    slots: tuple[Sequence[int], int] | None = None,
    all_lights: Pixels | None = None,
) -> Found:
    """Bearing, direction and half-turn of a ring whose photographs are in order.

    photographs: (N, H, W, 3) float32 linear, steadied, of some 500 px. elevation: degrees, as far as it is known.
    slots: which places of a ring of so many lamps they take, where some are left out. all_lights: (H, W, 3) of the same
    place under light from all sides, if there is one.
    """
    places, count = slots or (range(photographs.shape[0]), photographs.shape[0])
    at = np.asarray(places)
    tried = []
    for clockwise in (False, True):
        report_progress(0.85 if clockwise else 0.8, "Looking for the lamps")
        lamps = directions_of(bearings(count, clockwise=clockwise, gap=gap)[at], elevation)
        normal = solve_light_set(photographs, lamps).normal
        z = np.maximum(normal[..., 2], 0.1)
        a, b = _curl(-normal[..., 0] / z, -normal[..., 1] / z)
        tried.append((*_turned(a, b), clockwise))
    turn, curl, twisted, clockwise = min(tried, key=lambda t: t[1] / max(t[2], 1e-12))
    lamps = directions_of(bearings(count, first=turn, clockwise=clockwise, gap=gap)[at], elevation)
    report_progress(0.9, "Telling bumps from dents")
    cues = half_turn(photographs, lamps, all_lights)
    other = cues.best < 0
    sign = -1.0 if other else 1.0
    first = (turn + 180.0 * other) % 360.0
    found_elevation = _elevation(photographs, bearings(count, first=first, clockwise=clockwise, gap=gap)[at])
    told = cues._replace(shadows=sign * cues.shadows, all_lights=sign * cues.all_lights)
    return Found(first, clockwise, told.certain, told, curl, twisted, found_elevation)


def half_turn(photographs: Pixels, lamps: Pixels, all_lights: Pixels | None = None) -> HalfTurn:
    """How much better what is seen fits the lamps as given than all turned by half. all_lights: (H, W, 3) linear."""
    made = solve_light_set(photographs, lamps)
    height = integrated(made.normal)
    values = photographs.mean(-1)
    relit = np.maximum(np.einsum("hwc,kc->khw", made.normal, lamps.astype(np.float32)), 0)
    scale = np.maximum(np.median(values / np.maximum(relit, 0.1), axis=0), 1e-4)
    darker = np.clip(relit - values / scale, 0, _MOST_DARKER)
    darker[relit < 0.05] = 0
    told, places = [], np.zeros((_PLACES, _PLACES))
    for k in range(len(lamps)):
        one, other = (_shade(h, lamps[k] * side) for h, side in ((height, (1, 1, 1)), (-height, (-1, -1, 1))))
        told.append(_alike(one - other, darker[k]))
        places += _by_places((one - other) * (darker[k] - darker[k].mean()))
    shadows = float(np.mean(told))
    # A relief that runs one way has shadows under some of the lamps only, but then all over.
    agree = max(abs(_agree(np.array(told))), abs(_agree(places.ravel())))
    fine = height - blur(height, _RECESS, wraps=False)
    return HalfTurn(shadows, agree, 0.0 if all_lights is None else _occluded(fine, made, all_lights))


def _by_places(field: Pixels) -> Pixels:
    """Sums over a grid of parts of a field (H, W)."""
    rows, columns = (np.linspace(0, side, _PLACES + 1).astype(int)[:-1] for side in field.shape)
    return np.add.reduceat(np.add.reduceat(field, rows, axis=0), columns, axis=1)


def _agree(values: Pixels) -> float:
    """By how many of its standard errors a mean lies off zero."""
    spread = float(values.std()) / np.sqrt(values.size)
    return float(values.mean()) / spread if spread > 1e-9 else 0.0


def _occluded(fine: Pixels, made: Solved, all_lights: Pixels) -> float:
    """How far places that lie high get more of the light that comes from all sides. fine: (H, W) height, flattened."""
    light = np.log(np.maximum(all_lights.mean(-1), 1e-3) / np.maximum(made.albedo.mean(-1), 1e-3)).astype(np.float32)
    # A tilted place sees less of the sky, whichever way it leans.
    light -= np.log(np.maximum((1 + made.normal[..., 2]) / 2, 0.1)).astype(np.float32)
    return _alike(fine, (light - blur(light, _RECESS, wraps=False)).clip(-0.6, 0.6))


def _shade(height: Pixels, lamp: Pixels) -> Pixels:
    """1 where something between a place and the lamp is higher than its light. height in px."""
    flat = float(np.hypot(lamp[0], lamp[1]))
    dx, dy, rise = lamp[0] / flat, -lamp[1] / flat, lamp[2] / flat
    rows, columns = height.shape
    over = np.full(height.shape, -1e9, np.float32)
    for step in (1.5, 2.5, 4, 6, 9, 13, 18, 25, 34):
        move = np.array([[1, 0, dx * step], [0, 1, dy * step]], np.float32)
        ahead = cv2.warpAffine(
            height, move, (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
        )
        np.maximum(over, ahead - np.float32(step * rise), out=over)
    return (over > height + 0.25).astype(np.float32)


def _alike(one: Pixels, other: Pixels) -> float:
    """Correlation; 0 where one of them is constant."""
    a, b = one - one.mean(), other - other.mean()
    power = float(np.sqrt(np.vdot(a, a) * np.vdot(b, b)))
    return float(np.vdot(a, b)) / power if power > 1e-9 else 0.0


def _elevation(photographs: Pixels, degrees: Pixels) -> float | None:
    """The elevation at which the albedo carries least of the relief; None where it lies at an end of what is told."""
    tried = np.arange(_LOWEST, _HIGHEST + 9, 3.0)
    costs = []
    for elevation in tried:
        report_progress(0.95, "Looking how high the lamps stood")
        albedo = solve_light_set(photographs[:, ::2, ::2], directions_of(degrees, elevation)).albedo.mean(-1)
        tone = np.log(np.maximum(albedo, 1e-4))
        costs.append(float(np.mean(np.abs(tone - blur(tone, 6.0, wraps=False)))))
    at = int(np.argmin(costs))
    if at in (0, len(tried) - 1) or tried[at] > _HIGHEST:
        return None
    below, here, above = costs[at - 1], costs[at], costs[at + 1]
    return float(tried[at] + 1.5 * (below - above) / max(below - 2 * here + above, 1e-9))


class Order(NamedTuple):
    """What fits a ring better than the photographs as they came. swapped: two of them (from 0); gap: one is missing
    after this many. gain: how many times the misfit falls; 1 where nothing better was found."""

    swapped: tuple[int, int] | None
    gap: int
    gain: float


def order(photographs: Pixels, *, gap: int = 0) -> Order:
    """Whether two photographs changed places, or one of an even ring is missing. photographs: as in found(). gap: what
    was set before; it stays where it fits no worse than an even ring."""
    count = photographs.shape[0]
    values = photographs.mean(-1).reshape(count, -1)
    values = values[:, :: max(1, values.shape[1] // 40_000)]
    values = values[:, values.mean(0) > 0.01] / np.maximum(values.mean(0)[values.mean(0) > 0.01], 1e-4)
    if count < 5 or not values.size:
        return Order(None, gap, 1.0)
    plain = np.arange(count)
    before = _off_ring(values, plain, count)
    kept = gap if gap and _off_ring(values, plain + (plain >= gap), count + 1) <= before else 0
    tries: list[tuple[float, tuple[int, int] | None, int]] = []
    for one, other in itertools.combinations(range(count), 2):
        places = plain.copy()
        places[one], places[other] = other, one
        tries.append((_off_ring(values, places, count), (one, other), 0))
    for after in range(1, count + 1):
        tries.append((_off_ring(values, plain + (plain >= after), count + 1), None, after))
    best, swapped, missing = min(tries, key=lambda t: t[0])
    gain = before / max(best, 1e-9)
    return Order(swapped, missing, gain) if gain >= ORDER_TELLS else Order(None, kept, gain)


def _off_ring(values: Pixels, places: Pixels, slots: int) -> float:
    """Mean absolute misfit of the values (N, M) to 1, cos and sin of their places in a ring."""
    angle = 2 * np.pi * places / slots
    basis = np.stack([np.ones(len(places)), np.cos(angle), np.sin(angle)], 1)
    rest = values - (basis @ np.linalg.pinv(basis)) @ values
    result: float = float(np.mean(np.abs(rest))) * np.sqrt(len(places) / max(len(places) - 3, 1))
    return result
