"""Several tiles whose borders all meet: laid in any order, the surface does not repeat.

Source: Cohen, Shade, Hiller & Deussen, "Wang tiles for image and texture generation", SIGGRAPH 2003; here with one
border for all edges, so that every tile fits beside every other, in all maps.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation, unexposed
from amber_thicket.core.progress import part_of_progress
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.synthesis.cut import features
from amber_thicket.core.synthesis.mosaic import Mosaic, Placement, mosaic, moved, render_mosaic, source_of_mosaic
from amber_thicket.core.synthesis.patch_search import STEP, PatchSearch, find_steps
from amber_thicket.core.synthesis.patchwork import Patchwork, composed, squared
from amber_thicket.core.synthesis.regrow import grow, mend
from amber_thicket.core.tile.joints.patches import TRIES, along_joints, piece_features
from amber_thicket.core.tile.pieces import Pieces, find_pieces

MOST_TILES = 8
# Sources may lie so far over the tile's edges; joins between border and inside run in a ring so wide; both in tiles.
_PAD, _RING = 0.2, 0.1
# Within this distance, in tiles, no tile shows what it or another of the set shows.
_APART = 0.3
_MENDED = 12
# Feather of the joins, % of the tile; less between pieces, which have colours of their own.
_FEATHER, _ALONG_JOINTS = 2.0, 0.7
# What is smaller than this does not catch the eye, in tile widths.
_GRAIN = 0.015


class Settings(OperationSettings):
    count: int = setting(
        1,
        ge=1,
        le=MOST_TILES,
        step=1,
        label="Tiles in the set",
        help="So many different tiles whose borders all meet: laid at random, nothing returns in step.",
    )
    shown: int = setting(
        1, ge=1, le=MOST_TILES, step=1, label="Tile shown", help="Which tile of the set is looked at; 1 is the first."
    )
    border: float = setting(
        6.0,
        ge=3,
        le=15,
        step=1,
        unit="% of tile",
        label="Common border",
        help="How wide the border is that all tiles of the set have in common.",
    )
    seed: int = setting(1, ge=1, le=9999, step=1, label="Another set", help="Another number, other tiles.")


@dataclass(frozen=True)
class Relaid:
    """One tile of a set before its joins are softened: (H, W) labels and their placements on the padded tile."""

    labels: NDArray[np.int32]
    placements: tuple[Placement, ...]
    whole: bool


@dataclass(frozen=True)
class TileSet:
    """The tiles of a set but the first, which stays as it is. origin: (x, y) px of the tile at plan size where all of
    them begin, so that their common border runs where little catches the eye."""

    origin: tuple[int, int]
    tiles: tuple[Relaid, ...]

    @property
    def nbytes(self) -> int:
        return sum(tile.labels.nbytes for tile in self.tiles)


@dataclass(frozen=True)
class SetPlan:
    """One tile of a set. origin: as in TileSet; width: px of the tile at plan size; inside: what of the tile, begun
    there and padded, shows where; None for the first."""

    origin: tuple[int, int]
    width: int
    inside: Mosaic | None

    @property
    def nbytes(self) -> int:
        return self.inside.nbytes if self.inside else 0

    def origin_at(self, width: int) -> tuple[int, int]:
        """The origin for a tile of so many px."""
        return round(self.origin[0] * width / self.width), round(self.origin[1] * width / self.width)

    def pad_at(self, width: int) -> int:
        return round(padding(self.width) * width / self.width)


def padding(width: int) -> int:
    """Px by which a tile of this width is continued over its edges; a whole number of pixels at every size."""
    return STEP * round(_PAD * width / STEP)


def padded(layer: Pixels, pad: int) -> Pixels:
    """A tile continued over its edges. layer: (H, W[, C])."""
    return np.pad(layer, [(pad, pad), (pad, pad)] + [(0, 0)] * (layer.ndim - 2), mode="wrap")


def decide_set(tile: Raster, *, frame: Frame, **given: Any) -> TileSet:
    """The tiles of a set. tile: linear RGB at plan size; edges meet."""
    chosen = Settings(**{name: given[name] for name in Settings.model_fields})
    pad, origin = padding(frame.width), quiet_origin(tile.pixels, chosen.border / 100)
    sample = padded(begun_at(tile.pixels, origin), pad)
    size = (sample.shape[1], sample.shape[0])
    pieces: Pieces | None = find_pieces(sample)
    assert pieces is not None
    if not pieces.evident:
        pieces = None
    seen = piece_features(pieces, size) if pieces else features(sample)
    look = PatchSearch(seen, None, find_steps(tile.pixels, (frame.width, frame.height)))
    shown = [_first(seen, frame, pad, pieces).sources()]
    tiles = []
    for number in range(1, chosen.count):
        with part_of_progress((number - 1) / (chosen.count - 1), number / (chosen.count - 1), f"Tile {number + 1}"):
            work = _relaid(_first(seen, frame, pad, pieces), look, shown, frame, chosen, number)
        shown.append(work.sources())
        tiles.append(Relaid(work.labels, tuple(work.placements), pieces is not None))
    return TileSet(origin, tuple(tiles))


def begun_at(layer: Pixels, origin: tuple[int, int]) -> Pixels:
    """A tile whose edges meet, begun at another place (x, y) of it."""
    if origin == (0, 0):
        return layer
    result: Pixels = np.roll(layer, (-origin[1], -origin[0]), (0, 1))
    return result


def quiet_origin(tile: Pixels, border: float) -> tuple[int, int]:
    """(x, y) px of a tile at which a border of this width, in tile widths, shows least that catches the eye. tile:
    (H, W, 3) linear RGB; edges meet."""
    width = tile.shape[1]
    lab = to_oklab(blur(tile, _GRAIN * width, wraps=True)) * np.array([1, 2.5, 2.5], np.float32)
    away = lab - np.median(lab.reshape(-1, 3), axis=0)
    strange = (away**2).sum(-1) ** 2
    reach = max(1, round(border * width))
    window = np.ones(2 * reach + 1)
    found = []
    for axis in (0, 1):
        along = strange.mean(axis=axis)
        around = np.convolve(np.pad(along, reach, mode="wrap"), window, mode="valid")[::STEP]
        found.append(STEP * int(around.argmin()))
    return found[0], found[1]


def _first(seen: Pixels, frame: Frame, pad: int, pieces: Pieces | None) -> Patchwork:
    whole = [moved(pad, pad, (0, 0, frame.width, frame.height))]
    labels = np.zeros((frame.height, frame.width), np.int32)
    return composed(seen, labels, whole, along_joints if pieces else squared)


def _relaid(
    work: Patchwork, look: PatchSearch, shown: list[NDArray[np.float64]], frame: Frame, chosen: Settings, number: int
) -> Patchwork:
    """The first tile with its inside laid anew from other parts of it."""
    away = border_distance((frame.width, frame.height))
    border = chosen.border / 100 * frame.width
    work.locked = away < border
    bare = away > border + _RING * frame.width
    work.labels[bare] = -1
    for cost in (work.across, work.below):
        cost[bare] = 0
    work.elsewhere = list(shown)
    tries = TRIES if work.price is not squared else 1
    apart = _APART * frame.width
    grow(work, look, None, apart=apart, seed=chosen.seed + 97 * number, tries=tries)
    mend(work, look, None, apart=apart, times=_MENDED, tries=tries)
    return work


def border_distance(size: tuple[int, int]) -> Pixels:
    """Px from each pixel's middle to the nearest edge of a tile of (width, height), (H, W)."""
    across, down = (np.minimum(np.arange(n) + 0.5, n - np.arange(n) - 0.5).astype(np.float32) for n in size)
    result: Pixels = np.minimum(across[None], down[:, None])
    return result


def finalize_set(decided: TileSet, *, frame: Frame, **given: Any) -> SetPlan:
    """The plan of the tile that is shown."""
    shown = min(given["shown"], given["count"])
    if shown < 2:
        return SetPlan(decided.origin, frame.width, None)
    tile = decided.tiles[shown - 2]
    feather = _ALONG_JOINTS if tile.whole else _FEATHER
    return SetPlan(decided.origin, frame.width, mosaic(tile.labels, tile.placements, feather, {}))


def relay(tile: Raster, *, frame: Frame, decided: SetPlan, **_: Any) -> Raster:
    """A layer of the tile that is shown. Normals stay of unit length."""
    pixels = begun_at(tile.pixels, decided.origin_at(frame.width))
    if decided.inside is not None:
        pixels = _shown(pixels, decided, decided.inside)
        pixels = unit(pixels) if tile.vectors else np.maximum(pixels, 0, out=pixels)
    return Raster(pixels, tile.span, tile.vectors, dict(tile.evidence))


def _shown(pixels: Pixels, decided: SetPlan, inside: Mosaic) -> Pixels:
    """A layer of the tile, begun at the origin, as the plan shows it. Channel by channel: all at once take thrice the
    room, and large maps have none."""
    size = (pixels.shape[1], pixels.shape[0])
    pad = decided.pad_at(size[0])
    if pixels.ndim == 2:
        return render_mosaic(inside, padded(pixels, pad), size)
    out = np.empty_like(pixels)
    for channel in range(pixels.shape[2]):
        out[..., channel] = render_mosaic(inside, padded(pixels[..., channel], pad), size)
    return out


def set_source(decided: SetPlan, size: tuple[int, int]) -> NDArray[np.int64]:
    """Px (x, y) of the joined tile that each pixel of this one shows, (H, W, 2), for tiles of (width, height)."""
    y, x = np.mgrid[0 : size[1], 0 : size[0]]
    found: NDArray[np.int64] = np.stack([x, y], -1).astype(np.int64)
    if decided.inside is not None:
        found = np.rint(source_of_mosaic(decided.inside, size)).astype(np.int64) - decided.pad_at(size[0])
    placed: NDArray[np.int64] = (found + np.array(decided.origin_at(size[0]))) % np.array(size)
    return placed


def meet(tile: Raster, first: Raster, border: float) -> Raster:
    """A finished map of one tile whose edges are those of the first tile's map.

    Filters that look far see other things inside; within the common border the map goes over into the first one's.
    border: its width, px.
    """
    height, width = tile.pixels.shape[:2]
    weight = np.clip(1 - border_distance((width, height)) / np.float32(border), 0, 1)
    # At the very edge all of it, whichever way its half pixel falls.
    weight = np.minimum(weight / weight.max(), 1)
    weight *= weight * (3 - 2 * weight)
    if tile.pixels.ndim == 3:
        weight = weight[..., None]
    pixels = tile.pixels
    if tile.span and first.span and tile.span != first.span:
        pixels = np.clip(pixels * np.float32(tile.span / first.span), 0, 1)
    mixed = pixels + weight * (first.pixels - pixels)
    return Raster(unit(mixed) if tile.vectors else mixed, first.span, tile.vectors, dict(tile.evidence))


OPERATION = Operation(
    id="tile.tileset",
    label="Tile set",
    help="Several tiles whose borders all meet, for surfaces that must never repeat.",
    settings=Settings,
    reads=("previous",),
    writes="varied",
    carries="tiled",
    apply=relay,
    decide=decide_set,
    decides_with=unexposed,
    decides_by=("count", "border", "seed"),
    settle=finalize_set,
    idle=lambda s: s.count < 2,
)
