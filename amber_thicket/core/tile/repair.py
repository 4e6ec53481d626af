"""Fills places of the tile with others of it, round its edges too: what stands out, stains, a bad join.

Each spot is a place, a radius, and where its filling comes from. The outline of the filling is the closed path around
the spot along which both look most alike; it is decided once and used for every map at every size.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, Record, setting
from amber_thicket.core.strokes import Coordinate
from amber_thicket.core.synthesis.cut import closed_path, features, mismatch
from amber_thicket.core.synthesis.tile_plan import FEATHER, split_bands
from amber_thicket.errors import BadSetting

MOST_SPOTS, SMALLEST, LARGEST = 200, 0.004, 0.2
_RING, _ANGLES, _SEARCH = 1.5, 180, 320


# What leaves the tile at one side comes in at the other.
Wrapped = Annotated[Coordinate, AfterValidator(lambda value: value % 1.0)]


class Spot(Record):
    """x, y: middle in the tile, in tile widths and heights. radius: tile widths. from_x, from_y: where the filling's
    middle lies."""

    x: Wrapped
    y: Wrapped
    radius: float = Field(ge=SMALLEST, le=LARGEST)
    from_x: Wrapped
    from_y: Wrapped


class DetachedSpot(Record):
    """A fill whose place shows nowhere now. x, y, from_x, from_y: where it belongs in the flattened picture, in its
    widths and heights; radius: in its widths."""

    x: Coordinate
    y: Coordinate
    radius: float = Field(gt=0, le=1)
    from_x: Coordinate
    from_y: Coordinate


class Settings(OperationSettings):
    spots: tuple[Spot, ...] = setting(
        (), most=MOST_SPOTS, label="Filled places", help="Places of the tile filled from elsewhere in it."
    )
    aside: tuple[DetachedSpot, ...] = setting(
        (),
        most=MOST_SPOTS,
        label="Laid aside",
        help="Fills whose place shows nowhere in the tile as planned.",
    )

    @property
    def mends(self) -> bool:
        """Whether anything is filled, or was and may be again."""
        return bool(self.spots or self.aside)


@dataclass(frozen=True)
class Outlines:
    """The radius of each spot's filling in tile widths, by angle: (spots, angles)."""

    radii: NDArray[np.float32]

    @property
    def nbytes(self) -> int:
        return int(self.radii.nbytes)


def decide_repair(joined: Raster, *, frame: Frame, spots: Sequence[Spot], **_: object) -> Outlines:
    """Outlines of all spots, each on what those before it left."""
    pixels = joined.pixels
    found = []
    for spot in spots:
        radii = _outline(pixels, spot)
        found.append(radii)
        pixels = _filled(pixels, spot, radii)
    return Outlines(np.array(found, np.float32).reshape(-1, _ANGLES))


def repair(joined: Raster, *, frame: Frame, decided: Outlines, spots: Sequence[Spot], **_: object) -> Raster:
    """One layer of the tile with its spots filled. Linear in the layer but for normals, which stay of unit length."""
    pixels = joined.pixels
    for spot, radii in zip(spots, decided.radii, strict=True):
        pixels = _filled(pixels, spot, radii)
    if joined.vectors:
        return Raster(unit(pixels), vectors=True)
    return Raster(np.maximum(pixels, 0), evidence=dict(joined.evidence))


def _window(layer: Pixels, x: float, y: float, half: int) -> Pixels:
    """A square of 2·half + 1 px around a place, round the edges. The middle is the pixel at the place."""
    rows, columns = layer.shape[:2]
    at_y = np.arange(-half, half + 1) + int(y * rows)
    at_x = np.arange(-half, half + 1) + int(x * columns)
    return np.ascontiguousarray(layer[np.ix_(at_y % rows, at_x % columns)])


def _outline(pixels: Pixels, spot: Spot) -> NDArray[np.float32]:
    """Radius by angle (tile widths) of the least visible closed path, within 1 to 1.5 times the spot's radius."""
    width = pixels.shape[1]
    half = int(np.ceil(_RING * spot.radius * width)) + 3
    here, there = (features(_window(pixels, x, y, half)) for x, y in ((spot.x, spot.y), (spot.from_x, spot.from_y)))
    steps = max(8, round((_RING - 1) * spot.radius * width))
    radii = np.linspace(1.0, _RING, steps, dtype=np.float32) * np.float32(spot.radius * width)
    angle = (np.arange(_ANGLES, dtype=np.float32) * np.float32(2 * np.pi / _ANGLES))[:, None]
    x, y = half + radii * np.cos(angle), half + radii * np.sin(angle)
    cost = mismatch(here, there)
    # A step along a wider circle is a longer piece of the join.
    ring = cv2.remap(cost, x, y, cv2.INTER_LINEAR) * (radii / radii[0])
    return np.asarray(radii[closed_path(np.ascontiguousarray(ring), wander=1.0)] / width, np.float32)


def _filled(pixels: Pixels, spot: Spot, radii: NDArray[np.float32]) -> Pixels:
    """The layer with one spot filled."""
    rows, columns = pixels.shape[:2]
    # Coarse structure fades widely, but never so widely that little is left of a small filling.
    soft = [min(part, 0.4 * spot.radius) * columns for part in FEATHER]
    half = int(np.ceil(_RING * spot.radius * columns + 3 * soft[0])) + 2
    half = min(half, (min(rows, columns) - 1) // 2)
    if half < 2:
        return pixels
    here, there = _window(pixels, spot.x, spot.y, half), _window(pixels, spot.from_x, spot.from_y, half)
    mask = _mask(half, radii * columns)
    shares = [blur(mask, max(sigma, 0.3), wraps=False) for sigma in soft]
    # Whatever still shows at the window's edge would be cut off there.
    for share in shares:
        share *= _fades(half)
    if here.ndim == 3:
        shares = [share[..., None] for share in shares]
    bands = split_bands(there - here, float(columns))
    made = here + sum(share * band for share, band in zip(shares, bands, strict=True))
    out = pixels.copy()
    at_y = (np.arange(-half, half + 1) + int(spot.y * rows)) % rows
    at_x = (np.arange(-half, half + 1) + int(spot.x * columns)) % columns
    out[np.ix_(at_y, at_x)] = made
    return out


def _mask(half: int, radii: NDArray[np.float32]) -> Pixels:
    """1 inside the outline, 0 outside, soft over a pixel. radii: px by angle."""
    y, x = np.mgrid[-half : half + 1, -half : half + 1].astype(np.float32)
    turn = np.arctan2(y, x) / (2 * np.pi) % 1.0 * radii.size
    edge = np.interp(turn, np.arange(radii.size + 1), np.append(radii, radii[0]))
    result: Pixels = np.clip(edge - np.hypot(x, y) + 0.5, 0, 1).astype(np.float32)
    return result


def _fades(half: int) -> Pixels:
    line = np.clip((half - np.abs(np.arange(-half, half + 1))) / 2.0, 0, 1).astype(np.float32)
    return np.minimum(line[None], line[:, None])


def best_source(tile: Pixels, x: float, y: float, radius: float, banned: Sequence[tuple[float, float, float]]) -> Spot:
    """The place whose surroundings are most like those of a spot, away from it and from banned (x, y, radius).

    tile: linear RGB (H, W, 3) whose edges meet. Raises BadSetting when all of the tile is banned.
    """
    rows, columns = tile.shape[:2]
    scale = min(1.0, _SEARCH / max(rows, columns))
    size = (max(16, round(columns * scale)), max(16, round(rows * scale)))
    small = encode_srgb(cv2.resize(tile, size, interpolation=cv2.INTER_AREA))
    reach = max(3, int(np.ceil(_RING * radius * size[0])) + 1)
    reach = min(reach, (min(size) - 1) // 2)
    template = _window(small, x, y, reach)
    v, u = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    away = np.hypot(u, v) / (radius * size[0])
    ring = np.repeat(((away >= 1) & (away <= _RING)).astype(np.float32)[..., None], 3, -1)
    wrapped = np.pad(small, ((reach, reach), (reach, reach), (0, 0)), mode="wrap")
    cost = cv2.matchTemplate(wrapped, template, cv2.TM_SQDIFF, mask=ring)[: size[1], : size[0]]
    gy, gx = np.mgrid[0 : size[1], 0 : size[0]]
    for bx, by, keep in ((x, y, 2 * _RING * radius), *((bx, by, br + _RING * radius) for bx, by, br in banned)):
        dx, dy = np.abs(gx - bx * size[0]), np.abs(gy - by * size[1])
        near = np.hypot(np.minimum(dx, size[0] - dx), np.minimum(dy, size[1] - dy))
        cost = np.where(near < keep * size[0], np.inf, cost)
    if not np.isfinite(cost.min()):
        raise BadSetting("No place is left to fill this one from.", remedy="Fill a smaller place, or fewer at once.")
    row, column = divmod(int(cost.argmin()), size[0])
    found = (x, y, radius, (column + 0.5) / size[0], (row + 0.5) / size[1])
    return Spot(**dict(zip(Spot.model_fields, (round(value, 5) for value in found), strict=True)))


def with_filled(
    filled: Sequence[Spot],
    tile: Pixels,
    places: Sequence[tuple[float, float, float]],
    banned: Sequence[tuple[float, float, float]],
) -> tuple[Spot, ...]:
    """What is filled, and places (x, y, radius) besides, each from where its surroundings look most alike.

    Nothing is taken from a banned place, nor from one that is to be filled. Raises BadSetting when none is left.
    """
    spots = [best_source(tile, x, y, radius, [*banned, *places]) for x, y, radius in places]
    return (*filled, *spots)


OPERATION = Operation(
    id="tile.repair",
    label="Repair",
    help="Places of the tile filled from elsewhere in it, in every map.",
    settings=Settings,
    reads=("previous",),
    writes="repaired",
    carries="repaired",
    apply=repair,
    decide=decide_repair,
    idle=lambda s: not s.spots,
)
