"""How a tile laid from pieces came out: which are whole, trimmed, mere strips, or broken."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.cells import Labels
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.patchwork import Mask
from amber_thicket.core.tile.broken_pieces import FusedPlaces, count_broken, fused_places
from amber_thicket.core.tile.joints.depth import DepthField
from amber_thicket.core.tile.pieces import Pieces

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
    source = copies_source(labels, overlap)
    x, y = source[..., 0], source[..., 1]
    left = trimmed_pieces(seen.labels, seen.near, seen.joint, seen.typical, seen.labels[y, x])
    joints = np.exp(-seen.near / max(seen.joint, 1))
    pieces = Pieces(seen.labels, seen.inside, 9.0, seen.typical, seen.joint, seen.lab, joints, 1.0)
    fused = fused_places(source.astype(np.float64), pieces)
    broken = count_broken(fused, pieces).count
    hidden = 0.0 if unfit is None else float(unfit[y, x].mean())
    nearly = max(fused.nearly_broken()[1] - broken, 0)
    counts = broken, nearly, left.strips, left.trimmed, left.shown
    return Outcome(*counts, round(price, 4), round(float(lost), 4), round(hidden, 5)), fused


def copies_source(labels: NDArray[np.uint8], overlap: tuple[int, int]) -> NDArray[np.int32]:
    """Px (x, y) of the frame each pixel of the tile shows, (h, w, 2)."""
    height, width = labels.shape
    y, x = np.mgrid[0:height, 0:width].astype(np.int32)
    right, below = (labels & 1).astype(bool) & (x < overlap[0]), (labels & 2).astype(bool) & (y < overlap[1])
    return np.stack([x + right * width, y + below * height], -1).astype(np.int32)


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
    flat, pieces = parts.reshape(-1), int(labels.max()) + 1
    first = np.zeros(count, np.int64)
    first[flat] = np.arange(flat.size)
    piece = shown.reshape(-1)[first]
    areas = np.bincount(flat, minlength=count)
    full = np.bincount(labels.reshape(-1), minlength=pieces)[piece]
    room = int(typical) + 2
    padded = np.pad(parts, room, mode="wrap")
    edge = np.zeros(padded.shape, bool)
    for axis in (0, 1):
        edge |= padded != np.roll(padded, -1, axis)
    within = cv2.distanceTransform((~edge).astype(np.uint8), cv2.DIST_L2, 5)[room:-room, room:-room]
    radius, inner = np.zeros(count, np.float32), np.zeros(pieces, np.float32)
    np.maximum.at(radius, flat, within.reshape(-1))
    np.maximum.at(inner, labels.reshape(-1), near.reshape(-1))
    seen_at_all = radius >= max(joint, 1.5)
    if shown_near is not None:
        inside = np.zeros(count, np.float32)
        np.maximum.at(inside, flat, shown_near.reshape(-1))
        seen_at_all &= inside > _RIND * joint + 1
    strips = seen_at_all & (areas < _LITTLE * full) & (radius < _THIN * inner[piece])
    trimmed = seen_at_all & ~strips & (areas < _WHOLE * full)
    return Trimmed(int(strips.sum()), int(trimmed.sum()), int(seen_at_all.sum()))


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
