"""What gives the repeat away: places that are like no other place of the tile, and slow blotches of tone and colour.

A place catches the eye at every repeat when nothing else in the tile looks like it: its surroundings are compared with
those of all others, and the distance to the most alike one is set against what is usual in the tile. A tile whose
places all have their like is not accused, however varied it is. Blotches (the quilt) are told apart, for they want
evening and not filling: how much of all that differs in the tile differs slowly. The limits come from pictures that
were judged by eye first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.oklab import to_oklab
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.repair import LARGEST
from amber_thicket.core.tile.repeat_lines import find_line

# From here on it is seen; between the two it may be. Grain without any order comes to 1.07 at the most.
ALARM, PERHAPS = 1.1, 0.9
# From this share of it on a place is too conspicuous to fill others from.
_NO_SOURCE = 0.75
_PEAKS = 14
_SIDE = 256
# For each size of place (standard deviation, px): how far apart places are looked at, and the strength that is seen.
_SIZES = ((3.5, 4, 1.92 * 1.18), (6.0, 5, 1.76 * 1.18), (10.0, 8, 1.76 * 1.18))
# Tone and the two colour axes of Oklab in hundredths, as far as the eye weighs them.
_EYE = np.array([0.7, 1.8, 1.8], np.float32)
# Tone, colours, fine and coarse texture, direction of the grain: the least spread, and what each counts.
_LEAST = np.array([0.6, 0.5, 0.5, 0.12, 0.12, 0.2, 0.2], np.float32)
_COUNTS = np.array([1, 1, 1, 0.5, 0.5, 0.35, 0.35], np.float32)
_AROUND, _AROUND_COUNTS, _APART = 6, 0.45, 3.2
# A place reaches as far as it stays above this share of its peak.
_OUTLINE, _FARTHEST = 0.6, 5.0
# Half the width of what a line takes with it, in tile widths.
_LINE = 0.016
_BLOTCH, _FINE, _VISIBLE, _MOST_BLOTCHES = 0.083, 0.0104, 1.0, 0.22


@dataclass(frozen=True)
class RepeatArtifact:
    """x, y: place in the tile (0..1). radius: in tile widths. strength: ALARM and more is seen in the repeat. points:
    of a line, (x, y) along it; radius is half its width then."""

    x: float
    y: float
    radius: float
    strength: float
    points: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Repeats:
    """What gives a repeat away. places: strongest first, at most 14. blotches: how much slow change of tone and colour
    shows; ALARM and more is seen, as with places."""

    places: tuple[RepeatArtifact, ...]
    blotches: float

    @property
    def strongest(self) -> float:
        return self.places[0].strength if self.places else 0.0

    @property
    def figure(self) -> float:
        """Both in one: the 8-norm, which the larger one rules."""
        return round(float((self.strongest**8 + self.blotches**8) ** (1 / 8)), 2)


def find_repeats(tile: Pixels) -> Repeats:
    """All that gives the repeat of a tile away. tile: linear RGB (H, W, 3) whose edges meet."""
    height, width = tile.shape[:2]
    scale = _SIDE / max(height, width)
    size = (max(16, round(width * scale)), max(16, round(height * scale)))
    small = cv2.resize(tile, size, interpolation=cv2.INTER_AREA)
    lab = np.ascontiguousarray(to_oklab(np.ascontiguousarray(small, np.float32)) * np.float32(100) * _EYE, np.float32)
    return Repeats(tuple(_with_line(_places(lab), lab)), round(_blotches(lab), 2))


def _with_line(places: list[RepeatArtifact], lab: Pixels) -> list[RepeatArtifact]:
    """Places, and the line that stands out if there is one; places on it are parts of it."""
    line = find_line(np.ascontiguousarray(lab[..., 0]))
    if line is None:
        return places
    points = np.array(line.points)

    def beside(place: RepeatArtifact) -> bool:
        away = np.abs(points - [place.x, place.y])
        return float(np.hypot(*np.minimum(away, 1 - away).T).min()) > place.radius + _LINE

    middle = line.points[len(line.points) // 2]
    own = RepeatArtifact(*middle, _LINE, round(ALARM * line.ratio, 2), line.points)
    rest = [place for place in places if beside(place)]
    return sorted([own, *rest], key=lambda place: -place.strength)[:_PEAKS]


def find_repeat_artifacts(tile: Pixels) -> list[RepeatArtifact]:
    """The places that stand out most, strongest first, at most 14. tile: as for find_repeats()."""
    return list(find_repeats(tile).places)


def unfit(found: Sequence[RepeatArtifact], least: float = _NO_SOURCE * ALARM) -> list[tuple[float, float, float]]:
    """(x, y, radius) of the places nothing should be filled from: those of this strength and more."""
    return [
        (*at, place.radius)
        for place in found
        if place.strength >= least
        for at in (place.points or ((place.x, place.y),))
    ]


def _blotches(lab: Pixels) -> float:
    """How much of what differs in the tile differs slowly, against what is seen. lab: (H, W, 3)."""
    width = lab.shape[1]

    def spread(sigma: float) -> float:
        return float(np.sqrt(blur(lab, sigma * width, wraps=True).reshape(-1, 3).var(axis=0).sum()))

    return spread(_BLOTCH) / (spread(_FINE) + _VISIBLE) / _MOST_BLOTCHES


def _places(lab: Pixels) -> list[RepeatArtifact]:
    height, width = lab.shape[:2]
    fields = _standing_out(lab)
    left = [field.copy() for field in fields]
    found: list[RepeatArtifact] = []
    while len(found) < _PEAKS:
        number = int(np.argmax([field.max() for field in left]))
        sigma, step, _ = _SIZES[number]
        row, column = divmod(int(left[number].argmax()), left[number].shape[1])
        strength = float(left[number][row, column])
        if strength <= 0:
            break
        x, y = float(min(column * step, width - 1)), float(min(row * step, height - 1))
        # No place is filled that is larger than the last; what is seen at one size reaches so far at the most.
        radius = max(_reach(fields[number], row, column) * step, 2 * sigma)
        radius = min(radius, _FARTHEST * sigma, LARGEST * width)
        found.append(RepeatArtifact((x + 0.5) / width, (y + 0.5) / height, radius / width, round(strength, 2)))
        for field, (_, apart, _) in zip(left, _SIZES, strict=True):
            away = _away(field.shape, (y / apart, x / apart), (height / apart, width / apart)) * apart
            field[away < max(1.5 * radius, 3 * sigma)] = 0
    return found


def _away(shape: tuple[int, ...], at: tuple[float, float], extent: tuple[float, float]) -> Pixels:
    """Distance of every place of a grid from one of them, round the edges. extent: where the grid begins anew."""
    down, across = (
        np.abs(np.arange(count, dtype=np.float32) - np.float32(middle)) for count, middle in zip(shape, at, strict=True)
    )
    down, across = np.minimum(down, extent[0] - down), np.minimum(across, extent[1] - across)
    return np.asarray(np.hypot(down[:, None], across[None]))


def _reach(field: Pixels, row: int, column: int) -> float:
    """How far a place goes on, in steps of the grid: half of its longer side."""
    height, width = field.shape
    around = np.roll(field, (height // 2 - row, width // 2 - column), (0, 1))
    level = min(max(_OUTLINE * field[row, column], _NO_SOURCE), field[row, column])
    _, labels = cv2.connectedComponents((around >= level).astype(np.uint8))
    rows, columns = np.nonzero(labels == labels[height // 2, width // 2])
    return float(max(np.ptp(rows), np.ptp(columns)) + 1) / 2


def _standing_out(lab: Pixels) -> list[Pixels]:
    """For each size, how much each place of a grid stands out: ALARM and more is seen."""
    tone = np.ascontiguousarray(lab[..., 0] / _EYE[0])
    soft, softer = blur(tone, 1.0, wraps=True), blur(tone, 4.0, wraps=True)
    across, down = (np.roll(soft, -1, axis) - np.roll(soft, 1, axis) for axis in (1, 0))
    texture = np.dstack([(tone - soft) ** 2, (soft - softer) ** 2])
    grain = np.dstack([across**2 - down**2, 2 * across * down, across**2 + down**2])
    found = []
    for sigma, step, seen in _SIZES:
        fine = [blur(np.ascontiguousarray(part, np.float32), sigma, wraps=True) for part in (lab, texture, grain)]
        # A double angle has one direction for both ways along a line.
        directed = fine[2][..., :2] / (fine[2][..., 2:] + np.float32(0.05))
        channels = np.dstack([fine[0], 0.5 * np.log(fine[1] + np.float32(0.05)), directed])
        unlike = _unlike(channels, sigma, step)
        usual = float(np.median(unlike))
        found.append(unlike / max(usual * seen, 1e-3))
    return found


def _unlike(channels: Pixels, sigma: float, step: int) -> Pixels:
    """Distance of each place of a grid to the most alike place that is not beside it. channels: (H, W, 7)."""
    height, width = channels.shape[:2]
    flat = channels.reshape(-1, channels.shape[2])
    spread = 1.4826 * np.median(np.abs(flat - np.median(flat, axis=0)), axis=0)
    scaled = (channels / np.maximum(spread, _LEAST) * _COUNTS).astype(np.float32)
    rows, columns = np.arange(0, height, step), np.arange(0, width, step)
    parts = [scaled[rows[:, None], columns[None]]]
    for angle in np.arange(_AROUND) * (2 * np.pi / _AROUND):
        down, across = round(2 * sigma * np.sin(angle)), round(2 * sigma * np.cos(angle))
        beside = scaled[((rows + down) % height)[:, None], ((columns + across) % width)[None]]
        parts.append(np.float32(_AROUND_COUNTS) * beside)
    places = np.ascontiguousarray(np.concatenate(parts, axis=-1).reshape(len(rows) * len(columns), -1))
    lengths = np.einsum("ij,ij->i", places, places)
    found = np.empty(len(places), np.float32)
    for first in range(0, len(places), 512):
        products = places[first : first + 512] @ places.T
        _least_apart(products, lengths, first, len(columns), step, (height, width), (_APART * sigma) ** 2, found)
    return found.reshape(len(rows), len(columns))


@compiled(loose=True)
def _least_apart(  # type: ignore[no-untyped-def]
    products, lengths, first: int, columns: int, step: int, extent, near: float, found: NDArray[Any]
) -> None:
    """Distance to the most alike of all places that lie further than √near px away on the torus."""
    for i in range(len(products)):
        row, column = divmod(first + i, columns)
        least = np.float32(np.inf)
        for other in range(len(lengths) // columns):
            down = abs(other - row) * step
            down = min(down, extent[0] - down)
            start = other * columns
            if down * down >= near:
                for at in range(start, start + columns):
                    least = min(least, lengths[at] - np.float32(2.0) * products[i, at])
                continue
            for at in range(start, start + columns):
                across = abs(at - start - column) * step
                across = min(across, extent[1] - across)
                if down * down + across * across >= near:
                    least = min(least, lengths[at] - np.float32(2.0) * products[i, at])
        found[first + i] = np.sqrt(max(least + lengths[first + i], np.float32(0.0)))
