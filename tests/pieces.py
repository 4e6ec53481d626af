"""Surfaces laid of known pieces, photographed, and what the joins of a tile break of these pieces."""

from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.synthesis.mosaic import Mosaic
from amber_thicket.core.synthesis.tile_plan import TilePlan
from amber_thicket.core.tile.broken_pieces import BrokenPieces, broken_pieces
from amber_thicket.core.tile.joints.arrange import framed_pieces
from amber_thicket.core.tile.pieces import Pieces
from amber_thicket.service.broken import plan_places, plan_source
from amber_thicket.standins.capture_rig.piecewise_kinds import PIECEWISE, Numbers
from tests.support import ArraySource, photographed, size_of

SIDE = 512
MEMORY = Memory(600_000_000)


@lru_cache(maxsize=8)
def piecewise(kind: str, seed: int = 3, side: int = 900) -> tuple[Pixels, Numbers]:
    """(linear RGB, number of the piece of each pixel) of a photographed surface."""
    surface, numbers = PIECEWISE[kind](side, seed)
    return photographed(surface), numbers


def ready(kind: str, seed: int = 3, **changes: Any) -> Evaluation:
    """An evaluation of such a surface, tiled along its joints."""
    settings = {**size_of(SIDE), "tile__join__method": "joints", **changes}
    recipe = Recipe().with_changes({name.replace("__", "."): value for name, value in settings.items()})
    # What was laid once serves every test that chooses among it.
    return Evaluation(recipe, ArraySource(piecewise(kind, seed)[0], f"{kind}/{seed}"), MEMORY)


def plan_of(one: Evaluation) -> TilePlan | Mosaic:
    plan: TilePlan | Mosaic = one.decided(BY_ID["tile.join"])
    return plan


def true_pieces(pixels: Pixels, numbers: Numbers, wide: int) -> Pieces:
    """The bench's own pieces in place of found ones. wide: px of the sample they are asked about across."""
    border = numbers == 0
    for axis in (0, 1):
        border |= np.roll(numbers, 1, axis) != numbers
    depth = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5)
    areas = np.sort(np.bincount(numbers.ravel())[1:])
    typical = float(np.sqrt(areas[np.searchsorted(np.cumsum(areas), areas.sum() / 2)]))
    lab = linear_to_lab(pixels)
    return Pieces(numbers, depth, 9.0, typical, 2.0, lab, border.astype(np.float32), numbers.shape[1] / wide)


def truly_broken(kind: str, one: Evaluation, seed: int = 3) -> BrokenPieces:
    """What the joins break by the bench's own pieces: no segmentation takes part."""
    size = (SIDE, SIDE)
    plan, work = plan_of(one), one.sizes(size).work
    truth = true_pieces(*piecewise(kind, seed), work.width)
    seen = truth if plan.framing is None else framed_pieces(truth, plan.framing, size)
    return broken_pieces(plan_source(one, plan, size), seen)


def fused_joins(kind: str, one: Evaluation, seed: int = 3, deep: float = 5.0) -> float:
    """The share of a plan's joins on both sides of which a piece's border, by the bench's own, is further off than
    `deep` px: there parts of two pieces meet without a joint."""
    size = (SIDE, SIDE)
    work = one.sizes(size).work
    truth = true_pieces(*piecewise(kind, seed), work.width)
    places = plan_places(one, size)
    assert places is not None
    high, wide = truth.labels.shape
    x, y = places[..., 0] * wide / work.width, places[..., 1] * high / work.height
    depth = truth.depth[y.astype(int).clip(0, high - 1), x.astype(int).clip(0, wide - 1)] * work.width / wide
    met, joins = 0, 0
    for axis, step in ((1, (1, 0)), (0, (0, 1))):
        join = np.abs(np.roll(places, -1, axis) - places - step).max(axis=-1) > 1.5
        met += int((join & (np.minimum(depth, np.roll(depth, -1, axis)) > deep)).sum())
        joins += int(join.sum())
    return met / joins


def touching_joins(kind: str, one: Evaluation, seed: int = 3) -> float:
    """The share of a plan's joins in stretches along which two pieces lie side by side with nothing of the bench's own
    joints within 3 px: what an eye sees as two stones grown together. Only stretches of .12 of a piece and more."""
    size = (SIDE, SIDE)
    plan, work = plan_of(one), one.sizes(size).work
    truth = true_pieces(*piecewise(kind, seed), work.width)
    seen = truth if plan.framing is None else framed_pieces(truth, plan.framing, size)
    source = plan_source(one, plan, size)
    at = (source * seen.scale).round().astype(int)
    high, wide = seen.labels.shape
    shown = seen.labels[at[..., 1].clip(0, high - 1), at[..., 0].clip(0, wide - 1)]
    room = 3
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * room + 1, 2 * room + 1))
    joint = cv2.dilate(np.pad((shown == 0).astype(np.uint8), room, mode="wrap"), disc)[room:-room, room:-room] > 0
    apart = np.zeros(shown.shape, bool)
    for axis, step in ((1, (1, 0)), (0, (0, 1))):
        join = np.abs(np.roll(source, -1, axis) - source - step).max(axis=-1) > 1.5
        apart |= join & (shown != np.roll(shown, -1, axis))
    count, stretches = cv2.connectedComponents(cv2.dilate((apart & ~joint).astype(np.uint8), np.ones((3, 3))))
    lengths = np.bincount((stretches * (apart & ~joint)).ravel(), minlength=count)[1:]
    long = 0.12 * seen.typical / seen.scale
    return float(lengths[lengths >= long].sum() / apart.sum())
