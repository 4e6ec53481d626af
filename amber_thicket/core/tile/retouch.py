"""Strokes of the repair brush on the tile, round its edges too, in every map: clone, heal and fill.

Clone copies from further on. Heal copies detail only, and takes the level from the rim of the stroke. Fill covers the
stroke with parts of the tile that go on what lies around it. Strokes are kept as data and drawn anew at every size.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from amber_thicket.core.numeric.filters import blur, fill_by_normalized_convolution, pad
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation, unexposed
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.strokes import MOST, Coordinate, Stroke, drawn, local, softened
from amber_thicket.core.synthesis.cut import features
from amber_thicket.core.synthesis.fill import covering, patched
from amber_thicket.core.synthesis.mosaic import Mosaic
from amber_thicket.core.synthesis.patch_search import find_steps

_RIM, _SOFT, _MEMBRANE_SIDE = 0.012, 2.5 / 768, 160


class RepairStroke(Stroke):
    """dx, dy: how much further on clone and heal copy from, in tile widths and heights."""

    kind: Literal["clone", "heal", "fill"]
    dx: Coordinate = 0.0
    dy: Coordinate = 0.0


# So many radii between two points of a line are no step along it.
_FAR = 8


def fill_strokes(points: Sequence[tuple[float, float]], radius: float) -> list[RepairStroke]:
    """Strokes that fill along a line of a tile: one, or several where it is shown in parts. points: (x, y) along it; it
    may go on over the edges. radius: half its width, in tile widths."""
    parts: list[list[tuple[float, float]]] = []
    for at in points:
        last = parts[-1][-1] if parts else None
        if last is not None:
            # Beyond an edge it is counted on.
            x, y = (round(a - round(a - b), 5) for a, b in zip(at, last, strict=True))
            if max(abs(x - last[0]), abs(y - last[1])) < _FAR * radius:
                parts[-1].append((x, y))
                continue
        parts.append([(round(at[0], 5), round(at[1], 5))])
    return [RepairStroke(kind="fill", radius=radius, points=tuple(part)) for part in parts]


class Settings(OperationSettings):
    strokes: tuple[RepairStroke, ...] = setting(
        (),
        most=MOST,
        label="Repair strokes",
        help="Strokes on the tile that clone or heal from elsewhere, or fill; one over the other.",
    )


@dataclass(frozen=True)
class Fills:
    """The patches of each stroke that fills; None for the others."""

    plans: tuple[Mosaic | None, ...]

    @property
    def nbytes(self) -> int:
        return sum(plan.nbytes for plan in self.plans if plan)


def decide_retouch(repaired: Raster, *, frame: Frame, strokes: Sequence[RepairStroke]) -> Fills:
    """Patches of all strokes that fill, each on what those before it left."""
    pixels, plans = repaired.pixels, []
    last = max((i for i, touch in enumerate(strokes) if touch.kind == "fill"), default=-1)
    for number, touch in enumerate(strokes):
        plan = _filling(pixels, touch) if touch.kind == "fill" else None
        plans.append(plan)
        if number < last:
            pixels = _touched(pixels, touch, plan)
    return Fills(tuple(plans))


def retouch(repaired: Raster, *, frame: Frame, decided: Fills, strokes: Sequence[RepairStroke]) -> Raster:
    """One layer of the tile with all strokes on it. Normals stay of unit length."""
    pixels = repaired.pixels
    for stroke, plan in zip(strokes, decided.plans, strict=True):
        pixels = _touched(pixels, stroke, plan)
    if repaired.vectors:
        return Raster(unit(pixels), vectors=True)
    return Raster(np.maximum(pixels, 0), evidence=dict(repaired.evidence))


def _filling(pixels: Pixels, touch: RepairStroke) -> Mosaic | None:
    """Patches over a stroke. pixels: linear RGB of the tile at plan size."""
    height, width = pixels.shape[:2]
    unfit = drawn([touch], (width, height), wraps=True) > 0.02
    if not unfit.any() or unfit.mean() > 0.8:
        return None
    seen = np.ascontiguousarray(features(pad(pixels, 8, wraps=True))[8:-8, 8:-8])
    return covering(seen, unfit, find_steps(pixels, (width, height)))


def _touched(pixels: Pixels, touch: RepairStroke, plan: Mosaic | None) -> Pixels:
    """A layer with one stroke on it."""
    if touch.kind == "fill":
        return pixels if plan is None else patched(pixels, plan)
    return _copied(pixels, touch)


def _copied(pixels: Pixels, touch: RepairStroke) -> Pixels:
    """Clone or heal along a stroke."""
    height, width = pixels.shape[:2]
    rim = _RIM * width
    found = local(touch, (width, height), spare=3 * _SOFT * width + 3 * rim)
    # Soft edges never take more than a part of a thin stroke.
    soft = min(_SOFT * width, 0.35 * found.thin)
    box, hard, thin = found.box, found.hard, found.thin
    mask = softened(found, soft)
    here = pixels[box.on(pixels.shape)]
    # Steps of 1/256 are whole pixels at every size there is.
    dx, dy = (round(round(256 * step) / 256 * side) for step, side in ((touch.dx, width), (touch.dy, height)))
    difference = pixels[box.further(dx, dy).on(pixels.shape)] - here
    if touch.kind == "heal":
        difference = difference - _membrane(difference, hard, rim + soft, thin)
    out = pixels.copy()
    out[box.on(pixels.shape)] = here + difference * (mask if pixels.ndim == 2 else mask[..., None])
    return out


def _membrane(difference: Pixels, hard: Pixels, rim: float, thin: float) -> Pixels:
    """What the two places differ by around a stroke, carried smoothly across it.

    Stands for the solution of Laplace's equation with the rim's values (Pérez, Gangnet & Blake, "Poisson image
    editing", SIGGRAPH 2003), by normalised smoothing from coarse to fine, no finer than the stroke is thin, so that
    single grains at the rim leave no smudge.
    """
    height, width = hard.shape
    scale = min(1.0, _MEMBRANE_SIDE / max(height, width))
    size = (max(4, round(width * scale)), max(4, round(height * scale)))
    around = blur((hard > 0.02).astype(np.float32), max(0.6 * rim, 0.5), wraps=False)
    weight = cv2.resize(((around > 0.02) & (hard < 0.02)).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(difference, size, interpolation=cv2.INTER_AREA)
    longest = max(size) / 4
    sigmas = [longest / 2**n for n in range(12) if longest / 2**n >= max(1.0, 0.6 * thin * scale)]
    found = fill_by_normalized_convolution(small, weight, sigmas)
    large = cv2.resize(found, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(large.reshape(difference.shape))


OPERATION = Operation(
    id="tile.retouch",
    label="Repair brush",
    help="Strokes on the tile that clone, heal or fill, in every map.",
    settings=Settings,
    reads=("previous",),
    writes="touched",
    carries="touched",
    apply=retouch,
    decide=decide_retouch,
    decides_with=unexposed,
    idle=lambda s: not s.strokes,
    version=2,
)
