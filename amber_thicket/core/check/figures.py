"""Figures about tiling: seam, hidden seam, drift."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.roles import ROLES

SCALES = (1, 2, 4, 8)
PASS, BLOCKED = 4.0, 8.0
OWN_LINES = 4.0
_SMALL = 96


class Seam(NamedTuple):
    """border: z of the edge. inner: worst z of any other line, at `at` (0..1 along the axis)."""

    border: float
    inner: float
    at: float

    @property
    def passes(self) -> bool:
        """Below the limit, or no worse than the surface's own lines."""
        return self.border < PASS or (self.inner > OWN_LINES and self.border <= self.inner)

    @property
    def by_own_lines(self) -> bool:
        """Over the usual limit, but no worse than the surface's own lines."""
        return self.border >= PASS and self.passes

    @property
    def level(self) -> str:
        if self.passes:
            return "pass"
        return "blocked" if self.border > BLOCKED else "attention"


def coded(pixels: Pixels, role: str) -> Pixels:
    """The values the eye compares: colours as sRGB codes, the rest as they are; always (H, W, C)."""
    values = encode_srgb(pixels) if ROLES[role].encoding == "srgb" else pixels
    return values[..., None] if values.ndim == 2 else values


def roughness_of_lines(values: Pixels, *, axis: int = 0) -> Pixels:
    """e(x): mean over the rows of |step(x) − ½(step(x−1) + step(x+1))| for each wrapped column step; axis 1: the same
    for rows. values: (H, W, C)."""
    rows, columns, channels = values.shape
    lines = np.ascontiguousarray(values, np.float32).reshape(rows, columns * channels)
    if axis == 1:
        found = np.zeros(rows)
        over_rows(partial(_bends_down, lines, found), rows)
        return found / lines.shape[1]
    sums: list[NDArray[np.float64]] = []

    def band(first: int, last: int) -> None:
        total = np.zeros(lines.shape[1])
        _bends_across(lines, channels, total, first, last)
        sums.append(total)

    over_rows(band, rows)
    return np.asarray(np.sum(sums, axis=0).reshape(columns, channels).sum(axis=1) / (rows * channels))


@compiled(loose=True)
def _bends_down(lines, found, first, last):  # type: ignore[no-untyped-def]
    rows = lines.shape[0]
    for y in range(first, last):
        here, after = lines[y], lines[(y + 1) % rows]
        one, two = lines[y - 1 if y else rows - 1], lines[(y - 2) % rows]
        total = np.float32(0.0)
        for i in range(lines.shape[1]):
            total += abs(np.float32(1.5) * (here[i] - one[i]) + np.float32(0.5) * (two[i] - after[i]))
        found[y] = total


@compiled(loose=True)
def _bends_across(lines, channels, total, first, last):  # type: ignore[no-untyped-def]
    length = lines.shape[1]
    for y in range(first, last):
        line = lines[y]
        for i in range(2 * channels, length - channels):
            one, two, after = line[i - channels], line[i - 2 * channels], line[i + channels]
            total[i] += abs(np.float32(1.5) * (line[i] - one) + np.float32(0.5) * (two - after))
        for edge in range(3 * channels):
            i = (edge + length - channels) % length
            one, two = line[(i - channels) % length], line[(i - 2 * channels) % length]
            after = line[(i + channels) % length]
            total[i] += abs(np.float32(1.5) * (line[i] - one) + np.float32(0.5) * (two - after))


def _spread(e: Pixels) -> float:
    middle = float(np.median(e))
    return 1.4826 * float(np.median(np.abs(e - middle))) + 0.02 * middle + 1e-9


def seam(values: Pixels, *, axis: int) -> Seam:
    """The seam figure of one axis (0: left against right, 1: top against bottom), worst over the scales.

    values: (H, W, C). QUALITY: pass under 4, blocked over 8. Border and its two neighbours are left out of `inner`.
    """
    return _over_scales(values, (axis,))[0]


def seams(values: Pixels, like: Pixels | None = None) -> tuple[Seam, Seam]:
    """seam() of both axes. values: (H, W[, C]). like: a picture of the same surface, as fine; where its lines differ
    more among each other, that counts: in a tile of few pieces it may come out small by chance."""
    across, down = _over_scales(values, (0, 1), like)
    return across, down


def _scaled(values: Pixels) -> Iterator[Pixels]:
    """A picture at all scales that are large enough, (H, W, C)."""
    scaled, at_scale = np.ascontiguousarray(values), 1
    for scale in SCALES:
        scaled, at_scale = shrink(scaled, scale // at_scale), scale
        if min(scaled.shape[:2]) < 16:
            return
        yield _deep(scaled)


def _over_scales(values: Pixels, axes: tuple[int, ...], like: Pixels | None = None) -> list[Seam]:
    found = [(-np.inf, -np.inf, 0.0)] * len(axes)
    others = iter(()) if like is None else _scaled(like)
    for scaled in _scaled(values):
        other = next(others, None)
        for number, axis in enumerate(axes):
            z = _z(scaled, axis, other)
            border, inner, at = found[number]
            within = z[2:-1]
            if within.max() > inner:
                inner, at = float(within.max()), float((within.argmax() + 2) / z.size)
            found[number] = max(border, float(z[0])), inner, at
    for number, axis in enumerate(axes):
        border, inner, at = found[number]
        if border >= PASS and OWN_LINES < inner < border:
            found[number] = border, max(inner, worst_line(values, axis, SCALES[1:], like)), at
    return [Seam(round(border, 2), round(inner, 2), round(at, 4)) for border, inner, at in found]


def _z(values: Pixels, axis: int, like: Pixels | None) -> Pixels:
    """How far each line stands out from the usual one, in spreads of all lines."""
    e = roughness_of_lines(values, axis=axis)
    spread = _spread(e)
    if like is not None:
        spread = max(spread, _spread(roughness_of_lines(like, axis=axis)))
    z: Pixels = (e - float(np.median(e))) / spread
    return z


def worst_line(values: Pixels, axis: int, scales: Iterable[int], like: Pixels | None = None) -> float:
    """z of the worst inner line at some scales, wherever a line of the surface comes to lie among their px: one that
    falls on a single px stands out more than one that two px share. What the border touches is left out. values:
    (H, W[, C]); axis, like: as in seam(), seams(). −inf where the picture is too small for all of them."""
    worst = -np.inf
    for scale in scales:
        if min(values.shape[:2]) // scale < 16:
            break
        other = None if like is None or min(like.shape[:2]) // scale < 16 else _deep(shrink(like, scale))
        for by in range(0, scale, max(scale // 4, 1)):
            moved = _deep(shrink(np.roll(values, by, axis=1 - axis), scale))
            worst = max(worst, float(_z(moved, axis, other)[3:-1].max()))
    return worst


def _deep(values: Pixels) -> Pixels:
    return values[..., None] if values.ndim == 2 else values


def drift(values: Pixels) -> float:
    """Spread (standard deviation) of local means, σ = 1/8 of the width, over the wrapped tile.

    values: (H, W[, C]); the unit is theirs.
    """
    # Nothing finer than the smoothing matters: a small copy tells it at once, whatever the size.
    small = shrink(np.ascontiguousarray(values), max(1, min(values.shape[:2]) // _SMALL))
    soft = blur(small, small.shape[1] / 8, wraps=True)
    return float(soft.reshape(-1, soft.shape[-1] if soft.ndim == 3 else 1).std(axis=0).mean())
