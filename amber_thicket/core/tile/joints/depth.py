"""How deep within a piece each pixel lies, and how far its piece goes on: what joins that follow joints look at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.cells import Labels, touching
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.pieces import Pieces

# A piece is deep from this share of its inner radius on; pieces whose inner radius is under this share of the usual
# width count less.
_INNER, _SMALL = 0.6, 0.25


@dataclass(frozen=True)
class DepthField:
    """depth: (H, W), 0 in joints, up to 1 within pieces. near: px to the nearest border. inside: px to the nearest one
    that is sure. labels: (H, W), the pieces. lab: (H, W, 3), CIELAB. joint: half the width of a joint, px. typical:
    width of a usual piece, px."""

    depth: Pixels
    near: Pixels
    inside: Pixels
    labels: Labels
    lab: Pixels
    joint: float
    typical: float

    @cached_property
    def pieces(self) -> Pieces:
        """What is asked whether joins break them."""
        joints = np.exp(-self.near / max(self.joint, 1))
        return Pieces(self.labels, self.inside, 9.0, self.typical, self.joint, self.lab, joints, 1.0)

    def _mapped(self, change: Callable[[NDArray[Any]], NDArray[Any]]) -> DepthField:
        fields: dict[str, Any] = {
            name: change(getattr(self, name)) for name in ("depth", "near", "inside", "labels", "lab")
        }
        return replace(self, **fields)

    def joined(self, rows: slice, right: NDArray[np.bool_], width: int) -> DepthField:
        """Some of its rows as joined_across shows them; right: of these rows."""
        return self._mapped(lambda field: joined_across(field[rows], right, width))

    def turned(self) -> DepthField:
        """The field with rows for columns."""
        return self._mapped(lambda field: np.ascontiguousarray(field.swapaxes(0, 1)))

    def columns(self, first: int, count: int) -> DepthField:
        """So many columns of it."""
        return self._mapped(lambda field: np.ascontiguousarray(field[:, first : first + count]))

    def halved(self) -> DepthField:
        """The field on a grid half as fine."""
        size = (max(self.depth.shape[1] // 2, 1), max(self.depth.shape[0] // 2, 1))
        depth, near, inside, lab = (
            cv2.resize(part, size, interpolation=cv2.INTER_AREA)
            for part in (self.depth, self.near, self.inside, self.lab)
        )
        labels = np.ascontiguousarray(self.labels[: 2 * size[1] : 2, : 2 * size[0] : 2])
        half = np.float32(0.5)
        return DepthField(depth, near * half, inside * half, labels, lab, self.joint / 2, self.typical / 2)

    def looked_up(self, x: Pixels, y: Pixels, scale: float) -> DepthField:
        """The field as seen through a map. x, y: (h, w), where each pixel looks; scale: px of the new one to one."""
        linear, nearest, mirror = cv2.INTER_LINEAR, cv2.INTER_NEAREST, cv2.BORDER_REPLICATE
        depth, inside, lab = (
            cv2.remap(field, x, y, linear, borderMode=mirror) for field in (self.depth, self.inside, self.lab)
        )
        labels = cv2.remap(self.labels.astype(np.float32), x, y, nearest, borderMode=mirror).astype(np.int32)
        near, inside = self.near_through(x, y, scale), inside * np.float32(scale)
        return DepthField(depth, near, inside, labels, lab, self.joint * scale, self.typical * scale)

    def near_through(self, x: Pixels, y: Pixels, scale: float) -> Pixels:
        """What `looked_up` shows of the distance to borders alone."""
        near = cv2.remap(self.near, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(near * np.float32(scale))


def joined_across(field: NDArray[Any], right: NDArray[np.bool_], width: int) -> NDArray[Any]:
    """Rows of a frame, (h, W[, C]), as a tile so many columns wide shows them, (h, width[, C]). right: (h, w), from the
    left edge on, where what lies one tile further right shows."""
    shown = field[:, :width].copy()
    over = right.shape[1]
    where = right.reshape(*right.shape, *[1] * (field.ndim - 2))
    np.copyto(shown[:, :over], field[:, width : width + over], where=where)
    return shown


def depth_field(pieces: Pieces) -> DepthField:
    """Depth within the pieces of a picture; weak borders, which may be none, stay dear to follow."""
    border, strength = _strengths(pieces)
    distance, nearest = cv2.distanceTransformWithLabels(
        (~border).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    inner = np.zeros(pieces.count, np.float32)
    np.maximum.at(inner, pieces.labels.reshape(-1), distance.reshape(-1))
    radius = inner[pieces.labels]
    depth = ((distance - 1) / np.maximum(_INNER * radius, pieces.joint)).clip(0, 1)
    depth *= np.minimum(1, radius / (_SMALL * pieces.typical)) ** 0.5
    # The pixel of the border that is nearest to each.
    told = np.zeros(int(nearest.max()) + 1, np.float32)
    told[nearest[border]] = strength[border]
    usual = float(np.median(strength[border])) if border.any() else 1.0
    sure = np.minimum(told[nearest] / max(usual, 1e-6), 1)
    depth = np.float32(1) - sure * (1 - depth)
    return DepthField(
        depth.astype(np.float32),
        distance.astype(np.float32),
        pieces.depth,
        pieces.labels,
        pieces.lab,
        pieces.joint,
        pieces.typical,
    )


def _strengths(pieces: Pieces) -> tuple[NDArray[np.bool_], Pixels]:
    """Pixels on borders, and how much like a joint that border is as a whole, (H, W)."""
    labels = pieces.labels
    one, other, total, length = touching(labels, pieces.joints)
    count = pieces.count
    keys = one * count + other
    strength = np.zeros(labels.shape, np.float32)
    border = np.zeros(labels.shape, bool)
    for first, second in ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:])):
        a, b = labels[first].astype(np.int64), labels[second].astype(np.int64)
        apart = a != b
        at = np.searchsorted(keys, (np.minimum(a, b) * count + np.maximum(a, b))[apart])
        mean = (total / length)[at].astype(np.float32)
        for side in (first, second):
            border[side] |= apart
            strength[side][apart] = np.maximum(strength[side][apart], mean)
    return border, strength


def runs(labels: Labels, *, wraps_across: bool) -> tuple[Pixels, Pixels, Pixels, Pixels]:
    """How many px a pixel's piece goes on to its left, right, upwards and downwards, (H, W) each. wraps_across: left
    and right edge meet."""
    out = np.zeros((4, *labels.shape), np.float32)
    _runs(labels, wraps_across, out)
    return out[0], out[1], out[2], out[3]


@compiled()
def _runs(labels, wraps, out):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    for y in range(height):
        # Once round more where the edges meet.
        for turn in range(2 if wraps else 1):
            for x in range(width):
                before = x - 1 if x else width - 1
                if (x or turn) and labels[y, x] == labels[y, before]:
                    out[0, y, x] = min(out[0, y, before] + 1, width)
            for x in range(width - 1, -1, -1):
                after = x + 1 if x < width - 1 else 0
                if (x < width - 1 or turn) and labels[y, x] == labels[y, after]:
                    out[1, y, x] = min(out[1, y, after] + 1, width)
    for y in range(1, height):
        for x in range(width):
            if labels[y, x] == labels[y - 1, x]:
                out[2, y, x] = out[2, y - 1, x] + 1
    for y in range(height - 2, -1, -1):
        for x in range(width):
            if labels[y, x] == labels[y + 1, x]:
                out[3, y, x] = out[3, y + 1, x] + 1
