"""Pictures of the tile plan: where the joins run, and which part of the sample each piece came from."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.synthesis.mosaic import Mosaic, source_of_mosaic
from amber_thicket.core.synthesis.tile_plan import TilePlan, source_of
from amber_thicket.core.tile.stochastic import Mixture
from amber_thicket.errors import NotFound
from amber_thicket.service.broken import pieces_of_sample, set_places
from amber_thicket.service.preview import encoded

# One tint a piece (red, green, blue, opacity): told apart by lightness too, for eyes that see no hue.
_TINTS = ((0, 0, 0, 0), (250, 180, 60, 80), (30, 90, 120, 110), (235, 235, 235, 80))
_LINE, _UNDER, _UNUSED = (250, 160, 40, 255), (0, 0, 0, 170), (0, 0, 0, 140)
_OUTLINE = (150, 220, 235, 255)


def joins(evaluation: Evaluation, where: str) -> bytes:
    """A PNG with alpha to lay over the tile (where: "tile") or over the sample ("sample"). Raises NotFound."""
    if where not in ("tile", "sample"):
        raise NotFound(f"There is no picture of joins on “{where[:20]}”.", remedy="Known: tile, sample.")
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    work = evaluation.sizes(size).work
    layer = np.zeros((size[1], size[0], 4), np.uint8)
    if evaluation.recipe.settings("tile.join").method == "none":
        return encoded(layer if where == "tile" else np.zeros((work.height, work.width, 4), np.uint8), "png")
    plan: TilePlan | Mosaic | Mixture = evaluation.decided(BY_ID["tile.join"])
    if isinstance(plan, Mixture):
        return encoded(layer if where == "tile" else np.zeros((work.height, work.width, 4), np.uint8), "png")
    tints = np.array(_TINTS, np.uint8)
    sample = plan.framing.extent(size) if plan.framing else (work.width, work.height)
    if isinstance(plan, Mosaic):
        found = np.rint(source_of_mosaic(plan, size)).astype(np.int32)
        source = np.stack([found[..., i].clip(0, sample[i] - 1) for i in (0, 1)], -1)
        pieces, lines = _coloured(plan, size), _parted(plan, found, size)
    else:
        source = source_of(plan, size, sample)
        pieces, lines = _pieces(source), _lines(source)
    if where == "tile":
        at_joined = set_places(evaluation, size)
        if at_joined is not None:
            moved = at_joined[..., 1], at_joined[..., 0]
            pieces, lines = pieces[moved], lines[moved] | _jumps(at_joined, size)
        layer = tints[pieces]
        # A dark line two pixels wide under a bright one shows on any surface.
        layer[cv2.dilate(np.pad(lines, 2, mode="wrap").astype(np.uint8), np.ones((5, 5)))[2:-2, 2:-2] > 0] = _UNDER
        layer[cv2.dilate(np.pad(lines, 1, mode="wrap").astype(np.uint8), np.ones((2, 2)))[1:-1, 1:-1] > 0] = _LINE
        return encoded(layer, "png")
    shown = np.full((work.height, work.width, 4), _UNUSED, np.uint8)
    if plan.framing is not None:
        x, y = plan.framing.places(size, 0, sample[1])
        rows, columns = source[..., 1], source[..., 0]
        source = (
            np.stack([x[rows, columns], y[rows, columns]], -1)
            .round()
            .astype(np.int32)
            .clip(0, [work.width - 1, work.height - 1])
        )
    shown[source[..., 1], source[..., 0]] = tints[pieces]
    if plan.framing is not None:
        # Looked at a little larger, and bent, some pixels between would stay bare.
        shown = cv2.morphologyEx(shown, cv2.MORPH_CLOSE, np.ones((5, 5)))
        _outline_pieces(evaluation, shown)
    at = source[lines]
    for x, y in at:
        cv2.circle(shown, (int(x), int(y)), 1, _LINE, -1)
    return encoded(shown, "png")


def _jumps(source: NDArray[np.int64], size: tuple[int, int]) -> NDArray[np.bool_]:
    """Where neighbours on the tile of a set are none on the joined tile, which goes on over its edges."""
    jumps = np.zeros(source.shape[:2], bool)
    for axis, step in ((1, (1, 0)), (0, (0, 1))):
        away = (np.roll(source, -1, axis=axis) - source - np.array(step)) % np.array(size)
        jumps |= away.any(-1)
    return jumps


def _outline_pieces(evaluation: Evaluation, shown: NDArray[np.uint8]) -> None:
    """Draws round every piece that was found, in place: what is wrong there is seen before it is believed."""
    labels = pieces_of_sample(evaluation).labels.astype(np.float32)
    whole = cv2.resize(labels, (shown.shape[1], shown.shape[0]), interpolation=cv2.INTER_NEAREST)
    edge = np.zeros(whole.shape, bool)
    edge[:, :-1] |= whole[:, :-1] != whole[:, 1:]
    edge[:-1] |= whole[:-1] != whole[1:]
    shown[cv2.dilate(edge.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0] = _UNDER
    shown[edge] = _OUTLINE


def _pieces(source: NDArray[np.int32]) -> NDArray[np.intp]:
    """Which copy of the sample each tile pixel is from: 0 the plain one, 1 one tile right, 2 one down, 3 both."""
    height, width = source.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    result: NDArray[np.intp] = ((source[..., 0] != x) + 2 * (source[..., 1] != y)).astype(np.intp)
    return result


def _coloured(plan: Mosaic, size: tuple[int, int]) -> NDArray[np.intp]:
    """A tint for each piece; which one is left to chance, but stays the same."""
    tint = np.random.default_rng(3).integers(1, len(_TINTS), len(plan.placements))
    return np.asarray(tint[cv2.resize(plan.labels, size, interpolation=cv2.INTER_NEAREST)], np.intp)


def _parted(plan: Mosaic, source: NDArray[np.int32], size: tuple[int, int]) -> NDArray[np.bool_]:
    """Where another piece begins that does not go on where this one ends."""
    labels = cv2.resize(plan.labels, size, interpolation=cv2.INTER_NEAREST)
    lines = np.zeros(labels.shape, bool)
    for axis in (0, 1):
        away = np.abs(np.roll(source, -1, axis=axis) - source).max(-1)
        lines |= (np.roll(labels, -1, axis=axis) != labels) & (away > 2)
    return lines


def _lines(source: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Where neighbouring tile pixels, round the edges too, are no neighbours in the sample."""
    jumps = np.zeros(source.shape[:2], bool)
    for axis, step in ((1, (1, 0)), (0, (0, 1))):
        jumps |= (np.roll(source, -1, axis=axis) - source != np.array(step)).any(-1)
    return jumps
