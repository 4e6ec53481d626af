"""A scanned surface projected straight onto its plane: colour, height and normal on one grid; what lies uppermost wins.

Sources: Pineda, "A parallel algorithm for polygon rasterization", SIGGRAPH 1988 (edge functions); Max, "Weights for
computing vertex normals from facet normals", J. Graphics Tools 4(2), 1999 (normals of corners).
"""

from __future__ import annotations

from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import fill_by_normalized_convolution
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.scan.holes import carried_in
from amber_thicket.core.scan.plane import Plane, areas

_STRIP = 512
# Layers further apart than this share of the width lie over each other: an overhang.
_OVERHANG = 0.004
LEAST, MOST = 64, 8192
_GREY = 0.2
# How much of a point has to lie on a px to say anything there.
_NEAR = 0.2
# Sides of triangles, px, up to which their own normals count alone, and from which those of the corners do.
_FINE_SIDE, _COARSE_SIDE = 0.6, 1.3
# Places looked at along a side of a triangle, and at most along one of a px.
_SAMPLES, _MOST_SAMPLES, _ASIDE = 2.0, 4, 0.125


class Projected(NamedTuple):
    """color: (H, W, 3) linear. height: (H, W) over the plane, in px. normal: (H, W, 3) unit vectors, Y up. holes:
    (H, W) 1 where nothing was and all is filled. overhang: share of the picture where something lies under another
    thing. unit: how many of the file's units a px is."""

    color: Pixels
    height: Pixels
    normal: Pixels
    holes: Pixels
    overhang: float
    unit: float


class Surface(NamedTuple):
    """A scan over its plane. points: (N, 3) float32: right, down, up, in px. normals: (N, 3) of corners, right, up in
    the picture, toward the eye; smooth: how far they count before those of the triangles. faces: (M, 3). colours:
    (N, 3) linear, or (N, 2) places on the texture, or none."""

    points: Pixels
    normals: Pixels
    smooth: float
    faces: NDArray[Any]
    colours: Pixels
    texture: NDArray[Any]


def own_resolution(
    points: NDArray[Any], faces: NDArray[Any], colours: NDArray[Any], texture: NDArray[Any], plane: Plane
) -> float:
    """How many px to a unit a scan is worth: those of its texture, or as many as it has points."""
    rng = np.random.default_rng(5)
    if not len(faces):
        # Points of a cloud lie as far apart as so many on the area they cover.
        flat = plane.over(points[:: max(1, len(points) // 100_000)])[:, :2]
        spread = np.sqrt(np.maximum(np.linalg.eigvalsh(np.cov(flat.T)), 1e-30))
        return float((len(points) / max(12 * float(spread[0] * spread[1]), 1e-30)) ** 0.5)
    pick = faces[rng.choice(len(faces), min(100_000, len(faces)), replace=False)]
    size = np.abs(areas(points, pick) @ plane.up)
    if texture.size and colours.shape[1] == 2:
        places = colours[pick].astype(np.float64) * (texture.shape[1], texture.shape[0])
        first, second = places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]
        held = np.abs(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
        return float((held.sum() / max(size.sum(), 1e-30)) ** 0.5)
    # Two triangles to a px: what a grid of samples has.
    return float((1 / max(float(size.mean()), 1e-30)) ** 0.5)


def vertex_normals(points: NDArray[Any], faces: NDArray[Any]) -> NDArray[np.float64]:
    """(N, 3) unit normals of corners, from all triangles that meet there by their areas, also across cuts of the
    texture."""
    normals = areas(points, faces)
    # Places that are the same are one corner.
    order = np.lexsort(points.T)
    ordered = points[order]
    first = np.concatenate([[True], np.any(ordered[1:] != ordered[:-1], axis=1)])
    corner = np.empty(len(points), np.int64)
    corner[order] = np.cumsum(first) - 1
    sums = np.zeros((int(first.sum()), 3))
    ids = corner[faces]
    for axis in range(3):
        sums[:, axis] = np.bincount(ids.ravel(), np.repeat(normals[:, axis], 3), len(sums))
    sums /= np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-30)
    return np.asarray(sums[corner], np.float64)


def project_mesh(
    points: NDArray[Any],
    faces: NDArray[Any],
    colours: NDArray[Any],
    texture: NDArray[Any],
    plane: Plane,
    patch: tuple[float, float, float, float],
    width: int,
) -> Projected:
    """patch: left, top, right, bottom as shares of what is there. width: px. Raises Cancelled."""
    unit, size, corner = _grid(plane, patch, width)
    report_progress(0.05, "Finding the normals")
    over = plane.over(points)
    over[:, :2] -= corner
    flat = (over / unit).astype(np.float32)
    side = _mean_side(flat, faces)
    # Of triangles that are smaller than a px the mean of all counts; larger ones are rounded from corner to corner.
    smooth = float(np.clip((side - _FINE_SIDE) / (_COARSE_SIDE - _FINE_SIDE), 0, 1))
    axes = np.stack([plane.right, -plane.down, plane.up], 1)
    normals = vertex_normals(points, faces) @ axes if smooth else np.zeros((1, 3))
    seen = Surface(
        flat, normals.astype(np.float32), smooth, np.ascontiguousarray(faces, np.int32), _light(colours), texture
    )
    fine = int(np.clip(round(_SAMPLES / max(side, 1e-6)), 1, _MOST_SAMPLES))
    sums = np.zeros((size[1], size[0], 7), np.float32)
    counts = np.zeros((size[1], size[0]), np.float32)
    hidden = np.zeros((size[1], size[0]), np.uint8)
    rows = np.sort(seen.points[seen.faces, 1], axis=1)
    first, last = rows[:, 0], rows[:, 2]
    for top in range(0, size[1], _STRIP):
        report_progress(0.15 + 0.7 * top / size[1], "Projecting")
        bottom = min(top + _STRIP, size[1])
        touched = np.flatnonzero((last >= top - 1) & (first <= bottom + 1))
        part = np.s_[top:bottom]
        _strip(seen, touched, top, fine, width * _OVERHANG, sums[part], counts[part], hidden[part])
    report_progress(0.88, "Filling holes")
    known = counts / fine**2
    mean = sums / np.maximum(counts, 1)[..., None]
    return _finished(mean[..., :3], mean[..., 3], mean[..., 4:], known, float((hidden > 0).mean()), unit)


def _grid(
    plane: Plane, patch: tuple[float, float, float, float], width: int
) -> tuple[float, tuple[int, int], NDArray[np.float64]]:
    """(units a px, (width, height) px, upper left corner in units)."""
    whole = np.array(plane.size())
    left, top, right, bottom = patch
    unit = float(whole[0] * (right - left)) / width
    height = max(1, round(float(whole[1] * (bottom - top)) / unit))
    return unit, (width, height), whole * (left, top)


def _light(colours: NDArray[Any]) -> Pixels:
    if colours.shape[1] == 3 and len(colours):
        return np.ascontiguousarray(decode_srgb(np.ascontiguousarray(colours[None]))[0])
    return np.ascontiguousarray(colours, np.float32)


def _mean_side(points: Pixels, faces: NDArray[Any]) -> float:
    """px of a side of a triangle, as a square of two has it."""
    pick = faces[:: max(1, len(faces) // 50_000)]
    first, second, third = (points[pick[:, k], :2] for k in range(3))
    a, b = second - first, third - first
    return float(np.sqrt(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).mean()))


def _strip(
    seen: Surface, touched: NDArray[Any], top: int, fine: int, apart: float, sums: Pixels, counts: Pixels, hidden: Any
) -> None:
    """Adds up what is seen in the rows of a strip. sums: (h, W, 7): colour, height, normal."""
    rows, columns = counts.shape
    depth = np.full((rows * fine, columns * fine), -np.inf, np.float32)
    owner = np.full(depth.shape, -1, np.int32)
    under = np.zeros(depth.shape, np.uint8)
    faces = seen.faces[touched]
    scaled = seen.points * np.array((fine, fine, 1), np.float32) - np.array((0.5, 0.5 + top * fine, 0), np.float32)
    # Rows of places are shifted against each other: on a grid of samples they would lie on its diagonals.
    aside = np.float32(_ASIDE if fine > 1 else 0.0)
    over_rows(partial(_cover, scaled, faces, np.float32(apart), aside, depth, owner, under), len(depth))
    table = decode_srgb(np.arange(256, dtype=np.uint8).reshape(1, 256))[0]
    texture = seen.texture if seen.texture.size else np.zeros((1, 1, 3), np.uint8)
    kind = seen.colours.shape[1] if len(seen.colours) else 0
    colours = seen.colours if kind else np.full((1, 3), _GREY, np.float32)
    gather = partial(
        _gather, scaled, seen.normals, np.float32(seen.smooth), faces, colours, texture, table, kind, fine, aside,
        owner, under, sums, counts, hidden,
    )  # fmt: skip
    over_rows(gather, rows, least=16)


@compiled()
def _cover(points, faces, apart, aside, depth, owner, under, first, last):  # type: ignore[no-untyped-def]
    """Which triangle lies uppermost at each place, of rows first to last, and where one that looks up lies under it."""
    columns = depth.shape[1]
    for number in range(len(faces)):
        a, b, c = faces[number, 0], faces[number, 1], faces[number, 2]
        ax, ay, bx, by, cx, cy = points[a, 0], points[a, 1], points[b, 0], points[b, 1], points[c, 0], points[c, 1]
        y0 = max(first, int(np.ceil(min(ay, by, cy) - 1e-3)))
        y1 = min(last - 1, int(np.floor(max(ay, by, cy) + 1e-3)))
        if y1 < y0:
            continue
        x0 = max(0, int(np.ceil(min(ax, bx, cx) - aside - 1e-3)))
        x1 = min(columns - 1, int(np.floor(max(ax, bx, cx) + aside + 1e-3)))
        whole = np.float64(bx - ax) * (cy - ay) - np.float64(cx - ax) * (by - ay)
        if x1 < x0 or abs(whole) < 1e-9:
            continue
        # Rows go down: counter-clockwise seen from above has a negative area here.
        looks_up = whole < 0
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                at = x + (aside if y & 1 else -aside)
                v = ((at - ax) * (cy - ay) - (cx - ax) * (y - ay)) / whole
                w = ((bx - ax) * (y - ay) - (at - ax) * (by - ay)) / whole
                u = 1 - v - w
                if u < -1e-5 or v < -1e-5 or w < -1e-5:
                    continue
                z = np.float32(u * points[a, 2] + v * points[b, 2] + w * points[c, 2])
                before = depth[y, x]
                if z > before:
                    if owner[y, x] >= 0 and under[y, x] & 1 and z - before > apart:
                        under[y, x] |= 2
                    depth[y, x] = z
                    owner[y, x] = number
                    under[y, x] = (under[y, x] & 2) | (1 if looks_up else 0)
                elif looks_up and before - z > apart:
                    under[y, x] |= 2


@compiled(inline=True)
def _texel(texture, table, u, v, k):  # type: ignore[no-untyped-def]
    """Light of a texture at a place in 0..1, V up, between its four nearest px; beyond its edges it goes round."""
    rows, columns = texture.shape[0], texture.shape[1]
    x, y = u * columns - 0.5, (1 - v) * rows - 0.5
    i, j = int(np.floor(x)), int(np.floor(y))
    s, t = x - i, y - j
    i0, i1, j0, j1 = i % columns, (i + 1) % columns, j % rows, (j + 1) % rows
    upper = (1 - s) * table[texture[j0, i0, k]] + s * table[texture[j0, i1, k]]
    lower = (1 - s) * table[texture[j1, i0, k]] + s * table[texture[j1, i1, k]]
    return (1 - t) * upper + t * lower


@compiled()
def _gather(  # type: ignore[no-untyped-def]
    points,
    normals,
    smooth,
    faces,
    colours,
    texture,
    table,
    kind,
    fine,
    aside,
    owner,
    under,
    sums,
    counts,
    hidden,
    first,
    last,
):
    for row in range(first, last):
        for column in range(counts.shape[1]):
            for y in range(row * fine, row * fine + fine):
                for x in range(column * fine, column * fine + fine):
                    number = owner[y, x]
                    if number < 0:
                        continue
                    a, b, c = faces[number, 0], faces[number, 1], faces[number, 2]
                    ax, ay = points[a, 0], points[a, 1]
                    bx, by = points[b, 0] - ax, points[b, 1] - ay
                    cx, cy = points[c, 0] - ax, points[c, 1] - ay
                    whole = np.float64(bx) * cy - np.float64(cx) * by
                    at = x + (aside if y & 1 else -aside)
                    v = ((at - ax) * cy - cx * (y - ay)) / whole
                    w = (bx * (y - ay) - (at - ax) * by) / whole
                    u = 1 - v - w
                    if kind == 3:
                        for k in range(3):
                            sums[row, column, k] += u * colours[a, k] + v * colours[b, k] + w * colours[c, k]
                    elif kind == 2:
                        across = u * colours[a, 0] + v * colours[b, 0] + w * colours[c, 0]
                        up = u * colours[a, 1] + v * colours[b, 1] + w * colours[c, 1]
                        for k in range(3):
                            sums[row, column, k] += _texel(texture, table, across, up, k)
                    else:
                        for k in range(3):
                            sums[row, column, k] += colours[0, k]
                    sums[row, column, 3] += u * points[a, 2] + v * points[b, 2] + w * points[c, 2]
                    if smooth > 0:
                        for k in range(3):
                            corner = u * normals[a, k] + v * normals[b, k] + w * normals[c, k]
                            sums[row, column, 4 + k] += smooth * corner
                    if smooth < 1:
                        # The triangle's own: how it rises along right and along up in the picture.
                        az = points[a, 2]
                        bz, cz = (points[b, 2] - az) * fine, (points[c, 2] - az) * fine
                        nx, ny = (by * cz - bz * cy) / whole, (bx * cz - bz * cx) / whole
                        length = (1 - smooth) / np.sqrt(nx * nx + ny * ny + 1)
                        sums[row, column, 4] += nx * length
                        sums[row, column, 5] += ny * length
                        sums[row, column, 6] += length
                    counts[row, column] += 1
                    if under[y, x] & 2:
                        hidden[row, column] = 1


def _finished(
    color: Pixels, height: Pixels, normal: Pixels | None, known: Pixels, overhang: float, unit: float
) -> Projected:
    """Holes filled from their rims. known: (H, W), 0 where nothing was."""
    there = (known > 0).astype(np.float32)
    holes = 1 - there
    if holes.any():
        stack = np.concatenate([color, height[..., None]], -1).astype(np.float32)
        filled = carried_in(np.ascontiguousarray(stack * there[..., None]), there)
        lacking = holes[..., None] > 0
        color = np.where(lacking, filled[..., :3], color)
        height = np.where(lacking[..., 0], filled[..., 3], height)
    flat = from_height(np.ascontiguousarray(height, np.float32), depth=1.0, wraps=False)
    if normal is None:
        normal = flat
    else:
        # What looks away from the eye, at the rim of an overhang, lies as flat as a picture can say.
        normal = np.where(holes[..., None] > 0, flat, normal)
        normal[..., 2] = np.maximum(normal[..., 2], 0.05)
        normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-6)
    color, height, normal = (np.ascontiguousarray(part, np.float32) for part in (color, height, normal))
    return Projected(color, height, normal, holes.astype(np.float32), overhang, unit)


def project_cloud(
    points: NDArray[Any], colours: NDArray[Any], plane: Plane, patch: tuple[float, float, float, float], width: int
) -> Projected:
    """As project_mesh(), of points alone: over one px the upper ones count, between them it goes on smoothly."""
    unit, size, corner = _grid(plane, patch, width)
    over = plane.over(points)
    # px from the middle of the first one.
    at, height = (over[:, :2] - corner) / unit - 0.5, over[:, 2] / unit
    nearest = np.rint(at).astype(np.int64).clip(0, np.array(size) - 1)
    inside = (np.abs(at - nearest) <= 0.51).all(1)
    at, height, nearest = at[inside], height[inside], nearest[inside]
    report_progress(0.2, "Laying out the points")
    cell = nearest[:, 1] * size[0] + nearest[:, 0]
    top = np.full(size[0] * size[1], -np.inf)
    np.maximum.at(top, cell, height)
    upper = height > top[cell] - max(1.5, _OVERHANG * width)
    hidden = np.zeros(len(top), bool)
    hidden[cell[~upper]] = True
    light = _light(colours)[inside][upper] if len(colours) else None
    values = np.column_stack([height[upper], *([] if light is None else [light])])
    mean, there = _laid_out(at[upper], values, size)
    report_progress(0.5, "Filling between points")
    # Between points of one surface it goes on; further than a few times their distance it is a hole.
    spacing = max(1.0, (there.size / max(len(np.unique(cell)), 1)) ** 0.5)
    near = cv2.distanceTransform((there == 0).astype(np.uint8), cv2.DIST_L2, 5)
    mean = _between(mean, there, spacing)
    known = (near <= 3 * spacing).astype(np.float32)
    color = mean[..., 1:] if light is not None else np.full((*there.shape, 3), _GREY, np.float32)
    return _finished(color, mean[..., 0], None, known, float(hidden.mean()), unit)


def _laid_out(at: Pixels, values: Pixels, size: tuple[int, int]) -> tuple[Pixels, Pixels]:
    """((H, W, C) means of points (N, 2) px by how near they lie, where any lie near (H, W) in 0 and 1)."""
    columns, rows = size
    floor = np.floor(at).astype(np.int64)
    share = at - floor
    sums = np.zeros((rows * columns, values.shape[1]))
    total = np.zeros(rows * columns)
    for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
        x, y = floor[:, 0] + dx, floor[:, 1] + dy
        weight = np.abs(1 - dx - share[:, 0]) * np.abs(1 - dy - share[:, 1])
        weight *= (x >= 0) & (y >= 0) & (x < columns) & (y < rows)
        cell = (y.clip(0, rows - 1) * columns + x.clip(0, columns - 1)).astype(np.int64)
        total += np.bincount(cell, weight, len(total))
        for k in range(values.shape[1]):
            sums[:, k] += np.bincount(cell, weight * values[:, k], len(total))
    there = (total > _NEAR).reshape(rows, columns).astype(np.float32)
    mean = sums / np.maximum(total, 1e-9)[:, None]
    return mean.reshape(rows, columns, -1).astype(np.float32), there


def _between(mean: Pixels, there: Pixels, spacing: float) -> Pixels:
    sigmas = [spacing * factor for factor in (4.0, 2.0, 1.0, 0.6)]
    filled = fill_by_normalized_convolution(np.ascontiguousarray(mean * there[..., None]), there, sigmas)
    return np.where(there[..., None] > 0, mean, filled)
