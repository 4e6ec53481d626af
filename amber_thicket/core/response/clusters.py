"""Materials of a surface told apart by colour: a few groups of a Gaussian mixture that lie apart and hold together.

Source: Dempster, Laird & Rubin, "Maximum likelihood from incomplete data via the EM algorithm", J. R. Statist. Soc. B
39, 1977 (the mixture); k-means++ to begin with, Arthur & Vassilvitskii 2007. What counts as apart was found by trying.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.raster import Pixels

Numbers = NDArray[np.int32]

SIDE = 384
# Lightness counts less than hue, for light and dark are of the relief; more where hue finds nothing.
_LIGHT, _LIGHT_ALONE = 0.25, 0.6
_POINTS, _GROUPS, _ROUNDS, _LEAST_SPREAD = 4000, (8, 6), 25, 0.007
# Groups are one where so much of one would be taken for another, or where their middles lie so near.
_MISTAKEN, _NEAR, _MOST = 0.16, 0.035, 5
# Groups that cover so much are looked into again. A material covers so much, and goes on over _STEP px so much above
# chance; what lies between two others has to hold under that blur.
_WORTH, _LEAST_SHARE, _STEP, _GOES_ON, _RIM = 0.2, 0.025, 5, 0.22, 3.0
# Oklab lightness under which colours are noise; surroundings, px, in which the calmer half is looked for.
_DARK, _AROUND = 0.25, 9
# Where one of two lies on the same side of the other so much more than on the opposite one, it is its shade; where so
# many places lie half way between, against either end, light passes into dark. A colour between two others, off their
# line by so much of it, is a mixture of both.
_ONE_SIDE, _ASIDE, _PASSES, _MIXTURE = 0.3, (3, 6, 10), 0.5, 0.15


class Clusters(NamedTuple):
    """labels: (h, w) which group each place belongs to, the most frequent first. lab: (h, w, 3) Oklab it was told by.
    light: how far lightness counted. number: of groups; 1 where all is one material."""

    labels: Numbers
    lab: Pixels
    light: float
    number: int


class _Mixture(NamedTuple):
    """Gaussians: shares (n,), middles (n, 3), covariances (n, 3, 3)."""

    shares: Pixels
    middles: Pixels
    spreads: Pixels


def find_clusters(colour: Pixels) -> Clusters:
    """colour: (H, W, 3) linear, of a surface that tiles."""
    factor = max(1, round(max(colour.shape[:2]) / SIDE))
    small = shrink(colour, factor) if factor > 1 else colour
    lab = to_oklab(small)
    lab = np.stack([cv2.medianBlur(np.ascontiguousarray(lab[..., k]), 5) for k in range(3)], -1)
    slow = blur(np.ascontiguousarray(lab[..., 0]), 0.1 * lab.shape[1], wraps=True)
    told = lab.copy()
    told[..., 0] -= 0.5 * (slow - slow.mean())
    # Light scales all three alike (Oklab is a cube root): hue and colour against lightness do not hang on it.
    told[..., 1:] *= float(np.median(lab[..., 0])) / np.maximum(lab[..., :1], _DARK)
    # With one number of Gaussians or another a rare material is seen or swallowed: what is seen counts.
    by_hue = told * np.array([_LIGHT, 1, 1], np.float32)
    light, labels = _LIGHT, max((_told_apart(by_hue, count) for count in _GROUPS), key=lambda found: int(found.max()))
    # What one group hides: another that only lightness tells, or one too rare to be seen beside all others.
    finer = told * np.array([_LIGHT_ALONE, 1, 1], np.float32)
    for number in range(int(labels.max()) + 1):
        inside = labels == number
        if float(inside.mean()) < _WORTH:
            continue
        parts = _told_apart(finer, _GROUPS[0], inside)
        if parts.max() > 0:
            light = _LIGHT_ALONE
            labels = np.where(inside & (parts > 0), labels.max() + parts, labels)
    order = np.argsort(-np.bincount(labels.ravel()))
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    return Clusters(rank[labels].astype(np.int32), lab.astype(np.float32), light, int(labels.max()) + 1)


def _told_apart(points: Pixels, count: int, inside: NDArray[np.bool_] | None = None) -> Numbers:
    """(h, w) numbers of the materials; all 0 where there is one. points: (h, w, 3) weighted Oklab. count: of Gaussians.
    inside: (h, w) of what alone is told apart; elsewhere it is 0."""
    shape = points.shape[:2]
    within = np.ones(shape, bool) if inside is None else inside
    calm = _calm(points, within)
    if len(calm) < 10 * count:
        return np.zeros(shape, np.int32)
    mixture = _fitted(calm, count)
    groups = _joined(mixture, _likelihoods(calm, mixture))
    chance = _likelihoods(points[within], mixture)
    share = np.stack([chance[:, list(group)].sum(1) for group in groups], 1)
    while share.shape[1] > 1:
        labels = np.full(shape, -1, np.int32)
        labels[within] = share.argmax(1)
        worst = _weakest(labels, points, share.shape[1])
        if worst is None:
            return np.maximum(labels, 0)
        share = np.delete(share, worst, axis=1)
    return np.zeros(shape, np.int32)


def _calm(points: Pixels, within: NDArray[np.bool_]) -> Pixels:
    """Points that are calmer than what is around them: colours along edges fill the gap between materials, and narrow
    things have to count as well."""
    slopes = sum(np.abs(np.roll(points, 1, axis) - np.roll(points, -1, axis)).sum(-1) for axis in (0, 1))
    around = cv2.blur(slopes.astype(np.float32), (_AROUND, _AROUND), borderType=cv2.BORDER_REFLECT)
    calm = points[(slopes <= 0.8 * around) & within]
    return np.asarray(calm[np.random.default_rng(7).permutation(len(calm))[:_POINTS]])


def _fitted(points: Pixels, count: int) -> _Mixture:
    cv2.setRNGSeed(7)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 1e-5)
    _, labels, middles = cv2.kmeans(points, count, None, stop, 3, cv2.KMEANS_PP_CENTERS)
    belong = np.eye(count, dtype=np.float32)[labels.ravel()]
    least = np.eye(3) * _LEAST_SPREAD**2
    products = (points[:, :, None] * points[:, None]).reshape(-1, 9)
    for _ in range(_ROUNDS):
        total = belong.sum(0) + 1e-9
        middles = belong.T @ points / total[:, None]
        squares = (belong.T @ products / total[:, None]).reshape(-1, 3, 3)
        spreads = squares - middles[:, :, None] * middles[:, None] + least
        mixture = _Mixture(total / total.sum(), middles, spreads)
        belong = _likelihoods(points, mixture)
    return mixture


def _likelihoods(points: Pixels, mixture: _Mixture) -> Pixels:
    """(p, n): how likely each point is of each Gaussian; sums to 1. points: (p, 3) float32."""
    found = np.empty((len(points), len(mixture.shares)), np.float32)
    for number, (share, middle, spread) in enumerate(zip(*mixture, strict=True)):
        root = np.linalg.inv(np.linalg.cholesky(spread))
        off = points @ root.T.astype(np.float32) - (root @ middle).astype(np.float32)
        level = np.log(share) + np.log(np.diag(root)).sum()
        found[:, number] = np.float32(level) - np.float32(0.5) * (off * off).sum(1)
    found -= found.max(1, keepdims=True)
    np.exp(found, out=found)
    found /= found.sum(1, keepdims=True)
    return found


def _joined(mixture: _Mixture, chance: Pixels) -> list[set[int]]:
    """Groups of Gaussians that are one material: joined while one is mistaken for another, or they are too near, or too
    many."""
    groups = [{n} for n in range(len(mixture.shares))]
    while len(groups) > 1:
        share = np.stack([chance[:, list(group)].sum(1) for group in groups], 1)
        labels = share.argmax(1)
        weight = np.array([sum(mixture.shares[n] for n in group) for group in groups])
        middles = np.stack([sum(mixture.shares[n] * mixture.middles[n] for n in group) for group in groups])
        middles /= weight[:, None]
        lost = np.stack([share[labels == n].mean(0) if (labels == n).any() else np.ones(len(groups)) for n in
                         range(len(groups))])  # fmt: skip
        np.fill_diagonal(lost, 0)
        away = np.linalg.norm(middles[:, None] - middles, axis=-1) + 10 * np.eye(len(groups))
        mistaken = np.maximum(lost, lost.T)
        if mistaken.max() >= _MISTAKEN:
            one, other = np.unravel_index(mistaken.argmax(), mistaken.shape)
        elif away.min() < _NEAR or len(groups) > _MOST:
            one, other = np.unravel_index(away.argmin(), away.shape)
        else:
            break
        groups[one] |= groups[other]
        del groups[other]
    return groups


def _weakest(labels: Numbers, points: Pixels, count: int) -> int | None:
    """The material that is none: too small, grain, the shade or the rim of another, a mixture of two. None where all
    hold. labels: (h, w) below count, −1 for what is not looked at."""
    shares = np.array([float((labels == n).mean()) for n in range(count)])
    if shares.min() < _LEAST_SHARE:
        return int(shares.argmin())
    masks = [(labels == n).astype(np.float32) for n in range(count)]
    holds = [_goes_on(mask) for mask in masks]
    if min(holds) < _GOES_ON:
        return int(np.argmin(holds))
    middles = np.stack([points[labels == n].mean(0) for n in range(count)])
    for one in range(count):
        for other in range(one):
            away = np.abs(middles[one] - middles[other])
            if away[0] > np.hypot(*away[1:]) and (
                _on_one_side(masks[one], masks[other]) > _ONE_SIDE
                or _passing(points[(labels == one) | (labels == other)], middles[[one, other]]) > _PASSES
            ):
                return one if shares[one] < shares[other] else other
    for number in range(count):
        off = _between(middles, number)
        if off < _MIXTURE:
            return number
        if off < 2 * _MIXTURE:
            blurred = np.stack([blur(mask, _RIM, wraps=True) for mask in masks])
            if float((blurred.argmax(0) == number).mean()) < 0.5 * shares[number]:
                return number
    return None


def _goes_on(mask: Pixels) -> float:
    """How far a mask goes on over some px in its best direction, above chance: 0 for grain, 1 for one piece."""
    share = float(mask.mean())
    shifts = ((0, _STEP), (_STEP, 0), (_STEP - 1, _STEP - 1), (_STEP - 1, 1 - _STEP))
    kept = max(float((mask * np.roll(mask, shift, (0, 1))).mean()) for shift in shifts) / max(share, 1e-9)
    return (kept - share) / max(1 - share, 1e-9)


def _on_one_side(one: Pixels, other: Pixels) -> float:
    """How much more one mask lies on one side of another than on the opposite one, 0..1, in the worst direction."""
    worst = 0.0
    for step in _ASIDE:
        for angle in np.arange(8) * np.pi / 8:
            shift = round(step * np.sin(angle)), round(step * np.cos(angle))
            there = float((one * np.roll(other, shift, (0, 1))).mean())
            back = float((one * np.roll(other, (-shift[0], -shift[1]), (0, 1))).mean())
            worst = max(worst, abs(there - back) / max(there + back, 1e-9))
    return worst


def _passing(points: Pixels, middles: Pixels) -> float:
    """How many colours lie half way between two middles, against the rarer of the two: near 1 they pass over."""
    axis = middles[1] - middles[0]
    along = (points - middles[0]) @ axis / max(float(axis @ axis), 1e-12)
    counts = [int(np.count_nonzero(np.abs(along - at) < 0.15)) for at in (0.0, 0.5, 1.0)]
    return counts[1] / max(min(counts[0], counts[2]), 1)


def _between(middles: Pixels, number: int) -> float:
    """How far off the line between two others a colour lies, as a share of it; 1 where it lies between none."""
    nearest = 1.0
    others = [n for n in range(len(middles)) if n != number]
    for one in others:
        for other in (n for n in others if n > one):
            axis = middles[other] - middles[one]
            along = float((middles[number] - middles[one]) @ axis / max(float(axis @ axis), 1e-12))
            if 0.15 < along < 0.85:
                off = float(np.linalg.norm(middles[number] - middles[one] - along * axis))
                nearest = min(nearest, off / max(float(np.linalg.norm(axis)), 1e-9))
    return nearest


def picks_of(found: Clusters, number: int, count: int) -> Pixels:
    """(n, 3) Oklab colours that stand for a group: the middles of its own parts."""
    weights = np.array([found.light, 1, 1], np.float32)
    points = np.ascontiguousarray(found.lab[found.labels == number][:20000] * weights)
    cv2.setRNGSeed(7)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 1e-4)
    count = min(count, len(points))
    return np.asarray(cv2.kmeans(points, count, None, stop, 2, cv2.KMEANS_PP_CENTERS)[2] / weights, np.float32)
