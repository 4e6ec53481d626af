"""Lays a sample of pieces so that its joins follow joints, for several steps, and tells how well each came out."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.framing import Framing
from amber_thicket.core.synthesis.patchwork import Mask
from amber_thicket.core.tile.broken_pieces import FusedPlaces
from amber_thicket.core.tile.joints.depth import DepthField, depth_field, joined_across
from amber_thicket.core.tile.joints.paths import Side, closed_side, open_side
from amber_thicket.core.tile.joints.price import prices, usual_difference
from amber_thicket.core.tile.joints.score import Outcome, outcome
from amber_thicket.core.tile.joints.steps import StepPair, find_step_pairs
from amber_thicket.core.tile.pieces import Pieces
from amber_thicket.core.tile.seam_warp import halved

# How many different steps are looked at on a grid half as fine; how many are laid, so many of them those that came out
# best there, the others those where a larger tile counts so much.
TRIED, LAID, _BEST, _LARGE = 20, 10, 7, 6.0
# Room for the feather beside a path, and for one to lie in, in tiles.
_LEAST_OVERLAP, _MOST = 0.06, 1.6
# Bending: how smooth, how far at most (of a piece, of the tile), of what a joint looks like to it (of its width).
_SMOOTH, _MOST_OF_PIECE, _MOST_OF_TILE, _SEEN = 0.45, 0.18, 0.022, 1.5
# Within so many half joints of a path the side whose border is nearer shows.
_JOINT_FIRST = 1.1
_UNFIT, _KEPT = 0.02, 50.0
# Arrangements are tried again where their joins fuse pieces, each time so much dearer there, by px: the first so many
# so often, the others so often.
_FIRST, _ROUNDS, _LATER_ROUNDS, _FUSED = 5, 4, 2, 6.0


@dataclass(frozen=True)
class Arrangement:
    """One way to lay the tile. labels: (h, w) uint8, which of the four copies shows; framing: how the sample is looked
    at; steps: across and down; outcome: how it came out."""

    labels: NDArray[np.uint8]
    framing: Framing
    steps: StepPair
    outcome: Outcome

    @property
    def nbytes(self) -> int:
        return int(self.labels.nbytes) + self.framing.nbytes


@dataclass(frozen=True)
class Brushed:
    """Masks of the whole sample at any size: unfit should not show, kept should not be cut."""

    unfit: Mask | None = None
    kept: Mask | None = None


def arrangements(
    pieces: Pieces, tile: tuple[int, int], sample: tuple[int, int], *, bend: float, brushed: Brushed
) -> list[Arrangement]:
    """The tile laid at several steps, small and large, the best first. pieces: of the sample; tile, sample: (width,
    height) in px of one picture; bend: 0..1, how much of the usual bending is allowed. Empty where no step leaves
    room."""
    report_progress(0.05, "finding steps")
    field = depth_field(pieces)
    pairs = find_step_pairs(field, tile, TRIED)
    laying = _Laying(tile, bend, brushed)
    rough = laying.lay(field.halved(), pairs, (0.2, 0.4), "looking at steps")
    chosen = _promising(rough)
    del rough
    laid = laying.lay(field, chosen, (0.4, 0.8), "laying pieces")
    # Those that would come first if nothing were broken are tried hardest.
    laid.sort(key=_unbroken)
    for number, one in enumerate(laid):
        report_progress(0.8 + 0.2 * number / len(laid), "looking for ways round pieces")
        laid[number] = one.rerouted(_ROUNDS if number < _FIRST else _LATER_ROUNDS)
    # From px of the field to tile widths of the sample.
    unit = sample[0] / (field.depth.shape[1] * tile[0])
    return sorted((one.arrangement(unit, tile) for one in laid), key=lambda one: one.outcome.cost(1.0))


@dataclass(frozen=True)
class _Laying:
    """How pieces are laid: for a tile of (width, height) px, bent so much, obeying masks."""

    tile: tuple[int, int]
    bend: float
    brushed: Brushed

    def lay(self, field: DepthField, pairs: list[StepPair], shares: tuple[float, float], what: str) -> list[_Laid]:
        """The pieces of a field at each pair of steps that leaves room. shares: of the whole work, when it begins and
        ends; what: is told meanwhile."""
        laid = []
        for number, pair in enumerate(pairs):
            report_progress(shares[0] + (shares[1] - shares[0]) * number / len(pairs), what)
            placed = _Frame.of(field, pair, self.tile)
            if placed is not None:
                laid.append(_Laid.at(field, pair, placed, self.bend, self.brushed))
        return laid


def _unbroken(laid: _Laid) -> float:
    """What an arrangement would cost if it broke nothing."""
    return replace(laid.outcome, broken=0, nearly=0).cost(1.0)


def _promising(rough: list[_Laid]) -> list[StepPair]:
    """Steps at which pieces are laid on the fine grid: most as they came out, some where a large tile counts much."""
    first = sorted(rough, key=lambda one: one.outcome.cost(1.0))
    large = sorted(first[_BEST:], key=lambda one: one.outcome.cost(_LARGE))
    return [one.steps for one in (*first[:_BEST], *large[: LAID - _BEST])]


@dataclass(frozen=True, eq=False)
class _Laid:
    """A sample laid at one pair of steps. seen: the field as its frame shows it, bent by shifts; masks: of the frame,
    what is unfit and what is kept; lost: share of the sample that is left out; labels, outcome: as of an
    arrangement; fused: where its joins bring pieces together."""

    steps: StepPair
    placed: _Frame
    shifts: Pixels | None
    seen: DepthField
    masks: tuple[Mask | None, Mask | None]
    lost: float
    labels: NDArray[np.uint8]
    outcome: Outcome
    fused: FusedPlaces

    @classmethod
    def at(cls, field: DepthField, pair: StepPair, placed: _Frame, bend: float, brushed: Brushed) -> _Laid:
        shifts = _bent(field, placed, bend) if bend > 0 else None
        seen = placed.field(field, shifts)
        size = (field.depth.shape[1], field.depth.shape[0])
        masks = (
            _seen_mask(brushed.unfit, size, placed, shifts),
            _seen_mask(brushed.kept, size, placed, shifts),
        )
        shown = abs(np.linalg.det(placed.matrix[:, :2])) * placed.width * placed.height / field.depth.size
        labels, price = _joined(seen, placed, masks, None)
        found = outcome(seen, labels, placed.overlap, price, 1 - shown, masks[0])
        return cls(pair, placed, shifts, seen, masks, 1 - shown, labels, *found)

    def rerouted(self, rounds: int) -> _Laid:
        """The same with joins led round the pieces they fuse, as long as that comes out better."""
        best = latest = self
        dear = np.zeros(self.labels.shape, np.float32)
        room = max(2, round(self.seen.joint))
        around = np.ones((2 * room + 1, 2 * room + 1), np.uint8)
        for _ in range(rounds):
            if not latest.outcome.broken and not latest.outcome.nearly:
                break
            bad = latest.fused.nearly_broken()[0]
            wide = cv2.dilate(np.pad(bad.astype(np.float32), room, mode="wrap"), around)
            dear += np.float32(_FUSED) * wide[room:-room, room:-room]
            labels, price = _joined(self.seen, self.placed, self.masks, dear)
            found, fused = outcome(self.seen, labels, self.placed.overlap, price, self.lost, self.masks[0])
            latest = replace(self, labels=labels, outcome=found, fused=fused)
            best = min(best, latest, key=lambda one: one.outcome.cost(1.0))
        return best

    def arrangement(self, unit: float, tile: tuple[int, int]) -> Arrangement:
        """unit: px of the field to tile widths of the sample; tile: (width, height) in px."""
        placed = self.placed
        linear = placed.matrix[:, :2] * (placed.width * unit)
        matrix = np.column_stack([linear, placed.matrix[:, 2] * unit])
        framing = Framing(matrix, placed.extents, self.shifts)
        return Arrangement(_enlarged(self.labels, tile), framing, self.steps, self.outcome)


@dataclass(frozen=True)
class _Frame:
    """matrix: (2, 3), px of the field = matrix · (x, y, 1), px of the frame counted from its corner, not from the
    middle of its first pixel. width, height: of the tile in px of the frame; extents: of the frame in tiles."""

    matrix: NDArray[np.float64]
    width: int
    height: int
    extents: tuple[float, float]

    @classmethod
    def of(cls, field: DepthField, pair: StepPair, tile: tuple[int, int]) -> _Frame | None:
        high, wide = field.depth.shape
        u = np.array([pair.across.right * wide, pair.across.down * high])
        v = np.array([pair.down.right * wide, pair.down.down * high])
        # As much as lies in the sample, whatever way the steps lean.
        sides = np.array([[u[0], abs(v[0])], [abs(u[1]), v[1]]])
        extents = np.minimum(np.linalg.solve(sides, [wide, high]), _MOST)
        if extents.min() < 1 + _LEAST_OVERLAP:
            return None
        width = round(float(u[0]))
        height = max(1, round(width * tile[1] / tile[0]))
        origin = [-min(0.0, extents[1] * v[0]), -min(0.0, extents[0] * u[1])]
        matrix = np.column_stack([u / width, v / height, origin])
        return cls(matrix, width, height, (float(extents[0]), float(extents[1])))

    @property
    def size(self) -> tuple[int, int]:
        return int(self.extents[0] * self.width + 1e-6), int(self.extents[1] * self.height + 1e-6)

    @property
    def overlap(self) -> tuple[int, int]:
        return self.size[0] - self.width, self.size[1] - self.height

    def places(self, shifts: Pixels | None) -> tuple[Pixels, Pixels]:
        """Px (x, y) of the field each px of the frame shows. shifts: in tile widths."""
        tiles = Framing(np.column_stack([self.matrix[:, :2], self.matrix[:, 2] / self.width]), self.extents, shifts)
        return tiles.places((self.width, self.height), 0, self.size[1])

    @property
    def scale(self) -> float:
        """Px of the frame to one of the field."""
        return 1 / float(np.sqrt(abs(np.linalg.det(self.matrix[:, :2]))))

    def field(self, field: DepthField, shifts: Pixels | None) -> DepthField:
        return field.looked_up(*self.places(shifts), self.scale)


def framed_pieces(pieces: Pieces, framing: Framing, tile: tuple[int, int]) -> Pieces:
    """The pieces of a sample as a framing looks at them, on a grid about as fine. tile: (width, height) in px of the
    sample the pieces were found in."""
    width = max(16, round(tile[0] * pieces.scale))
    height = max(16, round(tile[1] * pieces.scale))
    size = framing.extent((width, height))
    x, y = framing.places((width, height), 0, size[1])
    nearest, linear, mirror = cv2.INTER_NEAREST, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE
    labels = cv2.remap(pieces.labels.astype(np.float32), x, y, nearest, borderMode=mirror).astype(np.int32)
    by = np.float32(1 / framing.scale)
    depth, lab, joints = (
        cv2.remap(field, x, y, linear, borderMode=mirror) for field in (pieces.depth, pieces.lab, pieces.joints)
    )
    return Pieces(
        labels,
        depth * by,
        pieces.contrast,
        pieces.typical * float(by),
        pieces.joint * float(by),
        lab,
        joints,
        width / tile[0],
    )


def _seen_mask(mask: Mask | None, size: tuple[int, int], placed: _Frame, shifts: Pixels | None) -> Mask | None:
    """A mask of the sample as the frame looks at it. size: (width, height) of the field in px."""
    if mask is None or not mask.any():
        return None
    x, y = placed.places(shifts)
    small = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.remap(small, x, y, cv2.INTER_LINEAR) > 0.02)


def _bent(field: DepthField, placed: _Frame, bend: float) -> Pixels:
    """Shifts that make joints of both sides meet, in tile widths on a grid a quarter as fine."""
    scale = placed.scale
    near = field.near_through(*placed.places(None), scale)
    joint, typical = field.joint * scale, field.typical * scale
    most = bend * min(_MOST_OF_PIECE * typical, _MOST_OF_TILE * placed.width)
    across = _bent_across(near, placed.width, placed.width, joint, typical, most)
    # Joints of the other two sides, once the first two meet.
    rows, columns = near.shape
    moved = cv2.resize(across, (columns, rows), interpolation=cv2.INTER_LINEAR) * np.float32(placed.width)
    x = moved[..., 0] + np.arange(columns, dtype=np.float32)
    y = moved[..., 1] + np.arange(rows, dtype=np.float32)[:, None]
    near = cv2.remap(near, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    down = _bent_across(np.ascontiguousarray(near.T), placed.height, placed.width, joint, typical, most)
    return np.asarray(across + down.transpose(1, 0, 2)[..., ::-1], np.float32)


def _bent_across(near: Pixels, period: int, unit: int, joint: float, typical: float, most: float) -> Pixels:
    over = near.shape[1] - period
    wide = np.float32(_SEEN * max(joint, 1.0))
    left, right = (np.exp(-near[:, start : start + over] / wide) for start in (0, period))
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    finder.setUseSpatialPropagation(True)
    flow = finder.calc(*((255 * part).astype(np.uint8) for part in (left, right)), None)
    x = flow[..., 0] + np.arange(over, dtype=np.float32)
    y = flow[..., 1] + np.arange(len(near), dtype=np.float32)[:, None]
    # Only where a joint meets a joint is known how far apart they lie.
    met = left * cv2.remap(right, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return halved(flow, met * met, near.shape, period, unit, most=most, sigma=_SMOOTH * typical)


def _joined(
    seen: DepthField, placed: _Frame, masks: tuple[Mask | None, Mask | None], fused: Pixels | None
) -> tuple[NDArray[np.uint8], float]:
    """Which copy shows at each pixel of the tile, and the mean price of the joins. masks: as in _Laid; fused: (h, w),
    what a px of join costs besides."""
    width, height = placed.width, placed.height
    over_x, over_y = placed.overlap
    usual = usual_difference(seen.lab)
    first, second = seen.columns(width, over_x), seen.columns(0, over_x)
    dear = _brushed_price(*masks, width, over_x)
    if fused is not None:
        dear = _added(dear, fused[np.arange(len(first.depth)) % height, :over_x])
    right, price_x = _side(first, second, usual, dear, closed=False)
    # Joined across, in all rows of the frame.
    unfit, kept = (
        None if mask is None else np.ascontiguousarray(joined_across(mask, right, width).T) for mask in masks
    )
    dear = _brushed_price(unfit, kept, height, over_y)
    if fused is not None:
        dear = _added(dear, np.ascontiguousarray(fused[:over_y].T))
    strips = (slice(start, start + over_y) for start in (height, 0))
    first, second = (seen.joined(strip, right[strip], width).turned() for strip in strips)
    below, price_y = _side(first, second, usual, dear, closed=True)
    lower = np.zeros((height, width), bool)
    lower[:over_y] = below.T
    # Past the overlap both copies show the same pixels. Calling them the shifted one, well past it, keeps the feather
    # from reaching across the border, where it would mix in the sample's bare edge.
    lower[(height + over_y) // 2 :] = True
    further = np.zeros((height, width), bool)
    upper_side, lower_side = right[:height], np.zeros((height, over_x), bool)
    # Where the lower copy shows, the choice across is the one made in the row it comes from.
    lower_side[:over_y] = right[height : height + over_y]
    further[:, :over_x] = np.where(lower[:, :over_x] & (np.arange(height) < over_y)[:, None], lower_side, upper_side)
    further[:, (width + over_x) // 2 :] = True
    return (further | (lower.astype(np.uint8) << 1)).astype(np.uint8), (price_x + price_y) / 2


def _added(one: Pixels | None, other: Pixels) -> Pixels:
    return other if one is None else one + other


def _brushed_price(unfit: Mask | None, kept: Mask | None, period: int, over: int) -> Pixels | None:
    """What a path pays besides: for each unfit pixel its row would show, and for every pixel of what is kept."""
    price: Pixels | None = None
    if unfit is not None:
        far, here = (unfit[:, a : a + over].astype(np.float32) for a in (period, 0))
        shown = np.cumsum(far, axis=1) - far + here[:, ::-1].cumsum(axis=1)[:, ::-1]
        price = np.float32(_UNFIT) * shown
    if kept is not None:
        cut = np.float32(_KEPT) * (kept[:, :over] | kept[:, period : period + over])
        price = cut if price is None else price + cut
    return price


def _side(one: DepthField, other: DepthField, usual: float, dear: Pixels | None, *, closed: bool) -> tuple[Side, float]:
    """Where the first of two fields shows, left of a join, and the mean price of that."""
    down, across = prices(one, other, usual, wraps=closed)
    if dear is not None:
        down, across = down + dear, across + dear
    over = down.shape[1]
    margin = max(2, over // 12)
    inner = np.s_[:, margin : over - margin]
    find = closed_side if closed else open_side
    side, price = find(np.ascontiguousarray(down[inner]), np.ascontiguousarray(across[inner]))
    whole = np.zeros(down.shape, bool)
    whole[:, :margin] = True
    whole[inner] = side
    return _joint_first(whole, one, other, closed=closed), price


def _joint_first(side: Side, one: DepthField, other: DepthField, *, closed: bool) -> Side:
    """Near the path the side whose border is nearer shows, so that joints keep their width."""
    room = int(np.ceil(_JOINT_FIRST * one.joint)) + 4
    mode: Literal["wrap", "edge"] = "wrap" if closed else "edge"
    padded = np.pad(side, ((room, room), (0, 0)), mode=mode).astype(np.uint8)
    to_left, to_right = (cv2.distanceTransform(part, cv2.DIST_L2, 5) for part in (padded, 1 - padded))
    away = np.maximum(to_left, to_right)[room:-room]
    here = (away <= _JOINT_FIRST * one.joint) & (away < np.arange(1, side.shape[1] + 1)[::-1])
    nearer = one.near < other.near
    chosen = np.where(here, nearer, side)
    chosen = np.pad(chosen, ((room, room), (0, 0)), mode=mode)
    calm = cv2.medianBlur(chosen.astype(np.uint8), 7)[room:-room] > 0
    # Nothing but what the first field has at its bare edge, and the second at its own.
    calm[:, :2], calm[:, -2:] = True, False
    return np.asarray(calm)


def _enlarged(labels: NDArray[np.uint8], tile: tuple[int, int]) -> NDArray[np.uint8]:
    """Labels on the grid of the plan, their edges smooth."""
    room = 8
    padded = np.pad(labels, room, mode="wrap")
    scale = tile[0] / labels.shape[1], tile[1] / labels.shape[0]
    x = (np.arange(tile[0], dtype=np.float32) + 0.5) / scale[0] - 0.5 + room
    y = (np.arange(tile[1], dtype=np.float32)[:, None] + 0.5) / scale[1] - 0.5 + room
    grid = [np.ascontiguousarray(np.broadcast_to(part, (tile[1], tile[0]))) for part in (x, y)]
    shares = [
        cv2.remap(blur((padded == number).astype(np.float32), 0.7, wraps=True), *grid, cv2.INTER_LINEAR)
        for number in range(4)
    ]
    return np.asarray(np.argmax(shares, axis=0), np.uint8)
