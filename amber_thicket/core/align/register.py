"""Finds how a second photograph of the same thing lies on the first: by features, by outline, or by given points.

Sources: Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 60(2), 2004; Barath et al.,
"MAGSAC++, a fast, reliable and accurate robust estimator", CVPR 2020; Evangelidis & Psarakis, IEEE TPAMI 30(10), 2008
(all by OpenCV).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile

# What the stubs of OpenCV do not know.
_CV: Any = cv2
_SIDE = 1024
_RATIO, _FEWEST = 0.75, 24
_ASIDE_GAINS = 0.004
_MASK_FITS = 0.80


class Registration(NamedTuple):
    """matrix: (3, 3), from places of the first photograph to places of the second, both in 0..1 across and down; its
    determinant is negative where the second is seen from behind. how: what told. sure: 0..1. rest: how far what was
    matched still lies apart, in px of 1024, None where it was not measured."""

    matrix: Pixels
    how: Literal["features", "outline", "points"]
    sure: float
    rest: float | None


def register_photographs(first: Pixels, second: Pixels, *, outlines: bool = True) -> Registration:
    """first, second: (H, W, 3) linear, of any sizes. outlines: things cut out of an even ground may be told by theirs.

    Raises UnreadableFile where nothing that both show is found.
    """
    one, other = _small(first), _small(second)
    found: list[Registration] = []
    masks = (silhouette(one), silhouette(other)) if outlines else (None, None)
    if masks[0] is not None and masks[1] is not None:
        by_outline = _by_outline(masks[0], masks[1])
        if by_outline:
            found.append(by_outline)
    if not found:
        for mirrored in (False, True) if outlines else (False,):
            by_features = _by_features(one, other, mirrored)
            if by_features:
                found.append(by_features)
                break
    if not found:
        raise UnreadableFile(
            "The two photographs show nothing that was found in both.",
            remedy="They must overlap by a quarter or more; or mark four places in both.",
        )
    return max(found, key=lambda one: one.sure)


def register_by_points(pairs: Sequence[Sequence[float]]) -> Registration:
    """From four or more marked pairs [x, y, x in the second, y in the second], all in 0..1.

    Raises UnreadableFile where they do not make up a view.
    """
    rows = np.array(pairs, np.float64).reshape(-1, 4)
    matrix = cv2.findHomography(rows[:, :2], rows[:, 2:], 0)[0] if len(rows) >= 4 else None
    if matrix is None or abs(np.linalg.det(matrix[:2, :2])) < 1e-4:
        raise UnreadableFile(
            "These places do not say how the second photograph lies.",
            remedy="Mark four places in both, far from each other and not on one line.",
        )
    off = _through(matrix, rows[:, :2]) - rows[:, 2:]
    return Registration(matrix, "points", 1.0, float(np.sqrt(np.mean(off**2))) * _SIDE)


def _small(pixels: Pixels) -> Pixels:
    return shrink(pixels, max(1, round(max(pixels.shape[:2]) / _SIDE)))


def _through(matrix: Pixels, points: Pixels) -> Pixels:
    seen = np.concatenate([points, np.ones((len(points), 1))], 1) @ matrix.T
    return np.asarray(seen[:, :2] / seen[:, 2:])


def _grey(pixels: Pixels) -> Pixels:
    """8-bit grey with its contrast evened, so that other light matters less."""
    codes = cv2.cvtColor(encode_srgb8(np.ascontiguousarray(pixels.clip(0, 1))), cv2.COLOR_RGB2GRAY)
    return np.asarray(cv2.createCLAHE(3.0, (8, 8)).apply(codes))


def _shares(matrix: Pixels, one: Pixels, other: Pixels) -> Pixels:
    """A matrix of pixel edges as one of shares."""
    here, there = (np.diag([p.shape[1], p.shape[0], 1.0]) for p in (one, other))
    out = np.linalg.inv(there) @ matrix @ here
    return np.asarray(out / out[2, 2])


def _by_features(one: Pixels, other: Pixels, mirrored: bool) -> Registration | None:
    flip = np.array([[-1.0, 0, other.shape[1]], [0, 1, 0], [0, 0, 1]])
    sift = _CV.SIFT_create(6000, contrastThreshold=0.02)
    points_a, marks_a = sift.detectAndCompute(_grey(one), None)
    points_b, marks_b = sift.detectAndCompute(_grey(other[:, ::-1] if mirrored else other), None)
    if marks_a is None or marks_b is None or min(len(points_a), len(points_b)) < _FEWEST:
        return None
    pairs = cv2.BFMatcher().knnMatch(marks_a, marks_b, k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < _RATIO * p[1].distance]
    if len(good) < _FEWEST:
        return None
    # Features are placed by pixel centres; edges are half a pixel further.
    here = np.array([points_a[m.queryIdx].pt for m in good]) + 0.5
    there = np.array([points_b[m.trainIdx].pt for m in good]) + 0.5
    matrix, kept = cv2.findHomography(here, there, cv2.USAC_MAGSAC, 2.0, maxIters=10_000, confidence=0.9999)
    if matrix is None or kept.sum() < _FEWEST or kept.sum() < 0.15 * len(good):
        return None
    inside = kept.ravel() > 0
    matrix = cv2.findHomography(here[inside], there[inside], 0)[0]
    rest = float(np.sqrt(np.mean((_through(matrix, here[inside]) - there[inside]) ** 2)))
    sure = float(min(1.0, kept.sum() / 120) * min(1.0, 2 * kept.sum() / len(good)))
    if mirrored:
        matrix = flip @ matrix
    return Registration(_shares(matrix, one, other), "features", sure, rest)


def _by_outline(one: Pixels, other: Pixels) -> Registration | None:
    """Centre, size and axis of both outlines, in four ways and mirrored, then ECC from soft to sharp."""
    here, there = _frame_of(one), _frame_of(other)
    size = (one.shape[1], one.shape[0])
    best: tuple[float, Pixels] | None = None
    for mirror in (1.0, -1.0):
        for turn in (0.0, 180.0):
            c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
            way = np.array([[c, -s * mirror, 0], [s, c * mirror, 0], [0, 0, 1]])
            matrix = there @ way @ np.linalg.inv(here)
            seen = cv2.warpPerspective(other, matrix, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            fits = _overlap(one, seen)
            if best is None or fits > best[0]:
                best = (fits, matrix)
    assert best is not None
    matrix = best[1].astype(np.float32)
    steps = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 120, 1e-6)
    soft = [one, other]
    for sigma in (12.0, 5.0, 2.0):
        soft = [cv2.GaussianBlur(mask, (0, 0), sigma) for mask in (one, other)]
        start = np.ascontiguousarray(matrix[:2] / matrix[2, 2])
        try:
            _, found = cv2.findTransformECC(soft[0], soft[1], start, cv2.MOTION_AFFINE, steps, None, 1)
        except cv2.error:
            return None
        matrix = np.vstack([found, [0, 0, 1]]).astype(np.float32)
    seen, fits = _fit(one, other, matrix)
    # A view from aside is believed only where it fits clearly better.
    try:
        _, found = cv2.findTransformECC(soft[0], soft[1], matrix.copy(), cv2.MOTION_HOMOGRAPHY, steps, None, 1)
        aside = _fit(one, other, found)
        if aside[1] > fits + _ASIDE_GAINS:
            matrix, (seen, fits) = found, aside
    except cv2.error:
        pass
    if fits < _MASK_FITS:
        return None
    # From pixel centres to pixel edges.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    edges = half @ matrix.astype(np.float64) @ np.linalg.inv(half)
    edge = float(np.abs(one - seen).sum() / max(np.hypot(*np.gradient(one)).sum(), 1.0))
    return Registration(_shares(edges, one, other), "outline", float(np.clip((fits - 0.7) / 0.25, 0, 1)), edge)


def _fit(one: Pixels, other: Pixels, matrix: Pixels) -> tuple[Pixels, float]:
    """The second outline laid on the first, and how well they fit."""
    size = (one.shape[1], one.shape[0])
    seen = cv2.warpPerspective(other, matrix, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return seen, _overlap(one, seen)


def _frame_of(mask: Pixels) -> Pixels:
    """From a unit figure to an outline: its centre, its spread, and its long axis."""
    m = cv2.moments(mask)
    x, y = m["m10"] / m["m00"], m["m01"] / m["m00"]
    spread = np.array([[m["mu20"], m["mu11"]], [m["mu11"], m["mu02"]]]) / m["m00"]
    values, axes = np.linalg.eigh(spread)
    axis = axes[:, 1]
    size = np.sqrt(values.sum())
    return np.array([[axis[0] * size, -axis[1] * size, x], [axis[1] * size, axis[0] * size, y], [0, 0, 1]])


def _overlap(one: Pixels, other: Pixels) -> float:
    """Shared part of two masks over all they cover."""
    return float(np.minimum(one, other).sum() / max(float(np.maximum(one, other).sum()), 1e-6))
