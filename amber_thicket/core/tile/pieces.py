"""The pieces of a surface: stones, bricks, boards with joints between, found in a picture of them.

Joints are where colour changes and where something narrow is darker or paler than both its sides. Flooded from its
quietest places (Vincent & Soille, IEEE TPAMI 13(6), 1991), such a picture falls into cells; cells whose common border
is hardly stronger than the picture's mean are one piece. Whether a surface has pieces at all is told by how much
stronger the borders are than what lies within.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.cells import Labels, flooded, merged, spread, touching
from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import csgraph, cv2, sparse
from amber_thicket.core.raster import Pixels

# From this contrast on a surface has pieces; below the second it has none; between the two it cannot be told.
PIECES, NONE = 3.0, 2.4
# So many pieces of the usual width fit at least: veins of marble part two to six, laid stones came to 31 and more.
_FEWEST = 12
# Fewer are pieces from this contrast on: boards come to 7.5, veins to 5.6.
_NO_VEINS = 6.5
_SIDE, _LEAST_AREA = 600, 2.5
# A border counts for sure from this share of the usual strength on.
_STRONG = 0.6
# So many joints from its border, or so far in to where it is deepest, a piece stays as it is when borders are centred;
# so much wider joints are seen then, so much softer, in joints.
_MOVED, _INNERMOST, _WIDER, _SOFT = 2.0, 0.6, 1.8, 0.8
# Joints stand out of both sides by this many times the slope beside them: leaves on leaves come to 3.0, stones, slates
# and bricks to 4.5 and more. So near lies beside, px across.
_RIDGES, _BESIDE = 3.8, 7


@dataclass(frozen=True)
class Reading:
    """How pieces are looked for. joint: width of a joint as a share of the picture's longer side, of _SIDE px where it
    is smaller; one_piece: cells are one piece while their common border is weaker than this, the picture's mean being
    1; smallest: of a usual piece's area, what is smaller belongs to its neighbour."""

    joint: float = 4.3 / _SIDE
    one_piece: float = 1.6
    smallest: float = 0.12


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
    def evident(self) -> bool:
        """Whether the surface has pieces for sure: they stand out, and are too many to be parted by veins."""
        many = self.labels.size >= _FEWEST * self.typical**2
        return self.contrast >= (PIECES if many else _NO_VEINS)

    @property
    def nbytes(self) -> int:
        return int(self.labels.nbytes + self.depth.nbytes + self.lab.nbytes + self.joints.nbytes)


def find_pieces(
    sample: Pixels,
    reading: Reading = Reading(),
    *,
    one: Sequence[NDArray[np.bool_]] = (),
    split: NDArray[np.bool_] | None = None,
) -> Pieces:
    """The pieces of a picture whose edges need not meet. sample: linear RGB (H, W, 3). one: masks (any size), all that
    one of them touches is one piece; split: a piece that is drawn through is two."""
    height, width = sample.shape[:2]
    scale = min(_SIDE / max(height, width), 1.0)
    size = (max(round(width * scale), 16), max(round(height * scale), 16))
    lab = linear_to_lab(np.ascontiguousarray(cv2.resize(sample, size, interpolation=cv2.INTER_AREA), np.float32))
    lab = np.ascontiguousarray(lab, np.float32)
    joint = reading.joint * _SIDE
    joints = joint_strength(_calmed(lab), joint)
    labels = flooded(blur(joints, 0.4 * joint, wraps=False))
    labels = merged(labels, joints, weakest=reading.one_piece)
    labels = merged(labels, joints, least_area=(_LEAST_AREA * joint) ** 2)
    labels = merged(labels, joints, least_area=reading.smallest * _usual_area(labels))
    for mask in one:
        labels = _as_one(labels, _resized(mask, size))
    if split is not None and split.any():
        drawn = _resized(split, size)
        labels = _split(labels, drawn)
        # What was drawn is a joint, whatever it looks like.
        joints = np.where(drawn, max(float(np.quantile(joints, 0.97)), 1e-6), joints).astype(np.float32)
    border, sure = _borders(labels, _weak_borders(labels, joints))
    inside = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5) >= joint
    known = border.any() and inside.any()
    contrast = float(joints[border].mean() / max(float(joints[inside].mean()), 1e-6)) if known else 0.0
    depth = cv2.distanceTransform((~sure).astype(np.uint8), cv2.DIST_L2, 5)
    typical = float(np.sqrt(_usual_area(labels)))
    return Pieces(labels, depth, round(contrast, 2), typical, _half_joint(joints, depth), lab, joints, scale)


def centred(pieces: Pieces, width: float) -> Pieces:
    """The same pieces with their borders in the middle of the joints. width: of a joint, as a Reading has it.

    A border follows the stronger of a joint's two edges, and a join that follows it may show nothing of the joint on
    either side; seen more widely a joint is one ridge. Where pieces meet at mere edges, as leaves that lie on each
    other, borders stay where they are.
    """
    joint = width * _SIDE
    weak = _weak_borders(pieces.labels, pieces.joints)
    border, _ = _borders(pieces.labels, weak)
    calm = _calmed(pieces.lab)
    if not border.any() or _ridges(calm, border, _WIDER * joint) < _RIDGES:
        return pieces
    within = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5)
    inner = np.zeros(pieces.count, np.float32)
    np.maximum.at(inner, pieces.labels.reshape(-1), within.reshape(-1))
    stays = within >= np.minimum(_MOVED * joint, _INNERMOST * inner)[pieces.labels]
    ridge = blur(joint_strength(calm, _WIDER * joint), _SOFT * joint, wraps=False)
    labels = spread(ridge, np.where(stays, pieces.labels, -1))
    _, sure = _borders(labels, weak)
    depth = cv2.distanceTransform((~sure).astype(np.uint8), cv2.DIST_L2, 5)
    return replace(pieces, labels=labels, depth=depth, joint=_half_joint(pieces.joints, depth))


def _ridges(lab: Pixels, border: NDArray[np.bool_], joint: float) -> float:
    """How high borders stand out of both sides, to how steep it is beside them, per px."""
    slope, hat = _edges(lab, joint)
    beside = cv2.dilate(border.astype(np.uint8), np.ones((_BESIDE, _BESIDE), np.uint8)) > 0
    # The operator of Scharr comes to 32 times a slope.
    return float(32 * hat[border].mean() / max(float(slope[beside].mean()), 1e-6))


def parted_for_sure(pieces: Pieces) -> Labels:
    """The pieces with those as one between which the border is not sure, numbered from 0."""
    one, other, total, length = touching(pieces.labels, pieces.joints)
    mean = total / length
    weak = mean < _STRONG * float(np.average(mean, weights=length)) if mean.size else mean > 0
    links = sparse.coo_matrix((weak[weak], (one[weak], other[weak])), shape=(pieces.count, pieces.count))
    _, group = csgraph.connected_components(links, directed=False)
    return np.asarray(group[pieces.labels], np.int32)


def _resized(mask: NDArray[np.bool_], size: tuple[int, int]) -> NDArray[np.bool_]:
    return np.asarray(cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_AREA) > 0)


def _as_one(labels: Labels, touched: NDArray[np.bool_]) -> Labels:
    """All pieces that are touched, as one."""
    among = np.unique(labels[touched])
    if among.size < 2:
        return labels
    _, numbered = np.unique(np.where(np.isin(labels, among), among[0], labels), return_inverse=True)
    return numbered.reshape(labels.shape).astype(np.int32)


def _split(labels: Labels, drawn: NDArray[np.bool_]) -> Labels:
    """Pieces that a line parts, as two or more; what lies under it goes to the nearer one."""
    out = labels.copy()
    count = int(labels.max()) + 1
    for piece in np.unique(labels[drawn]):
        free = ((labels == piece) & ~drawn).astype(np.uint8)
        parts, marks = cv2.connectedComponents(free, connectivity=4)
        if parts < 3:
            continue
        _, nearest = cv2.distanceTransformWithLabels(1 - free, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
        of = np.zeros(int(nearest.max()) + 1, np.int32)
        of[nearest[free > 0]] = marks[free > 0]
        within = labels == piece
        part = of[nearest[within]]
        out[within] = np.where(part <= 1, piece, count + part - 2)
        count += parts - 2
    return out


def _usual_area(labels: Labels) -> float:
    """Half of the picture lies in pieces of this area or more, px."""
    areas = np.sort(np.bincount(labels.reshape(-1)))
    return float(areas[np.searchsorted(np.cumsum(areas), areas.sum() / 2)])


def _calmed(lab: Pixels) -> Pixels:
    """The grain of a stone goes, its joints stay."""
    for _ in range(2):
        lab = cv2.bilateralFilter(lab, 9, 14.0, 3.0)
    return lab


def joints_of(pixels: Pixels, joint: float) -> Pixels:
    """joint_strength() of a picture, linear RGB (H, W, 3). joint: width of one, px."""
    return joint_strength(_calmed(np.ascontiguousarray(linear_to_lab(pixels), np.float32)), joint)


def joint_strength(lab: Pixels, joint: float) -> Pixels:
    """How much like a joint each pixel is, about 1 on the mean of its surroundings. lab: (H, W, 3); joint: px."""
    slope, hat = _edges(lab, joint)
    slope = blur(slope, joint / 2, wraps=False)
    both = slope / max(float(slope.mean()), 1e-6) + hat / max(float(hat.mean()), 1e-6)
    near = blur(both, 12 * joint, wraps=False)
    even = both / np.sqrt(np.maximum(near, 1e-6))
    result: Pixels = (even / max(float(even.mean()), 1e-6)).astype(np.float32)
    return result


def _edges(lab: Pixels, joint: float) -> tuple[Pixels, Pixels]:
    """How steep each pixel lies, and how far out of what is within a joint's width on both its sides."""
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
    return slope, hat


def _weak_borders(labels: Labels, field: Pixels) -> NDArray[np.int64]:
    """Borders that are not sure, as lower number times how many pieces there are, plus higher number."""
    one, other, total, length = touching(labels, field)
    mean = total / length
    usual = float(np.average(mean, weights=length)) if mean.size else 0.0
    count = int(labels.max()) + 1
    return np.asarray((one * count + other)[mean < _STRONG * usual])


def _borders(labels: Labels, weak: NDArray[np.int64]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Pixels on borders, and those on borders that are sure. weak: those that are not, as _weak_borders()."""
    count = int(labels.max()) + 1
    border, sure = np.zeros(labels.shape, bool), np.zeros(labels.shape, bool)
    for first, second in (
        (np.s_[:, :-1], np.s_[:, 1:]),
        (np.s_[:-1], np.s_[1:]),
    ):
        a, b = labels[first].astype(np.int64), labels[second].astype(np.int64)
        apart = a != b
        strong = apart & ~np.isin(np.minimum(a, b) * count + np.maximum(a, b), weak)
        for which, marks in ((border, apart), (sure, strong)):
            which[first] |= marks
            which[second] |= marks
    return border, sure


def _half_joint(joints: Pixels, depth: Pixels) -> float:
    """Px from the middle of a joint to where its strength has fallen half-way."""
    rings = [joints[(depth >= away) & (depth < away + 1)] for away in range(1, 8)]
    means = [float(ring.mean()) for ring in rings if ring.size]
    if len(means) < 3:
        return 1.0
    half = (means[0] + min(means)) / 2
    return float(next((away for away, mean in enumerate(means) if mean < half), len(means)))
