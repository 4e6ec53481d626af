"""Strews turned, sized and mirrored pieces with organic outlines over a tile: soil, gravel, leaves, litter.

Each piece is cut in along the least visible line between its core and its outline; where a height is known, what lies
higher stays on top.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.mosaic import Placement
from amber_thicket.core.synthesis.patchwork import Mask, Patchwork
from amber_thicket.core.tile.joints.depth import depth_field
from amber_thicket.core.tile.pieces import Pieces, parted_for_sure

_CORE, _SPACING, _TRIES, _COARSER = 0.5, 0.62, 12, 4
_HEIGHT_COUNTS = 0.08
# A group holds the pieces whose middles lie within this share of the outline; so many more groups fill what is bare.
_GROUP, _GROUPS, _LEAST_BARE, _LAST_BARE = 0.85, 160, 0.8, 0.3
# Gaps that are filled one by one at the most, and what of their surroundings is looked at, px.
_GAPS, _RIM = 300, 3


@dataclass(frozen=True)
class Limits:
    """size: of a piece in tile px. turn: degrees either way. spread: how far sizes differ, 0..1. mirror: allowed.
    tight: what covers bare places goes hardly beyond them."""

    size: float
    turn: float
    spread: float
    mirror: bool
    tight: bool = False


@dataclass(frozen=True)
class WholePieces:
    """What is strewn whole: stones, leaves. labels: (Hs, Ws), the piece each pixel of the sample belongs to; middles:
    (n, 2), their middles (x, y); depth: (Hs, Ws), 0 in joints, up to 1 within pieces; unfit: (n,), those the sample's
    edge cuts or that should not show; joint: half the width of a joint, px."""

    labels: NDArray[np.int32]
    middles: NDArray[np.float64]
    depth: Pixels
    unfit: NDArray[np.bool_]
    joint: float

    @classmethod
    def of(cls, pieces: Pieces, sample: Pixels, unfit: Mask | None) -> WholePieces:
        """The pieces of a sample (H, W, 3). unfit: (H, W), what of it should not show."""
        size = (sample.shape[1], sample.shape[0])
        sure = parted_for_sure(pieces)
        labels = cv2.resize(sure.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(np.int32)
        flat, count = labels.reshape(-1), int(sure.max()) + 1
        areas = np.maximum(np.bincount(flat, minlength=count), 1)
        y, x = np.mgrid[0 : size[1], 0 : size[0]]
        middles = np.stack([np.bincount(flat, part.reshape(-1), count) / areas for part in (x, y)], -1)
        not_whole = np.zeros(count, bool)
        bad = labels[:0] if unfit is None else labels[unfit]
        for part in (labels[:2], labels[-2:], labels[:, :2], labels[:, -2:], bad):
            not_whole[np.unique(part)] = True
        depth = cv2.resize(depth_field(pieces).depth, size, interpolation=cv2.INTER_LINEAR)
        return cls(labels, middles, depth, not_whole, pieces.joint / pieces.scale)


def strew(
    work: Patchwork, seen: Pixels, unfit: Mask | None, limits: Limits, seed: int, whole: WholePieces | None = None
) -> None:
    """Covers a tile. seen: features of the sample (Hs, Ws, 9 or, with a height, 10). whole: pieces that must not be
    cut; then groups of them are strewn, with the joint around them."""
    tall, wide = work.labels.shape
    choose = np.random.default_rng(seed)
    small = cv2.resize(
        np.ascontiguousarray(seen[..., :3]), None, fx=1 / _COARSER, fy=1 / _COARSER, interpolation=cv2.INTER_AREA
    )
    # OpenCV looks up four channels at once at the most.
    layers = [np.ascontiguousarray(seen[..., i : i + 4]) for i in range(0, seen.shape[2], 4)]
    bad = None if unfit is None else cv2.blur(unfit.astype(np.float32), (9, 9)) > 0
    spots = _spots(wide, tall, limits.size, choose)
    for number, (x, y) in enumerate(spots):
        report_progress(number / len(spots), "Strewing pieces")
        drawn = _drawn(work, small, bad, (x, y), limits, choose)
        # Whole pieces do not lie on each other, or strips of the lower ones would be left.
        bare = None if drawn is None or whole is None else work.labels[drawn.around.on(work.labels.shape)] < 0
        piece = None if drawn is None else _grouped(drawn, whole, bare, _LEAST_BARE)
        if piece is not None:
            _lay(work, layers, piece, cover=False)
    if whole is not None:
        _cover(work, layers, small, bad, limits, choose, whole)
        _fill_gaps(work, layers, whole)
        # What is still bare lies between pieces: no more than that is filled.
        limits = replace(limits, tight=True)
    _cover(work, layers, small, bad, limits, choose)


def _fill_gaps(work: Patchwork, layers: list[Pixels], whole: WholePieces) -> None:
    """Fills what lies between pieces with what lies between pieces in the sample: joints, ground, small bits."""
    height, width = work.labels.shape
    depth = cv2.resize(whole.depth, None, fx=1 / _COARSER, fy=1 / _COARSER, interpolation=cv2.INTER_AREA)
    rows, columns = whole.depth.shape
    for _ in range(_GAPS):
        bare = work.labels < 0
        if not bare.any():
            return
        twice = np.tile(bare, (2, 2)).astype(np.uint8)
        _, _, boxes, _ = cv2.connectedComponentsWithStats(twice)
        left, top, wide, high, _ = max(boxes[1:], key=lambda box: int(box[4]))
        most = int(0.5 * min(rows, columns, height, width)) - 2 * _RIM
        around = Window(
            int(left) - _RIM, int(top) - _RIM, min(int(wide), most) + 2 * _RIM, min(int(high), most) + 2 * _RIM
        )
        here = bare[around.on(bare.shape)]
        size = max(1, around.width // _COARSER), max(1, around.height // _COARSER)
        mask = cv2.resize(here.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        cost = cv2.matchTemplate(depth, mask, cv2.TM_CCORR)
        row, column = divmod(int(cost.argmin()), cost.shape[1])
        x, y = min(column * _COARSER, columns - around.width), min(row * _COARSER, rows - around.height)
        matrix = np.array([[1.0, 0.0, x - around.left], [0.0, 1.0, y - around.top]])
        near = cv2.dilate(here.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        _lay(work, layers, _Piece(around, matrix, np.where(near, np.float32(0.9), np.float32(2))), cover=True)


@dataclass(frozen=True)
class _Piece:
    """outline: 1 on the outline, less inside. must: what is certainly covered by it; None where the outline says so."""

    around: Window
    matrix: NDArray[np.float64]
    outline: Pixels
    must: Mask | None = None


def _grouped(piece: _Piece, whole: WholePieces | None, bare: Mask | None = None, least: float = 0.0) -> _Piece | None:
    """The piece with an outline round whole pieces of the sample: those whose middles lie within it; None where there
    are none. bare: of the window; with it only those that lie on bare ground by this share of their area."""
    if whole is None:
        return piece
    around, matrix = piece.around, piece.matrix
    back = np.linalg.inv(matrix[:, :2])
    at = (whole.middles - matrix[:, 2]) @ back.T - [around.left, around.top]
    columns, rows = at.round().astype(int).T
    inside = (columns >= 0) & (rows >= 0) & (columns < around.width) & (rows < around.height) & ~whole.unfit
    inside[inside] = piece.outline[rows[inside], columns[inside]] < _GROUP
    flags = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    # Beyond the sample lies no piece.
    labels = cv2.warpAffine(
        (whole.labels + 1).astype(np.float32), _windowed(matrix, around), (around.width, around.height),
        flags=flags, borderMode=cv2.BORDER_CONSTANT,
    ).astype(np.int32)  # fmt: skip
    chosen = np.append(False, inside)[labels]
    # What the window cuts is not whole.
    rim = np.zeros_like(chosen)
    rim[:2] = rim[-2:] = rim[:, :2] = rim[:, -2:] = True
    chosen &= ~np.isin(labels, np.unique(labels[rim]))
    if bare is not None:
        areas = np.maximum(np.bincount(labels[chosen], minlength=len(inside) + 1), 1)
        on_bare = np.bincount(labels[chosen & bare], minlength=len(inside) + 1) / areas
        chosen &= (on_bare >= least)[labels]
    if not chosen.any():
        return None
    ring = max(1, round(whole.joint))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * ring + 1, 2 * ring + 1))
    may = cv2.dilate(chosen.astype(np.uint8), disc) > 0
    return _Piece(around, matrix, np.where(may, np.float32(0.9), np.float32(2.0)), chosen)


def _spots(wide: int, tall: int, size: float, choose: np.random.Generator) -> list[tuple[float, float]]:
    """Middles on a jittered grid whose edges meet, in random order."""
    across, down = max(2, round(wide / (size * _SPACING))), max(2, round(tall / (size * _SPACING)))
    spots = [
        ((i + 0.5 * (j % 2) + choose.uniform(-0.3, 0.3)) * wide / across, (j + choose.uniform(-0.3, 0.3)) * tall / down)
        for j in range(down)
        for i in range(across)
    ]
    return [spots[i] for i in choose.permutation(len(spots))]


def _outline(radius: float, choose: np.random.Generator) -> tuple[int, Pixels]:
    """Half the window's side, and how far out each pixel lies: 1 on the outline, less inside."""
    waves = choose.normal(0, 1, (5, 2)) / np.arange(2, 7)[:, None]
    half = int(np.ceil(1.35 * radius)) + 3
    v, u = np.mgrid[-half : half + 1, -half : half + 1].astype(np.float32)
    angle = np.arctan2(v, u)
    edge = 1 + 0.28 * sum(a * np.cos(k * angle) + b * np.sin(k * angle) for k, (a, b) in enumerate(waves, start=2))
    return half, (np.hypot(u, v) / (radius * np.clip(edge, 0.65, 1.3))).astype(np.float32)


def _drawn(
    work: Patchwork,
    small: Pixels,
    bad: Any,
    middle: tuple[float, float],
    limits: Limits,
    choose: np.random.Generator,
) -> _Piece | None:
    """A piece for a place: of a few drawn at random, the one most like what lies under its rim."""
    half, outline = _outline(0.5 * limits.size, choose)
    around = Window(round(middle[0]) - half, round(middle[1]) - half, 2 * half + 1, 2 * half + 1)
    rows, columns = small.shape[0] * _COARSER, small.shape[1] * _COARSER
    under = work.features[around.on(work.labels.shape)][..., :3]
    rim = (outline > _CORE) & (outline < 1) & (work.labels[around.on(work.labels.shape)] >= 0)
    side = max(4, (2 * half + 1) // _COARSER)
    seen = cv2.resize(np.ascontiguousarray(under), (side, side), interpolation=cv2.INTER_AREA)
    weight = cv2.resize(rim.astype(np.float32), (side, side), interpolation=cv2.INTER_AREA)[..., None]
    best, lowest = None, np.inf
    for _ in range(_TRIES):
        scale = float(2.0 ** (choose.uniform(-1, 1) * np.log2(1 + limits.spread)))
        reach = half / scale
        if 2 * reach >= min(rows, columns) - 2:
            scale, reach = 1.0, float(half)
        low = [min(reach, size / 2) for size in (columns, rows)]
        at = [choose.uniform(a, max(size - a, a + 1)) for a, size in zip(low, (columns, rows), strict=True)]
        if bad is not None and bad[min(int(at[1]), bad.shape[0] - 1), min(int(at[0]), bad.shape[1] - 1)]:
            continue
        angle = np.radians(choose.uniform(-limits.turn, limits.turn))
        flip = -1.0 if limits.mirror and choose.random() < 0.5 else 1.0
        linear = (
            np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]) / scale @ np.diag([flip, 1])
        )
        window_middle = np.array([around.left + half, around.top + half], float)
        matrix = np.column_stack([linear, np.array(at) - linear @ window_middle])
        local = np.column_stack([linear, np.array(at) / _COARSER - linear @ np.full(2, side / 2)])
        drawn = _looked_up(small, local, (side, side))
        cost = float((((drawn - seen) ** 2) * weight).sum())
        if bad is not None:
            spoilt = _looked_up(bad.astype(np.float32), _windowed(matrix, around), (around.width, around.height))
            cost += 10.0 * float((spoilt * (outline < 1)).sum())
        if cost < lowest:
            best, lowest = matrix, cost
    return None if best is None else _Piece(around, best, outline)


def _windowed(matrix: NDArray[np.float64], around: Window) -> NDArray[np.float64]:
    local = matrix.copy()
    local[:, 2] += matrix[:, :2] @ np.array([around.left, around.top])
    return local


def _looked_up(picture: Pixels, matrix: NDArray[np.float64], size: tuple[int, int]) -> Pixels:
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(picture, matrix, size, flags=flags, borderMode=cv2.BORDER_REFLECT_101))


def _lay(work: Patchwork, layers: list[Pixels], piece: _Piece, *, cover: bool) -> None:
    """Cuts a piece in. layers: the sample's features, up to four to a picture. cover: it has to fill whatever is bare
    under it."""
    around = piece.around
    at = around.on(work.labels.shape)
    size = (around.width, around.height)
    local = _windowed(piece.matrix, around)
    found = np.concatenate([_looked_up(part, local, size).reshape(*size[::-1], -1) for part in layers], -1)
    # Slopes turn with the picture: those of z(A u) are Aᵀ ∇z.
    along, down = found[..., 3:6].copy(), found[..., 6:9].copy()
    (xx, xy), (yx, yy) = piece.matrix[:, :2].astype(np.float32)
    found[..., 3:6], found[..., 6:9] = xx * along + yx * down, xy * along + yy * down
    inside = piece.outline < 1
    inside[[0, -1]] = inside[:, [0, -1]] = False
    must = inside & (work.labels[at] < 0) if cover else piece.outline < _CORE
    if piece.must is not None:
        must = piece.must & inside
    dear = None
    if found.shape[2] > 9:
        dear = (work.features[at][..., 9] - found[..., 9]) * np.float32(_HEIGHT_COUNTS * float(found.std()))
        dear = np.where(work.labels[at] < 0, 0, dear)
    work.lay(around, found, Placement(piece.matrix, around.as_tuple), must=must, may=inside, dear=dear)


def _cover(
    work: Patchwork,
    layers: list[Pixels],
    small: Pixels,
    bad: Any,
    limits: Limits,
    choose: np.random.Generator,
    whole: WholePieces | None = None,
) -> None:
    """Fills what no piece came to lie on."""
    rounds = 400 if whole is None else _GROUPS
    for number in range(rounds):
        bare = work.labels < 0
        if not bare.any():
            return
        rows, columns = np.nonzero(bare)
        pick = int(choose.integers(rows.size))
        piece = _drawn(work, small, bad, (float(columns[pick]), float(rows[pick])), limits, choose)
        if piece is None:
            piece = _drawn(work, small, None, (float(columns[pick]), float(rows[pick])), limits, choose)
        assert piece is not None
        # At first only what hardly covers anything, in the end whatever fits best.
        least = _LEAST_BARE - (_LEAST_BARE - _LAST_BARE) * number / rounds
        group = _grouped(piece, whole, bare[piece.around.on(bare.shape)], least)
        if group is not None and limits.tight:
            near = cv2.dilate(bare[group.around.on(bare.shape)].astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            group = replace(group, outline=np.where(near, group.outline, np.float32(2)))
        if group is not None:
            _lay(work, layers, group, cover=True)
