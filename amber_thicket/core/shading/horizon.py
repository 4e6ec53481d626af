"""How much of the sky is open over a height field, by the horizon in 16 directions.

Per slice through the normal's projection the cosine-weighted open sky has a closed form; see
Jimenez et al., "Practical real-time strategies for accurate indirect occlusion", 2016, eq. 7.
"""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.arctan import arctan
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import pad
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.slope import slopes

_SLICES = 8
_STEPS = 12


def open_sky(height: Pixels, *, depth: float, reach: float, wraps: bool = True) -> Pixels:
    """Share of the cosine-weighted sky about the normal that is open, (H, W) in [0, 1].

    height: (H, W) float32. depth: pixels from height 0 to height 1. reach: pixels.
    """
    rows, columns = height.shape
    limit = max(1, min(int(np.ceil(reach)), min(rows, columns) - 1))
    scaled = np.ascontiguousarray(height * np.float32(depth))
    padded = np.ascontiguousarray(pad(scaled, limit, wraps=wraps))
    # Rows of unknown stride would be gone through pixel by pixel.
    right, up = (np.ascontiguousarray(slope) for slope in slopes(scaled, wraps=wraps))
    offsets, distances = _marches(limit)
    out = np.zeros((rows, columns), np.float32)

    def band(first: int, last: int) -> None:
        _horizons(padded, right, up, offsets, distances, limit, out, first, last)

    over_rows(band, rows, least=16)
    out *= np.float32(1 / _SLICES)
    return np.clip(out, 0, 1, out=out)


def _angle(part: int) -> float:
    """Half a step off the axes: no slice runs along a wall that stands straight in the picture."""
    return float(np.pi * (part + 0.5) / _SLICES)


def _marches(limit: int) -> tuple[np.ndarray, Pixels]:
    """Whole-pixel steps (slice, side, step, dy/dx) at growing distance, and their lengths."""
    growth = (np.arange(1, _STEPS + 1) / _STEPS) ** 1.8
    radii = np.maximum(growth * limit, np.arange(1, _STEPS + 1).clip(max=limit))
    offsets = np.zeros((_SLICES, 2, _STEPS, 2), np.int64)
    for part in range(_SLICES):
        angle = _angle(part)
        for side, sign in enumerate((1, -1)):
            offsets[part, side, :, 0] = np.rint(-sign * np.sin(angle) * radii)
            offsets[part, side, :, 1] = np.rint(sign * np.cos(angle) * radii)
    distances = np.sqrt((offsets.astype(np.float64) ** 2).sum(-1))
    return offsets, np.maximum(distances, 1).astype(np.float32)


@compiled(inline=True)
def _line(height, offset, y, margin, width):  # type: ignore[no-untyped-def]
    """The row of heights one step away."""
    return height[y + offset[0], margin + offset[1] : margin + offset[1] + width]


@compiled(loose=True)
def _horizons(height, right, up, offsets, distances, margin, out, first, last):  # type: ignore[no-untyped-def]
    width = out.shape[1]
    slices, steps = offsets.shape[0], offsets.shape[2]
    ahead = np.empty(width, np.float32)
    behind = np.empty(width, np.float32)
    for y in range(first, last):
        centre = height[y + margin, margin : margin + width]
        line, line_right, line_up = out[y], right[y], up[y]
        for part in range(slices):
            angle = np.pi * (part + 0.5) / slices
            c, s = np.float32(np.cos(angle)), np.float32(np.sin(angle))
            for side in range(2):
                tangent = ahead if side == 0 else behind
                for x in range(width):
                    tangent[x] = np.float32(-1e9)
                # Four steps at a time: what is known of a pixel stays in a register meanwhile.
                for step in range(0, steps, 4):
                    one = _line(height, offsets[part, side, step], y + margin, margin, width)
                    two = _line(height, offsets[part, side, step + 1], y + margin, margin, width)
                    three = _line(height, offsets[part, side, step + 2], y + margin, margin, width)
                    four = _line(height, offsets[part, side, step + 3], y + margin, margin, width)
                    by_one = np.float32(1.0) / distances[part, side, step]
                    by_two = np.float32(1.0) / distances[part, side, step + 1]
                    by_three = np.float32(1.0) / distances[part, side, step + 2]
                    by_four = np.float32(1.0) / distances[part, side, step + 3]
                    for x in range(width):
                        own = centre[x]
                        near = max((one[x] - own) * by_one, (two[x] - own) * by_two)
                        far = max((three[x] - own) * by_three, (four[x] - own) * by_four)
                        tangent[x] = max(tangent[x], max(near, far))
            for x in range(width):
                # Slope along and across the slice; the normal is (-right, -up, 1).
                along = line_right[x] * c + line_up[x] * s
                across = line_up[x] * c - line_right[x] * s
                # The surface's own plane is the lowest horizon there can be.
                t_ahead = max(ahead[x], along)
                t_behind = max(behind[x], -along)
                # cos and sin of each horizon's angle from the zenith, and of the normal's (toward ahead).
                n_ahead = np.float32(1.0) / np.sqrt(np.float32(1.0) + t_ahead * t_ahead)
                n_behind = np.float32(1.0) / np.sqrt(np.float32(1.0) + t_behind * t_behind)
                n_along = np.float32(1.0) / np.sqrt(np.float32(1.0) + along * along)
                leaning = np.float32(1.0) + along * along
                projected = np.sqrt(leaning / (leaning + across * across))
                zenith_ahead = np.float32(1.5707964) - arctan(t_ahead)
                zenith_behind = arctan(t_behind) - np.float32(1.5707964)
                cos_g, sin_g = n_along, -along * n_along
                # cos(2h - gamma) = cos 2h cos gamma + sin 2h sin gamma, from the tangents.
                c1, s1 = t_ahead * n_ahead, n_ahead
                c2, s2 = t_behind * n_behind, -n_behind
                cos_2a = (np.float32(2) * c1 * c1 - np.float32(1)) * cos_g + np.float32(2) * s1 * c1 * sin_g
                cos_2b = (np.float32(2) * c2 * c2 - np.float32(1)) * cos_g + np.float32(2) * s2 * c2 * sin_g
                open_ahead = -cos_2a + cos_g + np.float32(2) * zenith_ahead * sin_g
                open_behind = -cos_2b + cos_g + np.float32(2) * zenith_behind * sin_g
                line[x] += projected * np.float32(0.25) * (open_ahead + open_behind)
