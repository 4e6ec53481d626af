"""Fills places of the tile with others of it, round its edges too: what stands out, stains, a bad join.

Each spot is a place, a radius, and where its filling comes from. The outline of the filling is the closed path around
the spot along which both look most alike; it is decided once and used for every map at every size.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import blur, pad
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation, unexposed
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, Record, setting
from amber_thicket.core.strokes import Coordinate
from amber_thicket.core.synthesis.cut import closed_path, features, mismatch, seen, usually_apart
from amber_thicket.core.synthesis.tile_plan import FEATHER, split_bands
from amber_thicket.core.tile.pieces import joints_of
from amber_thicket.errors import BadSetting

MOST_SPOTS, SMALLEST, LARGEST = 200, 0.004, 0.2
_RING, _ANGLES, _SEARCH = 1.5, 180, 320
_TURN = np.arange(_ANGLES, dtype=np.float32) * np.float32(2 * np.pi / _ANGLES)
_AROUND = (np.cos(_TURN), np.sin(_TURN))
# So many places are looked at, and what is seen along an outline, in the usual difference of any two places: between
# grains it comes to 1.3, across a joint that does not go on to 2 and more.
_CANDIDATES, _SEEN = 10, 1.5
# Width of a joint in tile widths, and how much stronger than the mean of the tile joints are that stand out: of boards
# and slates they come to 8 and more, of gravel and grass to 5.
_JOINT, _JOINTED, _RIM = 0.0072, 7.0, 16

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
    ring, radii = _round_about(here, there, spot.radius * width)
    return np.asarray(radii[_path(ring, radii)] / width, np.float32)


def _round_about(here: Pixels, there: Pixels, radius: float) -> tuple[Pixels, NDArray[np.float32]]:
    """How far a spot and its filling differ by angle and radius, (angles, radii), squared; and the radii, px. here,
    there: features of windows round both; radius: px."""
    half = len(here) // 2
    steps = max(8, round((_RING - 1) * radius))
    radii = np.linspace(1.0, _RING, steps, dtype=np.float32) * np.float32(radius)
    x, y = (half + radii * way[:, None] for way in _AROUND)
    return np.asarray(cv2.remap(mismatch(here, there), x, y, cv2.INTER_LINEAR)), radii


def _path(ring: Pixels, radii: NDArray[np.float32]) -> NDArray[np.int32]:
    # A step along a wider circle is a longer piece of the join.
    return closed_path(np.ascontiguousarray(ring * (radii / radii[0])), wander=1.0)


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
    """The place a spot is filled from with the least to see, away from it and from banned (x, y, radius): of those
    whose surroundings are most like its own, the one whose outline crosses nothing that does not go on.

    tile: linear RGB (H, W, 3) whose edges meet. Raises BadSetting when all of the tile is banned.
    """
    return _Sources(tile).best((x, y, radius), banned)[0]


class _Sources:
    """Where places of one tile, linear RGB (H, W, 3), may be filled from."""

    def __init__(self, tile: Pixels) -> None:
        rows, columns = tile.shape[:2]
        scale = min(1.0, _SEARCH / max(rows, columns))
        self._size = (max(16, round(columns * scale)), max(16, round(rows * scale)))
        light = np.ascontiguousarray(cv2.resize(tile, self._size, interpolation=cv2.INTER_AREA), np.float32)
        self._codes = encode_srgb(light)
        self._usual = max(usually_apart(seen(light))[0], 1e-6)
        self._seen = np.ascontiguousarray(features(pad(light, _RIM, wraps=True))[_RIM:-_RIM, _RIM:-_RIM])
        joints = joints_of(pad(light, _RIM, wraps=True), _JOINT * max(self._size))[_RIM:-_RIM, _RIM:-_RIM]
        self._joints = np.ascontiguousarray(joints[..., None])
        strong = float(np.quantile(joints, 0.98))
        # What has no joints that stand out has none that could be cut.
        self._strong = strong if strong >= _JOINTED else np.inf
        planes = self._codes.transpose(2, 0, 1)
        self._waves = np.conj(np.fft.rfft2(planes))
        self._squares = np.conj(np.fft.rfft2((planes**2).sum(axis=0)))

    def best(
        self, place: tuple[float, float, float], banned: Sequence[tuple[float, float, float]]
    ) -> tuple[Spot, float]:
        """best_source(), and how visible its outline is."""
        best, least = None, np.inf
        for source in self._most_alike(place, banned):
            found = (round(value, 5) for value in (*place, *source))
            spot = Spot(**dict(zip(Spot.model_fields, found, strict=True)))
            visible = self._visible(spot)
            if visible < least:
                best, least = spot, visible
        if best is None:
            raise BadSetting(
                "No place is left to fill this one from.", remedy="Fill a smaller place, or fewer at once."
            )
        return best, least

    def _visible(self, spot: Spot) -> float:
        """How much is seen along the outline of a filling, 1 being the limit: where both sides differ most, but for two
        parts in a hundred of it, and whether a joint on one side does not go on on the other."""
        width = self._size[0]
        half = min(int(np.ceil(_RING * spot.radius * width)) + 3, (min(self._size) - 1) // 2)
        places = ((spot.x, spot.y), (spot.from_x, spot.from_y))
        here, there = (_window(self._seen, *place, half) for place in places)
        ring, radii = _round_about(here, there, spot.radius * width)
        path = _path(ring, radii)
        differ = float(np.sqrt(np.percentile(ring[np.arange(_ANGLES), path], 98))) / self._usual
        x, y = (half + radii[path] * way for way in _AROUND)
        one, other = (
            cv2.remap(_window(self._joints, *place, half), x[:, None], y[:, None], cv2.INTER_LINEAR) for place in places
        )
        return max(differ / _SEEN, float(np.abs(one - other).max()) / self._strong)

    def _most_alike(
        self, place: tuple[float, float, float], banned: Sequence[tuple[float, float, float]]
    ) -> Iterator[tuple[float, float]]:
        """Places (x, y) whose surroundings are most like those of a place, best first."""
        (x, y, radius), (width, height) = place, self._size
        cost = self._unlike(place)
        across, down = np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)

        def ban(bx: float, by: float, keep: float) -> None:
            dx, dy = np.abs(across - np.float32(bx * width)), np.abs(down - np.float32(by * height))
            dx, dy = np.minimum(dx, width - dx), np.minimum(dy, height - dy)
            cost[(dx * dx)[None] + (dy * dy)[:, None] < (keep * width) ** 2] = np.inf

        ban(x, y, 2 * _RING * radius)
        for bx, by, keep in banned:
            ban(bx, by, keep + _RING * radius)
        for _ in range(_CANDIDATES):
            row, column = divmod(int(cost.argmin()), width)
            if not np.isfinite(cost[row, column]):
                return
            found = (column + 0.5) / width, (row + 0.5) / height
            yield found
            ban(*found, radius / 2)

    def _unlike(self, place: tuple[float, float, float]) -> Pixels:
        """Squared difference of the ring round a place to the ring round each other, (H, W), by correlation."""
        (x, y, radius), (width, height) = place, self._size
        reach = max(3, int(np.ceil(_RING * radius * width)) + 1)
        reach = min(reach, (min(self._size) - 1) // 2)
        at_y, at_x = np.arange(-reach, reach + 1), np.arange(-reach, reach + 1)
        away = np.hypot(at_y[:, None], at_x[None]) / (radius * width)
        ring = ((away >= 1) & (away <= _RING)).astype(np.float32)
        own = _window(self._codes, x, y, reach) * ring[..., None]
        layers = np.zeros((4, height, width), np.float32)
        layers[np.ix_(range(4), at_y % height, at_x % width)] = [*own.transpose(2, 0, 1), ring]
        found = np.fft.rfft2(layers)
        summed = found[3] * self._squares - 2 * (found[:3] * self._waves).sum(axis=0)
        # The ring lies about 0: what it comes to at a place is the wave of the ring, turned round, times that of all.
        cost = np.fft.irfft2(np.conj(summed), s=(height, width)) + float((own * own).sum())
        return np.maximum(cost, 0)


def with_filled(
    filled: Sequence[Spot],
    tile: Pixels,
    places: Sequence[tuple[float, float, float]],
    *banned: Sequence[tuple[float, float, float]],
    unseen: bool = False,
) -> tuple[Spot, ...]:
    """What is filled, and places (x, y, radius) besides, each from where its surroundings look most alike.

    banned: places nothing is taken from, nor from one that is to be filled; where none is left then, the next of them
    count instead. unseen: a place is left as it is where the outline of its filling would be seen, because a joint
    would end in the middle of a stone. Raises BadSetting when none is left with the last, or all are left as they are.
    """
    sources = _Sources(tile)
    found = [_source_of(sources, place, places, banned) for place in places]
    spots = [spot for spot, visible in found if visible <= 1 or not unseen]
    if places and not spots:
        raise BadSetting(
            "Whatever these places were filled from, the outlines would be seen.",
            remedy="Leave them out on the sample.",
        )
    return (*filled, *spots)


def _source_of(
    sources: _Sources,
    place: tuple[float, float, float],
    places: Sequence[tuple[float, float, float]],
    banned: Sequence[Sequence[tuple[float, float, float]]],
) -> tuple[Spot, float]:
    for less in banned[:-1]:
        with contextlib.suppress(BadSetting):
            return sources.best(place, [*less, *places])
    return sources.best(place, [*banned[-1], *places])


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
    decides_with=unexposed,
    idle=lambda s: not s.spots,
)
