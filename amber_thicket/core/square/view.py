"""How the flattened picture looks into the capture: one mapping for lens, perspective and level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square import flat as flat_settings
from amber_thicket.core.square.lens import bent, straight


@dataclass(frozen=True)
class View:
    """homography: 3 × 3, from the flattened picture (0..1 both ways) to the capture without lens bend (0..1).
    lens: k1, k2, p1, p2. picture: (width, height) px of the capture. size: of the flattened picture, in px of about
    the capture's own. plain: nothing is changed."""

    homography: Pixels
    lens: tuple[float, float, float, float]
    picture: tuple[int, int]
    size: tuple[float, float]
    plain: bool

    def to_capture(self, points: Pixels) -> Pixels:
        """Capture coordinates in [0, 1] of flattened ones, (..., 2)."""
        flat = np.asarray(points, np.float64)
        ones = np.concatenate([flat, np.ones((*flat.shape[:-1], 1))], -1) @ self.homography.T
        level = ones[..., :2] / ones[..., 2:]
        if not any(self.lens):
            return np.asarray(level)
        k1, k2, p1, p2 = self.lens
        return bent(level, self.picture[0] / self.picture[1], k1=k1, k2=k2, p1=p1, p2=p2)

    def from_capture(self, points: Pixels) -> Pixels:
        """Flattened coordinates of places of the capture, (..., 2): the way back from to_capture."""
        places = np.asarray(points, np.float64)
        if any(self.lens):
            k1, k2, p1, p2 = self.lens
            places = straight(places, self.picture[0] / self.picture[1], k1=k1, k2=k2, p1=p1, p2=p2)
        ones = np.concatenate([places, np.ones((*places.shape[:-1], 1))], -1) @ np.linalg.inv(self.homography).T
        return np.asarray(ones[..., :2] / ones[..., 2:])

    def scales(self, box: tuple[float, float, float, float], width: int) -> tuple[float, float]:
        """Least and most capture pixels an output pixel covers along an axis, over a grid of places.

        box: left, top, right, bottom in px of the flattened picture; width: output px across it.
        """
        step = (box[2] - box[0]) / width
        x = np.linspace(box[0] + step, box[2] - step, 5)
        y = np.linspace(box[1] + step, box[3] - step, 5)
        places = np.stack(np.meshgrid(x, y), -1).reshape(-1, 2)
        size, picture = np.array(self.size), np.array(self.picture)
        here = self.to_capture(places / size) * picture
        along = [self.to_capture((places + d) / size) * picture - here for d in ([step, 0.0], [0.0, step])]
        lengths = np.linalg.norm(np.stack(along), axis=-1)
        return float(lengths.min()), float(lengths.max())


def turns(tilt: float, pan: float, roll: float) -> tuple[Pixels, Pixels, Pixels]:
    """3 × 3 turns about x, y and z, angles in radians."""
    (ca, sa), (cb, sb), (cc, sc) = ((np.cos(angle), np.sin(angle)) for angle in (tilt, pan, roll))
    return (
        np.array([[1, 0, 0], [0, ca, -sa], [0, sa, ca]]),
        np.array([[cb, 0, sb], [0, 1, 0], [-sb, 0, cb]]),
        np.array([[cc, -sc, 0], [sc, cc, 0], [0, 0, 1]]),
    )


def homography_of(corners: Pixels) -> Pixels:
    """The 3 × 3 map from the unit square (upper left, upper right, lower right, lower left) to four points."""
    unit = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float64)
    rows = []
    for (u, v), (x, y) in zip(unit, np.asarray(corners, np.float64), strict=True):
        rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x], [0, 0, 0, u, v, 1, -u * y, -v * y]]
    solution = np.linalg.solve(np.array(rows), np.asarray(corners, np.float64).reshape(-1))
    return np.append(solution, 1.0).reshape(3, 3)


def true_shape(corners: Pixels) -> float:
    """Width over height of the flat rectangle whose corners are seen at these px, measured from the middle.

    Needs some perspective in both directions; otherwise the mean lengths of the sides serve. corners: (4, 2), as in
    homography_of. Source: Zhang & He, "Whiteboard scanning and image enhancement", Digital Signal Processing 17, 2007.
    """
    upper_left, upper_right, lower_right, lower_left = (np.append(c, 1.0) for c in np.asarray(corners, np.float64))
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    plain = float((sides[0] + sides[2]) / max(sides[1] + sides[3], 1e-9))
    m1, m2, m3, m4 = upper_left, upper_right, lower_left, lower_right
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    scale = float(sides.max())
    if abs(n2[2] * n3[2]) * 100 < 0.01:
        # Seen nearly straight on, or turned about one axis alone: the focal length cannot be told.
        return plain
    focal2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    if not 0.15 * scale**2 < focal2 < 60 * scale**2:
        return plain
    wide = (n2[0] ** 2 + n2[1] ** 2) / focal2 + n2[2] ** 2
    tall = (n3[0] ** 2 + n3[1] ** 2) / focal2 + n3[2] ** 2
    return float(np.sqrt(wide / tall))


def view_of(flat: Any, lens: Any, picture: tuple[int, int]) -> View:
    """The view that settings of square.flat and square.lens describe, on a capture of (width, height) px."""
    width, height = picture
    bends = (lens.k1, lens.k2, lens.p1, lens.p2)
    corners = np.array(flat.corners) / 100
    whole = flat.corners == flat_settings.WHOLE
    if whole:
        shape = width / height
        size = (float(width), float(height))
    else:
        pixels = (corners - 0.5) * np.array([width, height])
        shape = true_shape(pixels)
        sides = np.linalg.norm(np.roll(pixels, -1, axis=0) - pixels, axis=1)
        area = max(sides[0], sides[2]) * max(sides[1], sides[3])
        size = (float(np.sqrt(area * shape)), float(np.sqrt(area / shape)))
    size = (size[0] * flat.stretch**0.5, size[1] / flat.stretch**0.5)
    matrix = homography_of(corners)
    if flat.turn:
        matrix, size = _turned(matrix, size, flat.turn)
    return View(matrix, bends, picture, size, whole and not flat.turn and flat.stretch == 1 and not any(bends))


def _turned(matrix: Pixels, size: tuple[float, float], degrees: float) -> tuple[Pixels, tuple[float, float]]:
    """The largest rectangle of the same shape that lies within the turned picture."""
    width, height = size
    angle = np.radians(degrees)
    c, s = np.cos(angle), np.sin(angle)
    longer = max(width / height, height / width)
    scale = 1 / (abs(c) + abs(s) * longer)
    to_pixels = np.diag([width * scale, height * scale, 1.0])
    to_pixels[:2, 2] = -width * scale / 2, -height * scale / 2
    # Rows run downwards: a picture that is to turn counter-clockwise is looked up turned clockwise.
    turn = np.array([[c, -s, 0.0], [s, c, 0.0], [0, 0, 1]])
    back = np.array([[1 / width, 0, 0.5], [0, 1 / height, 0.5], [0, 0, 1]])
    return matrix @ back @ turn @ to_pixels, (width * scale, height * scale)


def turned_back(vectors: Pixels, view: View, box: tuple[float, float, float, float]) -> Pixels:
    """Normals of a flattened sample, turned by as much as the picture was where each was taken from.

    vectors: (H, W, 3) looked up in the capture, +Y up. box: as in View.scales. The turn of a place is that of the
    nearest rotation to the mapping there; it is worked out on a grid and changes slowly.
    """
    height, width = vectors.shape[:2]
    step = (box[2] - box[0]) / width
    x, y = np.linspace(box[0], box[2], 33), np.linspace(box[1], box[3], 33)
    places = np.stack(np.meshgrid(x, y), -1)
    size, picture = np.array(view.size), np.array(view.picture)
    across, down = (
        (view.to_capture((places + d) / size) - view.to_capture((places - d) / size)) * picture
        for d in (np.array([step, 0.0]), np.array([0.0, step]))
    )
    # Nearest rotation to a 2 × 2 matrix with columns across and down (rows run downwards).
    c, s = across[..., 0] + down[..., 1], across[..., 1] - down[..., 0]
    length = np.maximum(np.hypot(c, s), 1e-12)
    c, s = (cv2.resize((part / length).astype(np.float32), (width, height)) for part in (c, s))
    # From the capture back to the flattened picture; with y upwards the same turn has the other sign.
    right = c * vectors[..., 0] - s * vectors[..., 1]
    up = s * vectors[..., 0] + c * vectors[..., 1]
    return np.stack([right, up, vectors[..., 2]], -1)
