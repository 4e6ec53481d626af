"""The plane a scanned surface lies along, which way is up on it, and the rectangle of it that is wholly there.

Source: Pearson, "On lines and planes of closest fit to systems of points in space", Phil. Mag. 2(11), 1901, made robust
by weights that fall with the distance (Huber, "Robust statistics", 1981).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.errors import UnreadableFile

_LOOKED_AT, _ROUNDS = 200_000, 12
# So much of the area has to look the same way, or it does not say which way is up.
_UP = 0.2
# A rectangle that is turned is only taken where it is so much smaller than the one along the file's axes.
_TIGHTER = 0.97


class Plane(NamedTuple):
    """origin: (3,) on the plane. right, down, up: (3,) unit vectors; up is away from the surface. low, high: (2,) of
    what is there along right and down. told: whether the file says which way is up. flatness: spread along up, in
    widths. All in the file's unit."""

    origin: NDArray[np.float64]
    right: NDArray[np.float64]
    down: NDArray[np.float64]
    up: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    told: bool
    flatness: float

    def size(self) -> tuple[float, float]:
        """Width and height of what is there."""
        width, height = (self.high - self.low).tolist()
        return width, height

    def over(self, points: NDArray[Any]) -> NDArray[np.float64]:
        """(N, 3): along right and down from the upper left corner, and height over the plane."""
        found: NDArray[np.float64] = (points - self.origin) @ np.stack([self.right, self.down, self.up], 1)
        found[:, :2] -= self.low
        return found


def areas(points: NDArray[Any], faces: NDArray[Any]) -> NDArray[np.float64]:
    """(M, 3): normals of triangles, as long as twice their areas. Counter-clockwise ones look toward the eye."""
    first, second, third = (points[faces[:, k]] for k in range(3))
    return np.asarray(np.cross(second - first, third - first), np.float64)


def find_plane(points: NDArray[Any], faces: NDArray[Any], *, turned_over: bool = False) -> Plane:
    """points: (N, 3). faces: (M, 3), or none of a cloud. Raises UnreadableFile where nothing is flat."""
    rng = np.random.default_rng(3)
    if len(faces):
        normals = areas(points, faces)
        size = np.linalg.norm(normals, axis=1)
        total = float(size.sum())
        if not total > 0:
            raise UnreadableFile("The triangles of this scan have no area.", remedy="Save it again.")
        # By area, so that dense parts count no more than coarse ones.
        pick = rng.choice(len(faces), min(_LOOKED_AT, 4 * len(faces)), p=size / total)
        spread = rng.dirichlet((1.0, 1.0, 1.0), len(pick))
        places = (points[faces[pick]] * spread[..., None]).sum(1)
        looks = normals.sum(0) / total
        told = float(np.linalg.norm(looks)) > _UP
    else:
        places = points[rng.choice(len(points), min(_LOOKED_AT, len(points)), replace=False)]
        looks, told = np.zeros(3), False
    up, origin = _fitted(places)
    # Nothing says which side a cloud was seen from: what is up in most files' axes is taken for up.
    against = float(up @ looks) < 0 if told else up[int(np.abs(up).argmax())] < 0
    up = -up if against != turned_over else up
    right, down = _axes(up, places - origin)
    flat = (places - origin) @ np.stack([right, down], 1)
    low, high = flat.min(0), flat.max(0)
    if len(faces) or len(points) <= _LOOKED_AT:
        used = np.unique(faces) if len(faces) else slice(None)
        every = (points[used] - origin) @ np.stack([right, down], 1)
        low, high = every.min(0), every.max(0)
    deep = np.subtract(*np.percentile((places - origin) @ up, (99, 1)))
    width = float((high - low).max())
    if not width > 0 or float((high - low).min()) < 0.02 * width:
        raise UnreadableFile("This scan is no surface: it is as narrow as a line.", remedy="Scan a patch of a surface.")
    return Plane(origin, right, down, up, low, high, told, float(deep) / width)


def _fitted(places: NDArray[Any]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(unit normal, a point of the plane most points lie along)."""
    weight = np.ones(len(places))
    up, middle = np.zeros(3), np.zeros(3)
    for _ in range(_ROUNDS):
        middle = np.average(places, axis=0, weights=weight)
        beside = places - middle
        _, vectors = np.linalg.eigh((beside * weight[:, None]).T @ beside)
        up = vectors[:, 0]
        off = beside @ up
        spread = max(1.48 * float(np.median(np.abs(off - np.median(off)))), 1e-12 * float(np.abs(beside).max()), 1e-30)
        weight = 1 / (1 + (off / (2 * spread)) ** 2)
    return up, middle


def _axes(up: NDArray[np.float64], beside: NDArray[Any]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(right, down) on the plane: along the file's own axes, or along the sides of what is there where those fit it
    better."""
    axis = np.eye(3)[int(np.argmin(np.abs(up)))] if abs(up[0]) > 0.9 else np.array([1.0, 0, 0])
    right = axis - (axis @ up) * up
    right /= np.linalg.norm(right)
    down = np.cross(right, up)
    flat = (beside @ np.stack([right, down], 1)).astype(np.float32)
    (_, (width, height), angle) = cv2.minAreaRect(cv2.convexHull(flat))
    straight = np.ptp(flat, axis=0)
    if width * height < _TIGHTER * float(straight[0] * straight[1]):
        turn = np.radians((angle + 45) % 90 - 45)
        right, down = np.cos(turn) * right + np.sin(turn) * down, -np.sin(turn) * right + np.cos(turn) * down
    return right, down


def through_points(plane: Plane, three: NDArray[Any], points: NDArray[Any]) -> Plane:
    """The plane through three places of a surface instead, looking the same way. three: (3, 3) in the file's unit.
    Raises UnreadableFile where they lie in a line."""
    up = np.cross(three[1] - three[0], three[2] - three[0])
    size = float(np.linalg.norm(up))
    if size < 1e-3 * max(plane.size()) ** 2:
        raise UnreadableFile("The three places lie in a line.", remedy="Choose three that are far apart.")
    up = up / size if up @ plane.up > 0 else -up / size
    right = plane.right - (plane.right @ up) * up
    right /= np.linalg.norm(right)
    down = np.cross(right, up)
    origin = np.asarray(three.mean(0), np.float64)
    flat = (points - origin) @ np.stack([right, down], 1)
    return plane._replace(origin=origin, right=right, down=down, up=up, low=flat.min(0), high=flat.max(0))


def largest_rectangle(covered: NDArray[Any]) -> tuple[float, float, float, float]:
    """(left, top, right, bottom), as shares of width and height: the largest upright rectangle that is covered.
    covered: (H, W) of truth values."""
    rows, columns = covered.shape
    runs = np.zeros(columns + 1, np.int64)
    best, found = 0, (0, 0, columns, rows)
    for y in range(rows):
        runs[:-1] = np.where(covered[y], runs[:-1] + 1, 0)
        # Largest rectangle under a skyline: each bar ends where a lower one comes.
        open_bars: list[tuple[int, int]] = []
        for x in range(columns + 1):
            begin, height = x, int(runs[x])
            while open_bars and open_bars[-1][1] >= height:
                begin, taller = open_bars.pop()
                if taller * (x - begin) > best:
                    best, found = taller * (x - begin), (begin, y + 1 - taller, x, y + 1)
            if height:
                open_bars.append((begin, height))
    left, top, right, bottom = found
    return left / columns, top / rows, right / columns, bottom / rows
