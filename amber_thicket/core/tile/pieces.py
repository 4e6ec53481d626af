"""The pieces of a surface: stones, bricks, boards with joints between, found in a picture of them.

Joints are where colour changes and where something narrow is darker or paler than both its sides. Flooded from its
quietest places (Vincent & Soille, IEEE TPAMI 13(6), 1991), such a picture falls into cells; cells whose common border
is hardly stronger than the picture's mean are one piece. Whether a surface has pieces at all is told by how much
stronger the borders are than what lies within.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# From this contrast on a surface has pieces; below the second it has none; between the two it cannot be told.
PIECES, NONE = 3.0, 2.4
_SIDE, _JOINT = 600, 4.3
_ONE_PIECE, _LEAST_AREA, _LEAST_SHARE = 1.6, 2.5, 0.12
_LEVELS = 2048
# A border counts for sure from this share of the usual strength on.
_STRONG = 0.6

Labels = NDArray[np.int32]


@dataclass(frozen=True)
class Pieces:
    """labels: (H, W) piece of each pixel, from 0. depth: px to the nearest border that is sure, (H, W). contrast: of
    borders against what lies within. typical: width of a usual piece, px. joint: half the width of a joint, px.
    lab: (H, W, 3), CIELAB. joints: (H, W), how much like a joint a pixel is. scale: px of these arrays to one of the
    picture."""

    labels: Labels
    depth: Pixels
    contrast: float
    typical: float
    joint: float
    lab: Pixels
    joints: Pixels
    scale: float

    @property
    def count(self) -> int:
        return int(self.labels.max()) + 1

    @property
    def nbytes(self) -> int:
        return int(self.labels.nbytes + self.depth.nbytes + self.lab.nbytes + self.joints.nbytes)


def find_pieces(sample: Pixels) -> Pieces:
    """The pieces of a picture whose edges need not meet. sample: linear RGB (H, W, 3)."""
    height, width = sample.shape[:2]
    scale = min(_SIDE / max(height, width), 1.0)
    size = (max(round(width * scale), 16), max(round(height * scale), 16))
    lab = linear_to_lab(np.ascontiguousarray(cv2.resize(sample, size, interpolation=cv2.INTER_AREA), np.float32))
    lab = np.ascontiguousarray(lab, np.float32)
    calm = lab
    for _ in range(2):
        # The grain of a stone goes, its joints stay.
        calm = cv2.bilateralFilter(calm, 9, 14.0, 3.0)
    joints = joint_strength(calm, _JOINT)
    labels = flooded(blur(joints, 0.4 * _JOINT, wraps=False))
    labels = merged(labels, joints, weakest=_ONE_PIECE)
    labels = merged(labels, joints, least_area=(_LEAST_AREA * _JOINT) ** 2)
    labels = merged(labels, joints, least_area=_LEAST_SHARE * _usual_area(labels))
    border, sure = _borders(labels, joints)
    inside = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5) >= _JOINT
    known = border.any() and inside.any()
    contrast = float(joints[border].mean() / max(float(joints[inside].mean()), 1e-6)) if known else 0.0
    depth = cv2.distanceTransform((~sure).astype(np.uint8), cv2.DIST_L2, 5)
    typical = float(np.sqrt(_usual_area(labels)))
    return Pieces(labels, depth, round(contrast, 2), typical, _half_joint(joints, depth), lab, joints, scale)


def _usual_area(labels: Labels) -> float:
    """Half of the picture lies in pieces of this area or more, px."""
    areas = np.sort(np.bincount(labels.reshape(-1)))
    return float(areas[np.searchsorted(np.cumsum(areas), areas.sum() / 2)])


def joint_strength(lab: Pixels, joint: float) -> Pixels:
    """How much like a joint each pixel is, about 1 on the mean of its surroundings. lab: (H, W, 3); joint: px."""
    slope = np.zeros(lab.shape[:2], np.float32)
    hat = np.zeros_like(slope)
    reach = round(joint)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    for channel, slopes, hats in ((0, 1.0, 1.0), (1, 2.0, 1.4), (2, 2.0, 1.4)):
        plane = np.ascontiguousarray(lab[..., channel])
        soft = blur(plane, joint / 4, wraps=False)
        gx, gy = cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1)
        slope += np.float32(slopes) * np.hypot(gx, gy)
        for kind in (cv2.MORPH_BLACKHAT, cv2.MORPH_TOPHAT):
            hat += np.float32(hats) * cv2.morphologyEx(plane, kind, disc)
    slope = blur(slope, joint / 2, wraps=False)
    both = slope / max(float(slope.mean()), 1e-6) + hat / max(float(hat.mean()), 1e-6)
    near = blur(both, 12 * joint, wraps=False)
    even = both / np.sqrt(np.maximum(near, 1e-6))
    result: Pixels = (even / max(float(even.mean()), 1e-6)).astype(np.float32)
    return result


def flooded(field: Pixels) -> Labels:
    """Cells of a picture flooded from its local minima, numbered from 0. field: (H, W)."""
    low, high = float(field.min()), float(np.quantile(field, 0.999))
    levels = ((field - low) * ((_LEVELS - 1) / max(high - low, 1e-9))).clip(0, _LEVELS - 1).astype(np.int32)
    least = cv2.erode(field, np.ones((3, 3), np.uint8))
    count, seeds = cv2.connectedComponents((field <= least).astype(np.uint8), connectivity=8)
    labels = np.ascontiguousarray(seeds, np.int32) - 1
    _flood(levels, labels, _LEVELS)
    return labels


@compiled()
def _flood(levels, labels, count):  # type: ignore[no-untyped-def]
    """Labels spread from what has one (0 and more) over the rest, lowest levels first."""
    height, width = levels.shape
    head, tail = np.full(count, -1, np.int32), np.full(count, -1, np.int32)
    after = np.full(height * width, -1, np.int32)
    for at in range(height * width):
        if labels[at // width, at % width] >= 0:
            level = levels[at // width, at % width]
            if head[level] < 0:
                head[level] = at
            else:
                after[tail[level]] = at
            tail[level] = at
    for level in range(count):
        at = head[level]
        while at >= 0:
            y, x = at // width, at % width
            for way in range(4):
                ny, nx = y + (way == 0) - (way == 1), x + (way == 2) - (way == 3)
                if 0 <= ny < height and 0 <= nx < width and labels[ny, nx] < 0:
                    labels[ny, nx] = labels[y, x]
                    to, reached = ny * width + nx, max(levels[ny, nx], level)
                    if head[reached] < 0:
                        head[reached] = to
                    else:
                        after[tail[reached]] = to
                    tail[reached] = to
            at = after[at]


def _touching(labels: Labels, field: Pixels) -> tuple[NDArray[np.int64], NDArray[np.int64], Pixels, Pixels]:
    """(one cell, another, sum of the field on their common border, its length) for all that touch."""
    count = int(labels.max()) + 1
    keys, values = [], []
    for one, other, f, g in (
        (labels[:, :-1], labels[:, 1:], field[:, :-1], field[:, 1:]),
        (labels[:-1], labels[1:], field[:-1], field[1:]),
    ):
        apart = one != other
        a, b = one[apart].astype(np.int64), other[apart].astype(np.int64)
        keys.append(np.minimum(a, b) * count + np.maximum(a, b))
        values.append((f[apart] + g[apart]) / 2)
    key, inverse = np.unique(np.concatenate(keys), return_inverse=True)
    total = np.bincount(inverse, np.concatenate(values))
    return key // count, key % count, total, np.bincount(inverse).astype(np.float64)


def merged(labels: Labels, field: Pixels, *, weakest: float = -np.inf, least_area: float = 0.0) -> Labels:
    """Cells joined across their weakest borders, weakest first: while a border's mean field is under `weakest`, or one
    of its cells is smaller than `least_area` px. Numbered anew from 0."""
    one, other, total, length = _touching(labels, field)
    areas = np.bincount(labels.reshape(-1)).astype(np.float64)
    root = np.arange(len(areas))
    while one.size:
        order = np.argsort(total / length, kind="stable")
        into = np.arange(len(areas))
        if not _merge_once(one[order], other[order], (total / length)[order], areas, into, weakest, least_area):
            break
        root = into[root]
        a, b = into[one], into[other]
        apart = a != b
        key = np.minimum(a, b)[apart] * len(areas) + np.maximum(a, b)[apart]
        kept, inverse = np.unique(key, return_inverse=True)
        total, length = np.bincount(inverse, total[apart]), np.bincount(inverse, length[apart])
        one, other = kept // len(areas), kept % len(areas)
    _, numbered = np.unique(root[labels], return_inverse=True)
    return numbered.reshape(labels.shape).astype(np.int32)


@compiled()
def _merge_once(one, other, mean, areas, into, weakest, least_area):  # type: ignore[no-untyped-def]
    """Joins cells along borders in order, each cell at most once; how many were joined."""
    touched = np.zeros(len(areas), np.bool_)
    done = 0
    for i in range(len(one)):
        a, b = one[i], other[i]
        if touched[a] or touched[b]:
            # What is left of a cell that was joined is looked at in the next round.
            touched[a] = touched[b] = True
            continue
        if mean[i] < weakest or min(areas[a], areas[b]) < least_area:
            into[b] = a
            areas[a] += areas[b]
            areas[b] = 0
            touched[a] = touched[b] = True
            done += 1
    return done


def _borders(labels: Labels, field: Pixels) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Pixels on borders, and those on borders that are sure."""
    one, other, total, length = _touching(labels, field)
    mean = total / length
    count = int(labels.max()) + 1
    usual = float(np.average(mean, weights=length)) if mean.size else 0.0
    weak = one[mean < _STRONG * usual] * count + other[mean < _STRONG * usual]
    border, sure = np.zeros(labels.shape, bool), np.zeros(labels.shape, bool)
    for first, second in (
        (np.s_[:, :-1], np.s_[:, 1:]),
        (np.s_[:-1], np.s_[1:]),
    ):
        a, b = labels[first].astype(np.int64), labels[second].astype(np.int64)
        apart = a != b
        key = np.minimum(a, b) * count + np.maximum(a, b)
        strong = apart & ~np.isin(key, weak)
        for which, marks in ((border, apart), (sure, strong)):
            which[first] |= marks
            which[second] |= marks
    return border, sure


def _half_joint(joints: Pixels, depth: Pixels) -> float:
    """Px from the middle of a joint to where its strength has fallen half-way."""
    means = [
        float(joints[(depth >= away) & (depth < away + 1)].mean()) for away in range(1, 8) if (depth >= away).any()
    ]
    if len(means) < 3:
        return 1.0
    half = (means[0] + min(means)) / 2
    return float(next((away for away, mean in enumerate(means) if mean < half), len(means)))


def outlines(pieces: Pieces) -> NDArray[Any]:
    """Pixels on the borders between pieces, (H, W) bool."""
    return np.asarray(_borders(pieces.labels, np.ones(pieces.labels.shape, np.float32))[0])
