"""Pieces of the sample, and which of them the joins of a tile break."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.synthesis.mosaic import Mosaic, source_of_mosaic
from amber_thicket.core.synthesis.tile_plan import TilePlan, source_of
from amber_thicket.core.tile.broken_pieces import BrokenPieces, broken_pieces
from amber_thicket.core.tile.join import pieces_to_join
from amber_thicket.core.tile.joints.arrange import framed_pieces
from amber_thicket.core.tile.joints.score import Trimmed, trimmed_pieces
from amber_thicket.core.tile.pieces import NONE, Pieces, find_pieces
from amber_thicket.core.tile.seam_warp import apply_warp
from amber_thicket.core.tile.tileset import set_source


def pieces_of_sample(evaluation: Evaluation) -> Pieces:
    """The pieces of the evened picture, before it is joined, as the plan finds them."""
    evaluation = evaluation.deciding(BY_ID["tile.join"])
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    chosen = evaluation.recipe.settings("tile.join")
    told = [chosen.joint_width, chosen.detail, chosen.smallest, chosen.one_piece, chosen.split_piece]
    told.append(chosen.method == "joints")

    def found() -> Pieces:
        return pieces_to_join(evaluation.layer("evened", size).pixels, evaluation.sizes(size).tile.part, chosen)

    return evaluation.memory.get(f"pieces/{evaluation.key('evened', size)}/{told}", found)


def broken_by_joins(evaluation: Evaluation) -> dict[str, Any]:
    """What the joins break: pieces ("yes", "no" or "unknown": whether the surface has any), contrast of their borders,
    whether the tile holds whole repeats, and, where there are pieces, what broken_pieces() found. Empty where nothing
    is joined along lines."""
    if evaluation.recipe.settings("tile.join").method == "none":
        return {}
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    plan = evaluation.decided(BY_ID["tile.join"])
    if not isinstance(plan, Mosaic) and not (isinstance(plan, TilePlan) and plan.crisp):
        return {}
    pieces = pieces_of_sample(evaluation)
    there = "yes" if pieces.evident else "no" if pieces.contrast < NONE else "unknown"
    told: dict[str, Any] = {
        "pieces": there,
        "contrast": pieces.contrast,
        "whole_repeats": evaluation.recipe.settings("tile.join").method == "lattice",
    }
    if there == "no":
        return told

    def looked() -> tuple[BrokenPieces, Trimmed]:
        seen = pieces
        if plan.shifts is not None:
            # Joints were bent so that they meet: what is joined is the bent sample.
            sample = evaluation.deciding(BY_ID["tile.join"]).layer("evened", size).pixels
            seen = find_pieces(apply_warp(sample, plan.shifts, size[0]))
        if plan.framing is not None:
            seen = framed_pieces(pieces, plan.framing, size)
        source = plan_source(evaluation, plan, size)
        at = (source * seen.scale).round().astype(np.int64)
        rows, columns = (at[..., i].clip(0, seen.labels.shape[1 - i] - 1) for i in (1, 0))
        shown = seen.labels[rows, columns]
        left = trimmed_pieces(seen.labels, seen.depth, seen.joint, seen.typical, shown, seen.depth[rows, columns])
        return broken_pieces(source, seen), left

    found = evaluation.memory.get(f"broken/{evaluation.key('joined', size)}/{evaluation.key('varied', size)}", looked)
    return {**told, **_as_told(*found)}


def plan_places(evaluation: Evaluation, size: tuple[int, int]) -> NDArray[np.float64] | None:
    """Sample px (x, y) that each pixel of a tile of this size shows, (H, W, 2); None where patches are mixed. The small
    shifts that make joints meet are not counted."""
    plan = evaluation.decided(BY_ID["tile.join"])
    if not isinstance(plan, Mosaic | TilePlan):
        return None
    source = np.asarray(plan_source(evaluation, plan, size), np.float64)
    if plan.framing is None:
        return source
    wide, high = plan.framing.extent(size)
    x, y = plan.framing.places(size, 0, high)
    columns, rows = (np.rint(source[..., i]).astype(int).clip(0, n - 1) for i, n in enumerate((wide, high)))
    return np.stack([x[rows, columns], y[rows, columns]], -1).astype(np.float64)


def plan_source(evaluation: Evaluation, plan: TilePlan | Mosaic, size: tuple[int, int]) -> NDArray[np.float64]:
    """Px (x, y) of the sample, as the plan looks at it, that each pixel of the tile shows, (H, W, 2)."""
    work = evaluation.sizes(size).work
    if isinstance(plan, Mosaic):
        found = source_of_mosaic(plan, size)
    else:
        sample = plan.framing.extent(size) if plan.framing else (work.width, work.height)
        found = source_of(plan, size, sample).astype(np.float64)
    at = set_places(evaluation, size)
    return found if at is None else found[at[..., 1], at[..., 0]]


def set_places(evaluation: Evaluation, size: tuple[int, int]) -> NDArray[np.int64] | None:
    """Px (x, y) of the joined tile that the tile of a set shows at each pixel, (H, W, 2); None without a set."""
    if evaluation.recipe.settings("tile.tileset").count < 2:
        return None
    return set_source(evaluation.decided(BY_ID["tile.tileset"]), size)


def on_joined(evaluation: Evaluation, x: float, y: float) -> tuple[float, float]:
    """Where on the joined tile lies what is seen at a place of the tile; all in tile widths and heights."""
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    at = set_places(evaluation, size)
    if at is None:
        return x % 1.0, y % 1.0
    found = at[int(y % 1.0 * size[1]) % size[1], int(x % 1.0 * size[0]) % size[0]]
    return float((found[0] + 0.5) / size[0]), float((found[1] + 0.5) / size[1])


def _as_told(found: BrokenPieces, left: Trimmed) -> dict[str, Any]:
    return {
        "count": found.count,
        "share": found.share,
        "boxes": found.boxes,
        "shown": left.shown,
        "narrow": left.strips,
    }
