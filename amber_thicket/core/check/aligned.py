"""Whether maps of one surface lie on each other: where each of them changes is compared at every shift.

Source: Kuglin & Hines, "The phase correlation image alignment method", 1975, here of the steepness of each map and
without whitening, which a smooth relief would not survive; the peak is placed between pixels by a parabola.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.raking import Raking

# A correlation that is believed: so high, and so much above the one at no shift or at the opposite one.
_LEAST, _BETTER, _MORE = 0.15, 1.3, 0.03
# So many px aside is no accident of two kinds of map, which change at places half a pixel apart themselves.
ASIDE = 0.75
# Of the width; two maps that only look alike somewhere match best anywhere.
_MOST = 0.2
# Correlation of two maps of one surface that lie on each other, about.
_ALIKE = 0.4


class Beside(NamedTuple):
    """How far a map lies beside the others: px right and down, of the fields compared. sure: 0..1, how well it fits
    there, and how much better than where it lies."""

    x: float
    y: float
    sure: float


# Maps made of tone: light puts the edges of their relief aside, toward or away from where it comes, by these shares of
# the width at most; the first where no side is known, the second along the light's axis where one is.
OF_TONE = ("base_color", "roughness")
_BY_LIGHT, _ALONG_LIGHT = 0.004, 0.005


def beyond_light(off: Beside, light: Raking | None, width: int) -> float:
    """How far a map of tone lies beside others, px, but for what light explains. light: in the colour; None where there
    is no colour; width: px of the fields compared."""
    if light is None or light.weight == 0:
        return max(float(np.hypot(off.x, off.y)) - _BY_LIGHT * width, 0.0)
    axis = np.radians(light.bearing)
    along = off.x * np.cos(axis) - off.y * np.sin(axis)
    across = off.x * np.sin(axis) + off.y * np.cos(axis)
    return float(np.hypot(max(abs(along) - _ALONG_LIGHT * width, 0.0), across))


def steep(field: Pixels, *, leans: bool = False) -> Pixels:
    """Where a map changes: (H, W) from (H, W[, C]) of any range. leans: it is a normal, vectors or stored numbers."""
    if leans:
        sideways = np.ascontiguousarray(field[..., :2], np.float32)
        sideways = sideways - blur(sideways, 4, wraps=True)
        return np.hypot(sideways[..., 0], sideways[..., 1])
    grey = field if field.ndim == 2 else field.mean(axis=-1)
    fine = grey - blur(np.ascontiguousarray(grey, np.float32), 4, wraps=True)
    result: Pixels = np.hypot(*np.gradient(fine)).astype(np.float32)
    return result


def beside(one: Pixels, other: Pixels) -> Beside | None:
    """How far `other` lies beside `one`; None where that cannot be told. Both as steep() gives them; they wrap.

    Fields: (H, W).
    """
    if min(float(one.std()), float(other.std())) < 1e-9:
        return None
    a, b = (np.fft.rfft2(field - field.mean()) for field in (one, other))
    both = np.fft.irfft2(np.conj(a) * b, s=one.shape) / max(float(one.std() * other.std()) * one.size, 1e-12)
    y, x = (int(v) for v in np.unravel_index(int(both.argmax()), both.shape))
    height, width = one.shape
    best = float(both[y, x])
    # Maps that lie on each other may match best a little aside, but then to both sides alike.
    against = max(float(both[0, 0]), float(both[-y % height, -x % width])) if x or y else 0.0
    if best <= _LEAST or ((x or y) and best <= _BETTER * against + _MORE):
        return None
    dx = (x + width // 2) % width - width // 2 + _between(*(float(both[y, (x + n) % width]) for n in (-1, 0, 1)))
    dy = (y + height // 2) % height - height // 2 + _between(*(float(both[(y + n) % height, x]) for n in (-1, 0, 1)))
    better = min(1.0, 2 * (1 - max(against, 0.0) / best))
    return Beside(dx, dy, round(min(1.0, best / _ALIKE) * better, 3)) if np.hypot(dx, dy) < _MOST * width else None


def _between(before: float, peak: float, after: float) -> float:
    bend = before - 2 * peak + after
    return 0.5 * (before - after) / bend if bend < 0 else 0.0


def lying_beside(fields: Mapping[str, Pixels], base: str) -> dict[str, Beside]:
    """How far each map lies beside where most of them lie. fields: as steep() gives them; base: the one the others are
    compared with, which may turn out to be the odd one. Fields: (H, W) of one size."""
    found = {base: Beside(0.0, 0.0, 1.0)}
    for role, field in fields.items():
        told = beside(fields[base], field) if role != base else None
        if told is not None:
            found[role] = told
    places = [(one.x, one.y) for one in found.values()]
    near = [sum(np.hypot(x - u, y - v) < ASIDE for u, v in places) for x, y in places]
    x, y = places[int(np.argmax(near))]
    return {role: Beside(one.x - x, one.y - y, one.sure) for role, one in found.items()}
