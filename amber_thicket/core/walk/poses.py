"""Where a camera was held for photographs of one nearly flat surface: the surface's plane, and each place and turn.

Everything is told in the frame of the first photograph: its camera is at the origin, x right, y down, z forward, and
the plane lies one unit away. Sources: Hartley & Zisserman, "Multiple view geometry in computer vision", 2nd ed., 2004,
chapter 13 (planes and homographies); Triggs et al., "Bundle adjustment: a modern synthesis", 2000.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.libraries import cv2, optimize
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile

# What the stubs of OpenCV do not know.
_CV: Any = cv2
_FEATURES, _RATIO, _FEWEST, _PLANE = 6000, 0.78, 60, 3.0
# Matches that are used for one view, and how far the relief may put them off the plane, in widths of the picture.
_USED, _OFF_PLANE = 700, 0.004
# Focal lengths that are likely when nothing is told, in widths of the picture, and how much that weighs.
USUAL_FOCAL, _FOCAL_SPREAD, _KNOWN_SPREAD = 1.0, 0.35, 0.02


@dataclass(frozen=True)
class Camera:
    """turn: rotation vector; place: (3,) of what it sees: X in the first camera's frame is seen at R X + t."""

    turn: Pixels
    place: Pixels

    def seen(self, points: Pixels, focal: float) -> Pixels:
        """(N, 2) where points (N, 3) are seen: from the middle of the picture, in its widths."""
        moved = points @ cv2.Rodrigues(self.turn)[0].T + self.place
        return np.asarray(focal * moved[:, :2] / moved[:, 2:])


@dataclass(frozen=True)
class Poses:
    """normal: (3,) unit vector of the plane, away from the camera. focal: in widths of the picture. cameras: of all
    photographs, the first at the origin. matches: how many places of the plane each shares with the first. rest: px of
    1000 that matches lie off the plane's, typically; what is left is mostly relief."""

    normal: Pixels
    focal: float
    cameras: tuple[Camera, ...]
    matches: tuple[int, ...]
    rest: float

    def rays(self, places: Pixels) -> Pixels:
        """(N, 3) rays through places (N, 2) of the first photograph, from its middle, in widths."""
        return np.column_stack([places / self.focal, np.ones(len(places))])

    def points(self, places: Pixels, height: Pixels | float = 0.0) -> Pixels:
        """(N, 3) surface points seen at places of the first photograph. height: (N,) over the plane, to the camera."""
        rays = self.rays(places)
        return np.asarray(rays * ((1 - height) / (rays @ self.normal))[:, None])


def _grey(pixels: Pixels) -> Any:
    codes = cv2.cvtColor(encode_srgb8(np.ascontiguousarray(pixels.clip(0, 1))), cv2.COLOR_RGB2GRAY)
    return cv2.createCLAHE(2.5, (8, 8)).apply(codes)


def matched(photographs: Sequence[Pixels]) -> list[tuple[Pixels, Pixels]]:
    """For every photograph after the first: (N, 2) places of the first and of it that show the same place of the plane,
    from the middle, in widths. photographs: (H, W, 3) linear, of one size."""
    height, width = photographs[0].shape[:2]
    sift = _CV.SIFT_create(_FEATURES, contrastThreshold=0.015)
    found = []
    for number, pixels in enumerate(photographs):
        report_progress(0.25 * number / len(photographs), "Looking for places that all show")
        found.append(sift.detectAndCompute(_grey(pixels), None))
    middle = np.array([width, height]) / 2
    pairs = []
    points, marks = found[0]
    for other_points, other_marks in found[1:]:
        if marks is None or other_marks is None or min(len(points), len(other_points)) < _FEWEST:
            pairs.append((np.zeros((0, 2)), np.zeros((0, 2))))
            continue
        near = cv2.BFMatcher().knnMatch(marks, other_marks, k=2)
        good = [p[0] for p in near if len(p) == 2 and p[0].distance < _RATIO * p[1].distance]
        here = np.array([points[m.queryIdx].pt for m in good], np.float64).reshape(-1, 2) + 0.5
        there = np.array([other_points[m.trainIdx].pt for m in good], np.float64).reshape(-1, 2) + 0.5
        if len(here) >= _FEWEST:
            limit = max(_PLANE, _OFF_PLANE * width)
            _, kept = cv2.findHomography(here, there, cv2.USAC_MAGSAC, limit, maxIters=8000, confidence=0.9999)
            inside = kept.ravel() > 0 if kept is not None else np.zeros(len(here), bool)
            here, there = here[inside], there[inside]
        pairs.append(((here - middle) / width, (there - middle) / width))
    return pairs


def find_poses(pairs: Sequence[tuple[Pixels, Pixels]], focal: float | None = None, names: Sequence[str] = ()) -> Poses:
    """The plane and all cameras. pairs: as matched() gives them. focal: as the camera told it, in widths. names: of all
    photographs, for messages.

    Raises UnreadableFile where a photograph shows too little of what the first one does.
    """
    for number, (here, _) in enumerate(pairs, 2):
        if len(here) < _FEWEST:
            raise UnreadableFile(
                f"{names[number - 1]} shares too little with {names[0]}."
                if names
                else f"Photograph {number} shares too little with the first one.",
                remedy="They must show the same place, sharp and from nearly the same side; take it out.",
            )
    rng = np.random.default_rng(0)
    used = []
    for here, there in pairs:
        pick = rng.permutation(len(here))[:_USED]
        used.append((here[pick], there[pick]))
    start = focal or USUAL_FOCAL
    cameras, normal = _first_guess(used, start)
    report_progress(0.3, "Looking where the camera was held")
    spread = _KNOWN_SPREAD if focal else _FOCAL_SPREAD
    return _adjusted(used, cameras, normal, start, spread, [None] * len(used), tuple(len(h) for h, _ in pairs))


def refine_poses(poses: Poses, pairs: Sequence[tuple[Pixels, Pixels, Pixels]], *, hold_focal: bool) -> Poses:
    """The same, once the relief is known about. pairs: places of the first and of each photograph that show the same,
    and the height of each."""
    used = [(here, there) for here, there, _ in pairs]
    spread = _KNOWN_SPREAD if hold_focal else _FOCAL_SPREAD
    heights = [height for _, _, height in pairs]
    return _adjusted(used, list(poses.cameras[1:]), poses.normal, poses.focal, spread, heights, poses.matches)


def _first_guess(used: Sequence[tuple[Pixels, Pixels]], focal: float) -> tuple[list[Camera], Pixels]:
    """Cameras and normal from homographies alone: of what each may mean, what makes the surface face the camera most
    and what all say alike."""
    options = []
    for here, there in used:
        matrix = cv2.findHomography(here / focal, there / focal, 0)[0]
        count, turns, places, normals = cv2.decomposeHomographyMat(matrix, np.eye(3))
        options.append(
            [
                (cv2.Rodrigues(turns[k])[0].ravel(), places[k].ravel() * sign, normals[k].ravel() * sign)
                for k in range(count)
                for sign in (1.0 if normals[k][2] >= 0 else -1.0,)
            ]
        )
    # The normal is the same in all: the one that most photographs can agree on.
    best: tuple[float, Pixels] = (-np.inf, np.array([0.0, 0.0, 1.0]))
    for rows in options:
        for _, _, normal in rows:
            if normal[2] < 0.6:
                continue
            score = sum(max(float(normal @ other) for _, _, other in others) for others in options) + 0.3 * normal[2]
            best = max(best, (score, normal), key=lambda pair: pair[0])
    cameras = []
    for rows in options:
        turn, place, _ = max(rows, key=lambda row: float(row[2] @ best[1]))
        cameras.append(Camera(turn, place))
    return cameras, best[1] / np.linalg.norm(best[1])


def _adjusted(
    used: Sequence[tuple[Pixels, Pixels]],
    cameras: Sequence[Camera],
    normal: Pixels,
    focal: float,
    spread: float,
    heights: Sequence[Pixels | None],
    matches: tuple[int, ...],
) -> Poses:
    """All of it at once, so that matches lie as little off as they can."""
    entries = [normal[0] / normal[2], normal[1] / normal[2], 0.0]
    for camera in cameras:
        entries += [*camera.turn, *camera.place]

    def read(values: Pixels) -> Poses:
        tilted = np.array([values[0], values[1], 1.0])
        rows = values[3:].reshape(-1, 6)
        every = (Camera(np.zeros(3), np.zeros(3)), *(Camera(row[:3], row[3:]) for row in rows))
        return Poses(tilted / np.linalg.norm(tilted), focal * float(np.exp(values[2])), every, matches, 0.0)

    def off(values: Pixels) -> Pixels:
        poses = read(values)
        rests = []
        for (here, there), camera, height in zip(used, poses.cameras[1:], heights, strict=True):
            points = poses.points(here, 0.0 if height is None else height)
            rests.append(1000 * (camera.seen(points, poses.focal) - there).ravel())
        count = sum(len(rest) for rest in rests)
        # A focal length that was told, or is usual, weighs as much as a part of the matches.
        return np.concatenate([*rests, [values[2] / spread * np.sqrt(count) * 0.05]])

    found = optimize.least_squares(off, np.array(entries), loss="soft_l1", f_scale=1.0, max_nfev=60, x_scale="jac")
    poses = read(found.x)
    rest = float(np.median(np.abs(off(found.x)[:-1])))
    return Poses(poses.normal, poses.focal, poses.cameras, matches, rest)
