"""Makes the edges meet: what of the sample shows where, and how its copies and pieces are joined."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.alike import alike
from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.mapped import release_pages
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation, unexposed
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import Colour, OperationSettings, setting
from amber_thicket.core.strokes import MOST, Stroke, drawn
from amber_thicket.core.synthesis.cut import features
from amber_thicket.core.synthesis.framing import framed
from amber_thicket.core.synthesis.mosaic import Mosaic, Placement, mosaic, moved, render_mosaic
from amber_thicket.core.synthesis.patch_search import PatchSearch, Steps, find_steps
from amber_thicket.core.synthesis.patchwork import Mask, Patchwork, Price, composed, squared
from amber_thicket.core.synthesis.regrow import avoid, features_with_height, grow, keep_in_place, mend
from amber_thicket.core.synthesis.tile_plan import FEATHER, TilePlan, render
from amber_thicket.core.tile.broken_pieces import broken_pieces
from amber_thicket.core.tile.joints.arrange import Arrangement, Brushed, arrangements, framed_pieces
from amber_thicket.core.tile.joints.patches import TRIES, along_joints, piece_features
from amber_thicket.core.tile.joints.score import copies_source
from amber_thicket.core.tile.overlap import PIECES, blend_shares, cut_labels, usual_join_cost
from amber_thicket.core.tile.pieces import PIECES as PIECES_FROM
from amber_thicket.core.tile.pieces import Pieces, Reading, centred, find_pieces
from amber_thicket.core.tile.seam_warp import apply_warp, seam_warp
from amber_thicket.core.tile.shares import feathered
from amber_thicket.core.tile.stochastic import Mixture, mix, patches
from amber_thicket.core.tile.strew import Limits, WholePieces, strew
from amber_thicket.errors import BadSetting

GROWN = ("regrow", "strew", "stochastic")
MENDED, _ROOM = 30, 0.65
# Colours that are left out at most, and the grain that does not count, in tile widths.
MOST_COLOURS, _GRAIN = 12, 0.002
_TOO_MUCH = 0.7
# With joints the tile is as large as it comes out: about this much smaller than the sample.
JOINTS_OVER = 0.36
# Feather along joints, % of the tile: pieces on either side have colours of their own, which must not run into another.
_ALONG_JOINTS = 0.7
# So many arrangements are kept where parts must be replaced in each.
_BRUSHED = 3
# How far joins round a part that is replaced may lie from it, in usual pieces.
_OF_PIECE = 0.5
# Tiles of so many px are laid channel by channel.
_BY_CHANNEL = 5000 * 5000
_Method = Literal["none", "blend", "cut", "lattice", "regrow", "strew", "stochastic", "joints"]


class Settings(OperationSettings):
    method: _Method = setting(
        "cut",
        label="Method",
        choices={
            "none": "None",
            "blend": "Blend",
            "cut": "Cut",
            "lattice": "Lattice",
            "joints": "Joints",
            "regrow": "Regrow",
            "strew": "Strew",
            "stochastic": "Stochastic",
        },
        help="Cut joins along the least visible path; lattice also bends joints so that they meet; joints looks for "
        "steps at which joins run between stones; blend fades one side into the other; regrow rebuilds the surface "
        "from parts of it; strew scatters turned pieces; stochastic mixes noise-like surfaces; none leaves the edges.",
    )
    tiles: bool = setting(
        False,
        label="Tiles already",
        help="The picture repeats as it is, without a join: Even works round its edges and leaves them meeting.",
    )
    overlap_x: float = setting(
        20.0, ge=4, le=45, step=1, unit="% of tile", label="Overlap across", help="How far left and right side overlap."
    )
    overlap_y: float = setting(
        20.0, ge=4, le=45, step=1, unit="% of tile", label="Overlap down", help="How far top and bottom overlap."
    )
    wander: float = setting(
        100.0, ge=0, le=100, step=5, unit="%", label="Wander", help="How far a cut may leave the middle of the overlap."
    )
    feather: float = setting(
        2.0,
        ge=0.1,
        le=10,
        step=0.1,
        unit="% of tile",
        label="Feather",
        help="How softly coarse structure is joined; fine structure is joined more tightly, and pieces that stay whole "
        "by no more than 0.7 %.",
    )
    begin: Literal["photograph", "blocks"] = setting(
        "photograph",
        label="Begin with",
        choices={"photograph": "The photograph", "blocks": "Blocks"},
        help="Regrow keeps the photograph and replaces only its worst joins, or builds all of it anew from blocks. "
        "Whole pieces are always laid anew.",
    )
    pattern: float = setting(
        100.0,
        ge=25,
        le=400,
        step=5,
        unit="%",
        label="Pattern scale",
        help="How large the pattern is on the tile: at 200 % it shows half of the sample's width, at 50 % twice of it, "
        "where the method can make more of the surface.",
    )
    apart: float = setting(
        40.0,
        ge=0,
        le=70,
        step=5,
        unit="% of tile",
        label="Twins apart",
        help="Within this distance no part of the sample is shown twice.",
    )
    piece: float = setting(
        26.0, ge=6, le=60, step=2, unit="% of tile", label="Piece size", help="How wide the pieces are."
    )
    turn: float = setting(
        180.0, ge=0, le=180, step=15, unit="°", label="Turn", help="How far a piece may be turned either way."
    )
    spread: float = setting(
        15.0, ge=0, le=100, step=5, unit="%", label="Size spread", help="How far the sizes of pieces differ."
    )
    whole: bool = setting(
        False,
        label="Whole pieces",
        help="Strew and Regrow keep stones and leaves that stand out whole, with the joint round them.",
    )
    mirror: bool = setting(True, label="Mirror pieces", help="Lets pieces be mirrored too.")
    seed: int = setting(1, ge=1, le=9999, step=1, label="Arrangement", help="Another number, another arrangement.")
    rank: int = setting(
        1, ge=1, le=8, step=1, label="Next best", help="1 is the best arrangement that was found, 2 the next best."
    )
    larger: float = setting(
        50.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Larger tile",
        help="How much a larger tile is worth against fewer trimmed pieces.",
    )
    bend: float = setting(
        100.0, ge=0, le=200, step=10, unit="%", label="Bend", help="How far joints may be bent so that they meet."
    )
    joint_width: float = setting(
        0.7, ge=0.2, le=3, step=0.1, unit="% of picture", label="Joint width", help="How wide the joints are, about."
    )
    detail: float = setting(
        50.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Piece detail",
        help="How weak a joint may be that still parts two pieces.",
    )
    smallest: float = setting(
        12.0,
        ge=1,
        le=60,
        step=1,
        unit="%",
        label="Smallest piece",
        help="What has less than this of a usual piece's area belongs to the next.",
    )
    one_piece: tuple[Stroke, ...] = setting(
        (), most=MOST, label="One piece", help="All that such a stroke touches is one piece."
    )
    split_piece: tuple[Stroke, ...] = setting(
        (), most=MOST, label="Two pieces", help="A piece that such a stroke goes through is two."
    )
    excluded: tuple[Stroke, ...] = setting(
        (), most=MOST, label="Left out", help="Strokes and areas of the picture that must not be used."
    )
    excluded_colours: tuple[Colour, ...] = setting(
        (), most=MOST_COLOURS, label="Left out by colour", help="Colours of the sample that must not be used."
    )
    excluded_tolerance: float = setting(
        6.0,
        ge=0.5,
        le=40,
        step=0.5,
        label="Colours alike",
        help="How far a colour may lie from one that is left out and still be left out with it.",
    )
    kept: tuple[Stroke, ...] = setting(
        (), most=MOST, label="Kept", help="Strokes and areas of the picture that stay whole."
    )


def reach(chosen: Settings) -> tuple[float, float]:
    """How much wider and higher than the tile the sample is, in tiles; below 0 where the tile is grown beyond it."""
    if chosen.method == "none":
        return 0.0, 0.0
    if chosen.method == "joints":
        return JOINTS_OVER, JOINTS_OVER
    over = (0.0, 0.0) if chosen.method in ("strew", "stochastic") else (chosen.overlap_x / 100, chosen.overlap_y / 100)
    times = grown(chosen)
    return (1 + over[0]) / times - 1, (1 + over[1]) / times - 1


def grown(chosen: Settings) -> float:
    """How many times as wide as the sample the tile is, at least 1."""
    return max(1.0, 100 / chosen.pattern) if chosen.method in GROWN else 1.0


def looked_at(chosen: Settings) -> float:
    """The share of the sample's width, about its middle, that is made a tile."""
    return min(1.0, 100 / chosen.pattern)


@dataclass(frozen=True)
class _Sample:
    """What every method looks at. pixels: linear RGB at plan size; height: (H, W) or None; masks of the brush."""

    pixels: Pixels
    height: Pixels | None
    unfit: Mask | None
    kept: Mask | None


@dataclass(frozen=True)
class PiecePlan:
    """Which piece of the sample shows where, before their joins are softened. placements: of the pieces; None where
    they are the sample's own copies. shifts, evidence: as in plan.TilePlan. whole: stones or leaves were laid whole."""

    labels: NDArray[Any]
    placements: tuple[Placement, ...] | None
    shifts: Pixels | None
    evidence: dict[str, Any]
    whole: bool = False

    @property
    def nbytes(self) -> int:
        return self.labels.nbytes + (0 if self.shifts is None else self.shifts.nbytes)


class BlendPlan(NamedTuple):
    """Copies that fade over all of their overlap: px of it across and down."""

    across: int
    down: int


class Arranged(NamedTuple):
    """Several ways to lay the pieces of a sample, each with its plan; masks of the brush are obeyed in all of them."""

    made: tuple[tuple[Arrangement, PiecePlan], ...]

    @property
    def nbytes(self) -> int:
        return sum(arrangement.nbytes + plan.nbytes for arrangement, plan in self.made)

    def chosen(self, rank: int, larger: float) -> tuple[Arrangement, PiecePlan]:
        """The best one, the next best, ...; the last where there are fewer. larger: % as in Settings."""
        order = sorted(self.made, key=lambda one: one[0].outcome.cost(larger_weight(larger)))
        return order[min(rank, len(order)) - 1]


def larger_weight(larger: float) -> float:
    """How much a larger tile counts, 1 at 50 %."""
    return float(2 ** ((larger - 50) / 17))


def finalize_plan(
    decided: PiecePlan | BlendPlan | Mixture | Arranged, *, frame: Frame, **given: Any
) -> TilePlan | Mosaic | Mixture:
    """The plan, its joins feathered."""
    chosen = Settings(**given)
    width, height = frame.width, frame.height
    framing, feather = None, chosen.feather
    if isinstance(decided, Arranged):
        feather = _ALONG_JOINTS
        arrangement, plan = decided.chosen(chosen.rank, chosen.larger)
        found = {"arrangement": min(chosen.rank, len(decided.made)), "arrangements": len(decided.made)}
        decided = replace(plan, evidence=plan.evidence | found)
        framing = arrangement.framing
    if isinstance(decided, Mixture):
        return decided
    if isinstance(decided, BlendPlan):
        shares = blend_shares(width, height, *decided, chosen.feather)
        return TilePlan(PIECES, shares, shares[-1].argmax(axis=0).astype(np.uint8), crisp=False)
    if decided.placements is not None:
        if decided.whole:
            feather = min(feather, _ALONG_JOINTS)
        return mosaic(decided.labels, decided.placements, feather, decided.evidence, decided.shifts, framing)
    widths = tuple(part * frame.tile_width * feather / (100 * FEATHER[0]) for part in FEATHER[:2])
    shares = feathered(decided.labels, len(PIECES), (*widths, FEATHER[2] * frame.tile_width))
    return TilePlan(PIECES, shares, decided.labels, True, decided.shifts, decided.evidence, framing)


def decide_join(
    evened: Raster, height: Raster | None = None, *, frame: Frame, **given: Any
) -> PiecePlan | BlendPlan | Mixture | Arranged:
    """What shows where. evened: linear RGB of the whole sample at plan size; height: of the sample, where one is known;
    frame: the tile."""
    chosen = Settings(**given)
    size = (evened.pixels.shape[1], evened.pixels.shape[0])
    masks = [
        drawn(strokes, size, part=frame.part) > 0.5 if strokes else None for strokes in (chosen.excluded, chosen.kept)
    ]
    unfit = _either(masks[0], _of_colours(evened.pixels, frame, chosen))
    sample = _Sample(evened.pixels, None if height is None else height.pixels, unfit, masks[1])
    if chosen.method == "stochastic":
        across = chosen.piece / 100 * frame.width
        return patches(size, (frame.width, frame.height), across, chosen.seed, sample.unfit)
    if chosen.method == "joints":
        return _along_joints(sample, frame, chosen)
    if chosen.method == "strew":
        return _strewn(sample, frame, chosen)
    if chosen.method == "regrow":
        return _regrown(sample, frame, chosen)
    return _overlapped(sample, frame, chosen)


def pieces_in(sample: Pixels, part: tuple[float, float, float, float], chosen: Settings) -> Pieces:
    """The pieces of a sample as its settings and strokes tell them. sample: linear RGB; part: of the picture that it
    shows."""
    size = (sample.shape[1], sample.shape[0])
    reading = Reading(chosen.joint_width / 100, 1.6 * 2 ** ((50 - chosen.detail) / 25), chosen.smallest / 100)
    one = [drawn((stroke,), size, part=part) > 0.5 for stroke in chosen.one_piece]
    split = drawn(chosen.split_piece, size, part=part) > 0.5 if chosen.split_piece else None
    return find_pieces(sample, reading, one=one, split=split)


def pieces_to_join(sample: Pixels, part: tuple[float, float, float, float], chosen: Settings) -> Pieces:
    """The same as the chosen method sees them: joins follow the middle of joints, whole pieces that are strewn or
    regrown are cut out along their edges."""
    found = pieces_in(sample, part, chosen)
    return centred(found, chosen.joint_width / 100) if chosen.method == "joints" else found


def _along_joints(sample: _Sample, frame: Frame, chosen: Settings) -> PiecePlan | BlendPlan | Arranged:
    tile = (frame.width, frame.height)
    size = (sample.pixels.shape[1], sample.pixels.shape[0])
    pieces = pieces_to_join(sample.pixels, frame.part, chosen)
    brushed = Brushed(sample.unfit, sample.kept)
    made = arrangements(pieces, tile, size, bend=chosen.bend / 100, brushed=brushed)
    if not made:
        return _overlapped(sample, frame, chosen)
    if brushed.unfit is not None and brushed.unfit.any():
        made = made[:_BRUSHED]
    return Arranged(tuple((one, _plan_of(one, sample, tile, pieces)) for one in made))


def _plan_of(arrangement: Arrangement, sample: _Sample, tile: tuple[int, int], pieces: Pieces) -> PiecePlan:
    """The plan of one arrangement; what should not show and still would is replaced by other parts, along joints."""
    came = arrangement.outcome
    evidence: dict[str, Any] = {
        "pieces": came.shown,
        "broken": _broken(arrangement, tile, pieces),
        "strips": came.strips,
        "trimmed": came.trimmed,
        "price": came.price,
        "left_over": came.lost,
        "span": round(arrangement.framing.scale / (1 + JOINTS_OVER), 4),
    }
    if came.unfit and sample.unfit is not None:
        size = (sample.pixels.shape[1], sample.pixels.shape[0])
        planes = np.moveaxis(piece_features(pieces, size), -1, 0)
        seen = np.stack([framed(np.ascontiguousarray(plane), arrangement.framing, tile) for plane in planes], -1)
        masks = [
            None if mask is None else framed(mask.astype(np.float32), arrangement.framing, tile) > 0.5
            for mask in (sample.unfit, sample.kept)
        ]
        work = _from_copies(arrangement.labels, seen.shape[:2], seen, masks[1], along_joints)
        assert masks[0] is not None
        # Wide enough for joins to run round a piece.
        wide = _OF_PIECE * pieces.typical / pieces.scale / arrangement.framing.scale
        steps = find_steps(framed(sample.pixels, arrangement.framing, tile), tile)
        avoid(work, PatchSearch(seen, masks[0], steps), masks[0], tries=TRIES, wide=wide)
        return _laid(work, seen, evidence)
    return PiecePlan(arrangement.labels, None, None, evidence)


def _broken(arrangement: Arrangement, tile: tuple[int, int], pieces: Pieces) -> int:
    """How many pieces the joins break on the tile as it is laid, whose grid is finer than that of the steps."""
    wide, high = arrangement.framing.extent(tile)
    source = copies_source(arrangement.labels, (wide - tile[0], high - tile[1]))
    return broken_pieces(source, framed_pieces(pieces, arrangement.framing, tile)).count


def _of_colours(sample: Pixels, frame: Frame, chosen: Settings) -> Mask | None:
    """What of a sample has colours that are left out, and the px around it, (H, W); None where none is. Raises
    BadSetting where hardly anything else is left."""
    if not chosen.excluded_colours:
        return None
    lab = to_oklab(blur(sample, _GRAIN * frame.tile_width, wraps=False)) * np.float32(100)
    picks = [linear_of_hex(colour) for colour in chosen.excluded_colours]
    found = alike(lab, picks, [], light=1.0, tolerance=chosen.excluded_tolerance, soft=0.2) > 0.5
    whole = cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    unfit = np.asarray(cv2.dilate(whole, np.ones((9, 9), np.uint8)) > 0)
    share = float(unfit.mean())
    if share > _TOO_MUCH:
        raise BadSetting(
            f"The colours that are left out cover {100 * share:.0f} % of the sample.",
            remedy="Leave out fewer, or lower “Colours alike”.",
            setting="tile.join.excluded_colours",
        )
    return unfit


def _overlapped(sample: _Sample, frame: Frame, chosen: Settings) -> PiecePlan | BlendPlan:
    """Blend, cut and lattice: whole copies of the sample, one tile apart."""
    width, height = frame.width, frame.height
    pixels = sample.pixels
    if chosen.method == "blend":
        return BlendPlan(pixels.shape[1] - width, pixels.shape[0] - height)
    shifts = seam_warp(pixels, width, height) if chosen.method == "lattice" else None
    if shifts is not None:
        pixels = apply_warp(pixels, shifts, width)
    labels, evidence = cut_labels(pixels, width, height, chosen.wander / 100, sample.unfit, sample.kept)
    if shifts is not None:
        evidence["moved_px"] = round(float(np.abs(shifts).max()) * width, 2)
    if sample.unfit is not None and sample.unfit.any():
        seen = features_with_height(features(pixels), sample.height)
        work = _from_copies(labels, pixels.shape[:2], seen, sample.kept)
        avoid(work, PatchSearch(seen, sample.unfit, find_steps(pixels, (width, height))), sample.unfit)
        # What the paths alone would cost is no longer true.
        del evidence["join_costs"]
        return _laid(work, seen, evidence, shifts)
    return PiecePlan(labels, None, shifts, evidence)


def _from_copies(
    labels: NDArray[np.uint8], sample: tuple[int, ...], seen: Pixels, kept: Mask | None, price: Price = squared
) -> Patchwork:
    """The patchwork of a cut: its four copies as pieces."""
    height, width = labels.shape
    over_x, over_y = sample[1] - width, sample[0] - height
    # Past the overlap both copies show the same pixels, and from somewhere on the shifted one is said to.
    from_x, from_y = _from_here_on(labels & 1), _from_here_on((labels & 2).T)
    across = ((0, from_x), (from_x - width, width - from_x + over_x))
    down = ((0, from_y), (from_y - height, height - from_y + over_y))
    placements: list[Placement] = [
        moved(a * width, b * height, (across[a][0], down[b][0], across[a][1], down[b][1])) for a, b in PIECES
    ]
    work = composed(seen, labels, placements, price)
    if kept is not None and kept.any():
        at = work.sources().astype(np.int64)
        work.locked = kept[at[..., 1].clip(0, sample[0] - 1), at[..., 0].clip(0, sample[1] - 1)]
    return work


def _from_here_on(further: NDArray[Any]) -> int:
    """The first column from which on all are set, in every row. further: (H, W)."""
    return int(np.flatnonzero(~further.astype(bool).all(axis=0))[-1]) + 1


def _laid(work: Patchwork, seen: Pixels, evidence: dict[str, Any], shifts: Pixels | None = None) -> PiecePlan:
    found: dict[str, Any] = {"pieces": len(np.unique(work.labels))}
    # Along joints both sides differ, and should.
    if work.price is squared:
        found["join_mismatch"] = round(work.mismatch() / max(usual_join_cost(seen), 1e-9), 3)
    return PiecePlan(work.labels, tuple(work.placements), shifts, evidence | found)


def _regrown(sample: _Sample, frame: Frame, chosen: Settings) -> PiecePlan:
    width, height = frame.width, frame.height
    size = (sample.pixels.shape[1], sample.pixels.shape[0])
    pieces = _whole_pieces(sample, frame, chosen)
    price, tries = (along_joints, TRIES) if pieces else (squared, 1)
    seen = piece_features(pieces, size) if pieces else features_with_height(features(sample.pixels), sample.height)
    apart = chosen.apart / 100 * width
    evidence: dict[str, Any] = {"whole": 1} if pieces else {}
    steps = find_steps(sample.pixels, (width, height))
    # What is kept is shown once, whole: no piece is made of parts of it.
    spared = _either(sample.unfit, sample.kept)
    if chosen.begin == "photograph" and grown(chosen) == 1 and not pieces:
        labels, _ = cut_labels(sample.pixels, width, height, chosen.wander / 100, sample.unfit, sample.kept)
        work = _from_copies(labels, sample.pixels.shape[:2], seen, sample.kept)
    else:
        work = Patchwork(width, height, seen.shape[2], price)
        if sample.kept is not None and sample.kept.any():
            keep_in_place(work, PatchSearch(seen, None, Steps()), sample.kept)
        blank = PatchSearch(seen, spared, steps)
        # Of a larger tile blocks are smaller than the overlap would have to be.
        wide = pieces is not None and grown(chosen) == 1
        grow(work, blank, spared, apart=apart, seed=chosen.seed, tries=tries, wide=wide)
    look = PatchSearch(seen, spared, steps)
    if sample.unfit is not None and sample.unfit.any():
        avoid(work, look, sample.unfit)
    before = work.cost
    mend(work, look, spared, apart=apart, times=round(MENDED * grown(chosen)), tries=tries)
    evidence["mended"] = round(1 - work.cost / before, 3) if before else 0.0
    return replace(_laid(work, seen, evidence), whole=pieces is not None)


def _whole_pieces(sample: _Sample, frame: Frame, chosen: Settings) -> Pieces | None:
    """The pieces that must stay whole; None where the sample has none, or it is not asked for."""
    pieces = pieces_in(sample.pixels, frame.part, chosen) if chosen.whole else None
    return pieces if pieces and pieces.contrast >= PIECES_FROM else None


def _either(one: Mask | None, other: Mask | None) -> Mask | None:
    return other if one is None else one if other is None else one | other


def _strewn(sample: _Sample, frame: Frame, chosen: Settings) -> PiecePlan:
    # A piece with its outline has to fit into the tile.
    size = min(chosen.piece / 100 * frame.width, _ROOM * min(frame.width, frame.height))
    limits = Limits(size, chosen.turn, chosen.spread / 100, chosen.mirror)
    seen = features_with_height(features(sample.pixels), sample.height)
    work = Patchwork(frame.width, frame.height, seen.shape[2])
    pieces = _whole_pieces(sample, frame, chosen)
    whole = WholePieces.of(pieces, sample.pixels, sample.unfit) if pieces else None
    strew(work, seen, sample.unfit, limits, chosen.seed, whole)
    return replace(_laid(work, seen, {"whole": 1} if whole else {}), whole=whole is not None)


def join(
    evened: Raster,
    height: Raster | None = None,
    *,
    frame: Frame,
    decided: TilePlan | Mosaic | Mixture,
    **given: Any,
) -> Raster:
    """The tile of one layer: (frame.height, frame.width[, C]), edges meet. Normals stay of unit length."""
    size = (frame.width, frame.height)
    if isinstance(decided, Mixture):
        pixels = mix(decided, evened.pixels, size)
        return _finished(pixels, evened, {})
    turns = isinstance(decided, Mosaic) and not all(one.moved_only for one in decided.placements)
    looked_at = size if decided.framing is None else decided.framing.extent(size)
    if evened.pixels.ndim == 2 or looked_at[0] * looked_at[1] < _BY_CHANNEL or (evened.vectors and turns):
        return _finished(_laid_out(decided, evened.pixels, size, vectors=evened.vectors), evened, decided.evidence)
    # Channel by channel: all at once take thrice the room, which large maps do not have.
    seen = evened.pixels
    if evened.vectors and decided.framing is not None:
        seen, decided = framed(seen, decided.framing, size, vectors=True), replace(decided, framing=None)
    out = np.empty((size[1], size[0], seen.shape[2]), np.float32)
    for channel in range(seen.shape[2]):
        # Handed on without a name, so that it can go as soon as it was looked at.
        out[..., channel] = _laid_out(decided, _channel_of(seen, channel), size, vectors=evened.vectors)
    return _finished(out, evened, decided.evidence)


def _channel_of(layer: Pixels, channel: int) -> Pixels:
    plane = np.ascontiguousarray(layer[..., channel])
    release_pages(layer)
    return plane


def _laid_out(decided: TilePlan | Mosaic, sample: Pixels, size: tuple[int, int], *, vectors: bool) -> Pixels:
    """A layer of the sample, or one channel of it, as the plan lays it. vectors: unit normals, or a channel of such as
    are not turned any more."""
    alone = sample.ndim == 2
    if decided.shifts is not None:
        sample = apply_warp(sample, decided.shifts, size[0])
    if decided.framing is not None:
        sample = framed(sample, decided.framing, size, vectors=vectors and not alone)
    if isinstance(decided, Mosaic):
        return render_mosaic(decided, sample, size, vectors=vectors and not alone)
    return render(decided, sample, size, least=-np.inf if vectors else 0.0)


def _finished(pixels: Pixels, layer: Raster, evidence: dict[str, Any]) -> Raster:
    if layer.vectors:
        return Raster(unit(pixels), vectors=True)
    return Raster(np.maximum(pixels, 0, out=pixels), evidence=dict(evidence))


_OF_PIECES = ("bend", "joint_width", "detail", "smallest", "one_piece", "split_piece")
_OF_SAMPLE = ("method", "excluded", "excluded_colours", "excluded_tolerance", "kept")


def _decides_by(chosen: Settings) -> tuple[str, ...]:
    """What the plan hangs on: with joints not on overlaps, which follow from the steps; without, not on pieces, unless
    they are strewn or regrown."""
    if chosen.method == "joints":
        return (*_OF_SAMPLE, *_OF_PIECES)
    later = ("feather", "rank", "larger", *(() if chosen.method in ("strew", "regrow") else _OF_PIECES))
    return tuple(name for name in Settings.model_fields if name not in later)


def _decides_with(chosen: Settings) -> dict[str, float]:
    """Joins lie where they lie however bright the picture is made. Colours that are left out were picked as they are
    seen."""
    return {} if chosen.excluded_colours else unexposed(chosen)


OPERATION = Operation(
    id="tile.join",
    label="Join",
    help="How left meets right and top meets bottom.",
    settings=Settings,
    reads=("previous", "?squared.height"),
    writes="joined",
    carries="joined",
    apply=join,
    decide=decide_join,
    decides_by=_decides_by,
    decides_with=_decides_with,
    settle=finalize_plan,
    idle=lambda s: s.method == "none",
    version=7,
)
