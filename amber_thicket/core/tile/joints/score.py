"""How a tile laid from pieces came out: which are whole, trimmed, mere strips, or broken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.cells import Labels
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.patchwork import Mask
from amber_thicket.core.tile.broken_pieces import FusedPlaces, count_broken, fused_places
from amber_thicket.core.tile.joints.depth import DepthField, joined_across

# What a broken piece, one that nearly is, a strip, a trimmed one, a px of join, all of the sample's area, and unfit
# area shown count.
_BROKEN, _NEARLY, _STRIP, _TRIMMED, _PRICE, _LOST, _UNFIT = 8.0, 2.0, 1.5, 0.5, 6.0, 9.0, 400.0
# A piece is trimmed under this share of its area; a strip is under these shares of area and inner radius.
_WHOLE, _LITTLE, _THIN = 0.85, 0.4, 0.45
# So many half joints from its border on the inside of a piece begins.
_RIND = 1.5


@dataclass(frozen=True)
class Outcome:
    """broken, nearly, strips, trimmed, shown: how many pieces; nearly: for half as far as broken ones. price: mean of a
    px of join. lost: share of the sample's area that is left out. unfit: share of the tile that shows what should not
    be."""

    broken: int
    nearly: int
    strips: int
    trimmed: int
    shown: int
    price: float
    lost: float
    unfit: float

    def cost(self, larger: float) -> float:
        """Less is better. larger: how much a large tile counts, 1 as usual."""
        return (
            _BROKEN * self.broken
            + _NEARLY * self.nearly
            + _STRIP * self.strips
            + _TRIMMED * self.trimmed
            + _PRICE * self.price
            + _LOST * larger * self.lost
            + _UNFIT * self.unfit
        )


def outcome(
    seen: DepthField,
    labels: NDArray[np.uint8],
    overlap: tuple[int, int],
    price: float,
    lost: float,
    unfit: Mask | None,
) -> tuple[Outcome, FusedPlaces]:
    """How a tile came out, and where pieces meet. seen: the frame; labels: (h, w), which of its four copies shows
    where; overlap: (right, down) px by which the frame is larger than the tile."""
    left = trimmed_pieces(seen.labels, seen.near, seen.joint, seen.typical, shown_by(labels, overlap, seen.labels))
    pieces = seen.pieces
    fused = fused_places(copies_source(labels, overlap), pieces)
    broken = count_broken(fused, pieces).count
    hidden = 0.0 if unfit is None else float(shown_by(labels, overlap, unfit).mean())
    nearly = max(fused.nearly_broken()[1] - broken, 0)
    counts = broken, nearly, left.strips, left.trimmed, left.shown
    return Outcome(*counts, round(price, 4), round(float(lost), 4), round(hidden, 5)), fused


def copies_source(labels: NDArray[np.uint8], overlap: tuple[int, int]) -> NDArray[np.float64]:
    """Px (x, y) of the frame each pixel of the tile shows, (h, w, 2)."""
    height, width = labels.shape
    over_x, over_y = overlap
    source = np.empty((height, width, 2))
    source[..., 0], source[..., 1] = np.arange(width), np.arange(height)[:, None]
    source[:, :over_x, 0] += float(width) * (labels[:, :over_x] & 1)
    source[:over_y, :, 1] += float(height) * (labels[:over_y] >> 1 & 1)
    return source


def shown_by(labels: NDArray[np.uint8], overlap: tuple[int, int], field: NDArray[Any]) -> NDArray[Any]:
    """What the tile shows of a field of the frame, (h, w). labels, overlap: as for copies_source."""
    height, width = labels.shape
    over_x, over_y = overlap
    right = (labels[:, :over_x] & 1).astype(bool)
    shown = joined_across(field[:height], right, width)
    lower = joined_across(field[height : height + over_y], right[:over_y], width)
    np.copyto(shown[:over_y], lower, where=(labels[:over_y] & 2).astype(bool))
    return shown


@dataclass(frozen=True)
class Trimmed:
    """How many pieces a tile shows as mere strips, how many trimmed besides, and how many in all."""

    strips: int
    trimmed: int
    shown: int


def trimmed_pieces(
    labels: Labels, near: Pixels, joint: float, typical: float, shown: Labels, shown_near: Pixels | None = None
) -> Trimmed:
    """What is left of pieces on a tile. labels: (H, W), the pieces of the sample; near: px to a border there; joint:
    half the width of a joint, typical: of a usual piece, px; shown: (h, w), whose piece each pixel of the tile is;
    shown_near: (h, w), near at each: with it, what shows no more of a piece than the joint round it is not counted."""
    parts = np.empty(shown.shape, np.int32)
    count = _connected(np.ascontiguousarray(shown), parts)
    piece = np.empty(count, np.int64)
    piece[parts.reshape(-1)] = shown.reshape(-1)
    edge = np.zeros(parts.shape, bool)
    for axis in (0, 1):
        edge |= parts != np.roll(parts, -1, axis)
    room = int(typical) + 2
    padded = np.pad((~edge).astype(np.uint8), room, mode="wrap")
    within = cv2.distanceTransform(padded, cv2.DIST_L2, 5)[room:-room, room:-room]
    areas, radius = _extents(parts, within, count)
    full, inner = _extents(labels, near, int(labels.max()) + 1)
    full = full[piece]
    seen_at_all = radius >= max(joint, 1.5)
    if shown_near is not None:
        seen_at_all &= _extents(parts, shown_near, count)[1] > _RIND * joint + 1
    strips = seen_at_all & (areas < _LITTLE * full) & (radius < _THIN * inner[piece])
    trimmed = seen_at_all & ~strips & (areas < _WHOLE * full)
    return Trimmed(int(strips.sum()), int(trimmed.sum()), int(seen_at_all.sum()))


def _extents(numbers: Labels, values: Pixels, count: int) -> tuple[NDArray[np.int64], Pixels]:
    """Of each number below count: how many px have it, and the largest value there, 0 and more."""
    areas, most = np.zeros(count, np.int64), np.zeros(count, np.float32)
    _tell_extents(numbers, values, areas, most)
    return areas, most


@compiled()
def _tell_extents(numbers, values, areas, most):  # type: ignore[no-untyped-def]
    for y in range(numbers.shape[0]):
        for x in range(numbers.shape[1]):
            number = numbers[y, x]
            areas[number] += 1
            most[number] = max(most[number], values[y, x])


@compiled()
def _connected(shown, parts):  # type: ignore[no-untyped-def]
    """Numbers the connected places of one piece each on a tile whose edges meet, in the order of their first pixels;
    how many there are."""
    height, width = shown.shape
    into = np.empty(height * width, np.int32)
    count = 0
    for y in range(height):
        for x in range(width):
            above = y > 0 and shown[y - 1, x] == shown[y, x]
            if x > 0 and shown[y, x - 1] == shown[y, x]:
                parts[y, x] = parts[y, x - 1]
                if above and parts[y - 1, x] != parts[y, x]:
                    _unite(into, parts[y - 1, x], parts[y, x])
            elif above:
                parts[y, x] = parts[y - 1, x]
            else:
                parts[y, x] = count
                into[count] = count
                count += 1
    for y in range(height):
        if shown[y, 0] == shown[y, width - 1]:
            _unite(into, parts[y, 0], parts[y, width - 1])
    for x in range(width):
        if shown[0, x] == shown[height - 1, x]:
            _unite(into, parts[0, x], parts[height - 1, x])
    # The first number of those that are one is the smallest, and comes first.
    numbers = np.empty(count, np.int32)
    known = 0
    for number in range(count):
        if into[number] == number:
            numbers[number] = known
            known += 1
        else:
            numbers[number] = numbers[_root(into, number)]
    for y in range(height):
        for x in range(width):
            parts[y, x] = numbers[parts[y, x]]
    return known


@compiled(inline=True)
def _root(into, number):  # type: ignore[no-untyped-def]
    while into[number] != number:
        into[number] = into[into[number]]
        number = into[number]
    return number


@compiled(inline=True)
def _unite(into, one, other):  # type: ignore[no-untyped-def]
    first, second = _root(into, one), _root(into, other)
    into[max(first, second)] = min(first, second)
