"""Makes the edges meet: what of the sample overlaps itself, and how the copies are joined."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.gather.maps import unit
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.tile.cut import Path, both_features, closed_path, mismatch, open_path
from amber_thicket.core.tile.meet import meeting, moved_by
from amber_thicket.core.tile.plan import FEATHER, TilePlan, feathered, render

PIECES = ((0, 0), (1, 0), (0, 1), (1, 1))


class Settings(OperationSettings):
    method: Literal["none", "blend", "cut", "lattice"] = setting(
        "cut",
        label="Method",
        choices={"none": "None", "blend": "Blend", "cut": "Cut", "lattice": "Lattice"},
        help="Cut joins along the least visible path; lattice also bends joints so that they meet; blend fades one "
        "side into the other; none leaves the edges.",
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
        help="How softly coarse structure is joined; fine structure is joined more tightly.",
    )


def _axis_labels(path: Path, extent: int) -> NDArray[np.bool_]:
    """True where the shifted copy shows: before the path. Returns (len(path), extent)."""
    return np.arange(extent)[None, :] < path[:, None]


def decide_join(
    evened: Raster, *, frame: Frame, method: str, overlap_x: float, overlap_y: float, wander: float, feather: float
) -> TilePlan:
    """The tile plan. evened: linear RGB of the whole sample at plan size; frame: the tile."""
    width, height = frame.width, frame.height
    over_x, over_y = evened.pixels.shape[1] - width, evened.pixels.shape[0] - height
    if method == "blend":
        shares = _blend_shares(width, height, over_x, over_y, feather)
        return TilePlan(PIECES, shares, shares[-1].argmax(axis=0).astype(np.uint8), crisp=False)
    shifts = meeting(evened.pixels, width, height) if method == "lattice" else None
    sample = evened.pixels if shifts is None else moved_by(evened.pixels, shifts, width)
    labels, evidence = _cut_labels(sample, width, height, wander / 100)
    if shifts is not None:
        evidence["moved_px"] = round(float(np.abs(shifts).max()) * width, 2)
    widths = tuple(part * frame.tile_width * feather / (100 * FEATHER[0]) for part in FEATHER[:2])
    shares = feathered(labels, len(PIECES), (*widths, FEATHER[2] * frame.tile_width))
    return TilePlan(PIECES, shares, labels, shifts=shifts, evidence=evidence)


def _cut_labels(sample: Pixels, width: int, height: int, wander: float) -> tuple[NDArray[np.uint8], dict[str, float]]:
    """Which piece shows where: first the join across is cut over all rows, then the join down on that."""
    over_x, over_y = sample.shape[1] - width, sample.shape[0] - height
    left, right = both_features(sample[:, :over_x], sample[:, width:])
    cost_x = mismatch(left, right)
    across = open_path(cost_x, wander=wander)
    shifted = _axis_labels(across, width)
    upper, lower_part = both_features(sample[:over_y, :width], sample[height:, :width])
    for strip, rows in ((upper, slice(0, over_y)), (lower_part, slice(height, None))):
        part = shifted[rows, :over_x]
        strip[:, :over_x][part] = right[rows][part]
    cost_y = mismatch(upper, lower_part)
    down = closed_path(np.ascontiguousarray(cost_y.T), wander=wander)
    lower = _axis_labels(down, height).T
    # Where the lower copy shows, the choice across is the one made in the row it comes from.
    choice = shifted[:height].copy()
    choice[:over_y] = np.where(lower[:over_y], shifted[height:], shifted[:over_y])
    # Past the middle both copies show the same pixels. Calling them the shifted one there keeps the
    # feather from reaching across the border, where it would mix in the sample's bare edge.
    choice[:, width // 2 :] = True
    lower[height // 2 :] = True
    labels = (choice + 2 * lower).astype(np.uint8)
    along_x, along_y = np.arange(cost_x.shape[0]), np.arange(cost_y.shape[1])
    on_path = np.concatenate([cost_x[along_x, across], cost_y[down, along_y]]) ** 0.5
    return labels, {"join_mismatch": round(float(on_path.mean()) / max(_anywhere(left, upper), 1e-9), 3)}


def _anywhere(*strips: Pixels) -> float:
    """Mean feature difference between places of the sample that have nothing to do with each other."""
    places = np.concatenate([strip.reshape(-1, strip.shape[-1])[::7] for strip in strips])
    other = np.random.default_rng(0).permutation(len(places))
    return float(np.sqrt(mismatch(places[None], places[other][None])).mean())


def _ramp(extent: int, overlap: int, softness: float) -> Pixels:
    """Share of the shifted copy along one axis: 1 at the edge, 0 past the overlap; softness 0..1 of its width."""
    t = (np.arange(extent) + 0.5) / max(overlap, 1)
    t = np.clip((t - 0.5) / max(softness, 1e-3) + 0.5, 0, 1)
    share = 1 - t * t * (3 - 2 * t)
    share[np.arange(extent) >= extent // 2] = 0
    return share.astype(np.float32)


def _blend_shares(width: int, height: int, over_x: int, over_y: int, feather: float) -> tuple[Pixels, ...]:
    """Coarse parts fade over the whole overlap, fine ones over less; fine parts keep their contrast."""
    tight = min(1.0, 0.15 + feather / 10)
    bands = []
    for softness, keeps_contrast in ((0.95, False), (min(0.95, 2 * tight), True), (min(0.95, tight), True)):
        x, y = _ramp(width, over_x, softness)[None, :], _ramp(height, over_y, softness)[:, None]
        parts = np.stack([(1 - x) * (1 - y), x * (1 - y), (1 - x) * y, x * y])
        if keeps_contrast:
            # Unrelated detail mixed by plain shares loses contrast; shares of unit power keep it.
            parts /= np.sqrt((parts * parts).sum(axis=0, keepdims=True))
        bands.append(np.ascontiguousarray(parts, np.float32))
    return tuple(bands)


def join(
    evened: Raster,
    *,
    frame: Frame,
    decided: TilePlan,
    method: str,
    overlap_x: float,
    overlap_y: float,
    wander: float,
    feather: float,
) -> Raster:
    """The tile of one layer: (frame.height, frame.width[, C]), edges meet. Normals stay of unit length."""
    sample = evened.pixels if decided.shifts is None else moved_by(evened.pixels, decided.shifts, frame.width)
    pixels = render(decided, sample, (frame.width, frame.height))
    if evened.vectors:
        return Raster(unit(pixels), vectors=True)
    return Raster(np.maximum(pixels, 0), evidence=dict(decided.evidence))


OPERATION = Operation(
    id="tile.join",
    label="Join",
    help="How left meets right and top meets bottom.",
    settings=Settings,
    reads=("evened",),
    writes="joined",
    apply=join,
    decide=decide_join,
    idle=lambda s: s.method == "none",
    version=2,
)
