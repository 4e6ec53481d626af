"""Where a camera was held for photographs of one nearly flat surface: the surface's plane, and each place and turn.

Everything is told in the frame of the first photograph: its camera is at the origin, x right, y down, z forward, and
the plane lies one unit away. Sources: Hartley & Zisserman, "Multiple view geometry in computer vision", 2nd ed., 2004,
chapter 13 (planes and homographies); Triggs et al., "Bundle adjustment: a modern synthesis", 2000.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
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
# Bends that are likely, and how many steps undo one.
_BEND_SPREAD, _STEPS = 0.05, 6


@dataclass(frozen=True)
class Camera:
    """turn: rotation vector; place: (3,) of what it sees: X in the first camera's frame is seen at R X + t, by a lens
    that does not bend."""

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
    1000 that matches lie off the plane's, typically; what is left is mostly relief. bend: of the lens, as k1 in
    square/lens.py; corner: widths from the middle of the picture to its corner, which that goes by."""

    normal: Pixels
    focal: float
    cameras: tuple[Camera, ...]
    matches: tuple[int, ...]
    rest: float
    bend: float = 0.0
    corner: float = 0.64

    def rays(self, places: Pixels) -> Pixels:
        """(N, 3) rays through places (N, 2) of the first photograph, from its middle, in widths."""
        return np.column_stack([self._straight(places) / self.focal, np.ones(len(places))])

    def seen(self, number: int, points: Pixels) -> Pixels:
        """(N, 2) where a photograph shows points (N, 3): from its middle, in its widths."""
        straight = self.cameras[number].seen(points, self.focal)
        if not self.bend:
            return straight
        square = np.einsum("nk,nk->n", straight, straight) / self.corner**2
        return np.asarray(straight * (1 + self.bend * square)[:, None])

    def _straight(self, places: Pixels) -> Pixels:
        """Where a lens that does not bend would show places (N, 2); by fixed-point steps."""
        found = places
        for _ in range(_STEPS if self.bend else 0):
            square = np.einsum("nk,nk->n", found, found) / self.corner**2
            found = places / (1 + self.bend * square)[:, None]
        return np.asarray(found)

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


def find_poses(
    pairs: Sequence[tuple[Pixels, Pixels]], focal: float | None = None, names: Sequence[str] = (), aspect: float = 1.25
) -> Poses:
    """The plane and all cameras. pairs: as matched() gives them. focal: as the camera told it, in widths. names: of all
    photographs, for messages. aspect: width over height of a photograph.

    Raises UnreadableFile where a photograph shows too little of what the first one does.
    """
    for number, (here, _) in enumerate(pairs, 2):
        if len(here) < _FEWEST:
            raise UnreadableFile(
                f"{names[number - 1]} shares too little with {names[0]}."
                if names
                else f"Photograph {number} shares too little with the first one.",
                remedy="They must show the same place, sharp, in one light and from nearly the same side; take it out.",
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
    every = (Camera(np.zeros(3), np.zeros(3)), *cameras)
    begun = Poses(
        normal, start, every, tuple(len(h) for h, _ in pairs), 0.0, corner=0.5 * float(np.hypot(1, 1 / aspect))
    )
    return _adjusted(used, begun, spread, [None] * len(used))


def refine_poses(poses: Poses, pairs: Sequence[tuple[Pixels, Pixels, Pixels]], *, hold_focal: bool) -> Poses:
    """The same, once the relief is known about. pairs: places of the first and of each photograph that show the same,
    and the height of each."""
    used = [(here, there) for here, there, _ in pairs]
    spread = _KNOWN_SPREAD if hold_focal else _FOCAL_SPREAD
    heights = [height for _, _, height in pairs]
    return _adjusted(used, poses, spread, heights)


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
    used: Sequence[tuple[Pixels, Pixels]], begun: Poses, spread: float, heights: Sequence[Pixels | None]
) -> Poses:
    """All of it at once, so that matches lie as little off as they can."""
    entries = [begun.normal[0] / begun.normal[2], begun.normal[1] / begun.normal[2], 0.0, begun.bend]
    for camera in begun.cameras[1:]:
        entries += [*camera.turn, *camera.place]

    def read(values: Pixels) -> Poses:
        tilted = np.array([values[0], values[1], 1.0])
        rows = values[4:].reshape(-1, 6)
        every = (Camera(np.zeros(3), np.zeros(3)), *(Camera(row[:3], row[3:]) for row in rows))
        focal, bend = begun.focal * float(np.exp(values[2])), float(values[3])
        return replace(begun, normal=tilted / np.linalg.norm(tilted), focal=focal, cameras=every, bend=bend)

    def off(values: Pixels) -> Pixels:
        poses = read(values)
        rests = []
        for number, ((here, there), height) in enumerate(zip(used, heights, strict=True), 1):
            points = poses.points(here, 0.0 if height is None else height)
            rests.append(1000 * (poses.seen(number, points) - there).ravel())
        count = sum(len(rest) for rest in rests)
        # A focal length that was told, or is usual, weighs as much as a part of the matches; so does a lens that does
        # not bend.
        likely = np.array([values[2] / spread, values[3] / _BEND_SPREAD]) * np.sqrt(count) * 0.05
        return np.concatenate([*rests, likely])

    found = optimize.least_squares(off, np.array(entries), loss="soft_l1", f_scale=1.0, max_nfev=60, x_scale="jac")
    poses = read(found.x)
    return replace(poses, rest=float(np.median(np.abs(off(found.x)[:-2]))))
