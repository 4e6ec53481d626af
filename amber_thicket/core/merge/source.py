"""An exposure bracket or a focus stack as one file of a material, merged when it is read."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.align.register import register_photographs
from amber_thicket.core.align.warp import warp_to
from amber_thicket.core.gather.merge import FEWEST, Settings
from amber_thicket.core.memory import Memory
from amber_thicket.core.merge.exposure import BRIGHT, DARK, ToneMatch, match_tones, merge_exposures, moved, trust
from amber_thicket.core.merge.focus import choose_sharpest, merge_focus, sharpness
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.source import Source, halvings
from amber_thicket.errors import UnreadableFile

VERSION = 1
LOOK = 1536
# A photograph of one view lies no further aside, in shares of the picture; else its place is not believed.
_MOST_ASIDE = 0.08
_STILL = 2e-4
# Places found within so many px of the pictures they are found on are those of a camera that stood still.
_TRIPOD = 0.35


class Merging(NamedTuple):
    """What was decided for all sizes. places: (3, 3) each, from places of the first photograph to those of each.
    placed: whether the place of each was found. matches: what brings each to the light of the first. chosen: (h, w)
    uint8, the photograph each place is taken from (by focus, or the one that counts most). peak: what the brightest
    places reach in the light of the first. clipped: share of the first that is burnt out or lost, and of the merged
    picture. moved: (N,) share of each that was left out because it moved."""

    places: list[Pixels]
    placed: list[bool]
    matches: list[ToneMatch]
    chosen: Pixels
    peak: float
    clipped: tuple[float, float]
    moved: list[float]


@dataclass(frozen=True)
class Merged:
    """Photographs of one view and size, the one the others are brought to first. stops: of each, by its tags."""

    settings: Settings
    names: tuple[str, ...]
    frames: tuple[Source, ...]
    stops: tuple[float | None, ...]
    memory: Memory

    @cached_property
    def key(self) -> str:
        how = self.settings.model_dump(exclude={"frames"})
        parts = [VERSION, how, [frame.key for frame in self.frames], list(self.stops)]
        return "merged-" + hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:24]

    @property
    def width(self) -> int:
        return self.frames[0].width

    @property
    def height(self) -> int:
        return self.frames[0].height

    def look_level(self) -> int:
        """How often photographs are halved to look at them."""
        return halvings(max(self.width, self.height), LOOK)

    @property
    def merging(self) -> Merging:
        """What was found out about the photographs."""
        found: Merging = self.memory.get(f"merging/{self.key}", self._decide)
        return found

    def _decide(self) -> Merging:
        level = self.look_level()
        size = (self.width >> level, self.height >> level)
        shots = [frame.read(level).pixels for frame in self.frames]
        places, placed = [np.eye(3)], [True]
        for number, shot in enumerate(shots[1:], 1):
            report_progress(0.6 * number / len(shots), "Bringing photographs into place")
            place = _place(shots[0], shot) if self.settings.align else np.eye(3)
            places.append(np.eye(3) if place is None else place)
            placed.append(place is not None)
        laid = [warped(shot, place, size) for shot, place in zip(shots, places, strict=True)]
        covers = [covered(place, size) for place in places]
        report_progress(0.7, "Comparing the photographs")
        if self.settings.by == "focus":
            chosen = choose_sharpest([sharpness(shot) for shot in laid], covers)
            same = [ToneMatch(np.array([-8.0, 0.0]), np.zeros(2)) for _ in shots]
            return Merging(places, placed, same, chosen, 1.0, (0.0, 0.0), [0.0] * len(shots))
        first = self.stops[0]
        steps = [None if stop is None or first is None else stop - first for stop in self.stops]
        matches = [ToneMatch(np.array([-8.0, 0.0]), np.zeros(2))]
        matches += [match_tones(laid[0], shot, step) for shot, step in zip(laid[1:], steps[1:], strict=True)]
        merged = merge_exposures(laid, matches, covers, ghosts=self.settings.ghosts)
        weights = [trust(shot) * np.float32(2.0**-match.middle) for shot, match in zip(laid, matches, strict=True)]
        chosen = np.asarray(np.argmax(weights, axis=0), np.uint8)
        own = trust(laid[0])
        gone = [0.0] + [
            float((moved(laid[0], match.applied(shot), own, trust(shot)) > 0.5).mean()) if self.settings.ghosts else 0.0
            for shot, match in zip(laid[1:], matches[1:], strict=True)
        ]
        lost = [float(np.mean((shot.max(-1) >= BRIGHT) | (shot.max(-1) <= DARK))) for shot in laid]
        every = np.all([(shot.max(-1) >= BRIGHT) | (shot.max(-1) <= DARK) for shot in laid], axis=0)
        peak = float(np.percentile(merged, 99.95))
        return Merging(places, placed, matches, chosen, peak, (lost[0], float(every.mean())), gone)

    def read(self, level: int, **how: Any) -> Raster:
        """(H, W, 3) linear, the brightest at 1, halved `level` times. how: as in Source.read."""
        found = self.merging
        size = (self.width >> level, self.height >> level)

        def laid(number: int) -> Pixels:
            return warped(self.frames[number].read(level, **how).pixels, found.places[number], size)

        if self.settings.by == "focus":
            return Raster(merge_focus(laid, found.chosen, len(self.frames)))
        frames = [laid(number) for number in range(len(self.frames))]
        covers = [covered(place, size) for place in found.places]
        merged = merge_exposures(frames, found.matches, covers, ghosts=self.settings.ghosts)
        return Raster(merged / np.float32(max(found.peak, 1.0)))

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def warped(pixels: Pixels, place: Pixels, size: tuple[int, int]) -> Pixels:
    """A photograph on the grid of the first; as it is where it lies there."""
    if pixels.shape[1::-1] == size and np.abs(place - np.eye(3)).max() < _STILL:
        return pixels
    return np.maximum(warp_to(pixels, place, size), 0)


def covered(place: Pixels, size: tuple[int, int]) -> Pixels:
    """(H, W) bool: where a photograph reaches on the grid of the first."""
    if np.abs(place - np.eye(3)).max() < _STILL:
        return np.ones(size[::-1], bool)
    small = (max(8, size[0] // 8), max(8, size[1] // 8))
    return np.asarray(warp_to(np.ones(small[::-1], np.float32), place, size, beyond=0) > 0.999)


def _place(first: Pixels, other: Pixels) -> Pixels | None:
    """From places of the first photograph to those of another of the same view; None where it cannot be told."""
    try:
        found = register_photographs(first, other, outlines=False)
    except UnreadableFile:
        return None
    corners = np.array([[0, 0, 1], [1, 0, 1], [0, 1, 1], [1, 1, 1.0]])
    moved_to = corners @ found.matrix.T
    aside = np.abs(moved_to[:, :2] / moved_to[:, 2:] - corners[:, :2])
    # A camera that stood still is believed to have: laying by a fraction of a pixel would soften edges for nothing.
    if (aside * first.shape[1::-1]).max() < _TRIPOD:
        return np.eye(3)
    return found.matrix if aside.max() < _MOST_ASIDE else None


def merged_source(settings: Settings, photograph: str, files: Mapping[str, Source], memory: Memory) -> Merged | None:
    """The merged picture of a material; None where there are too few photographs of one size, or the one that is worked
    on is not among them."""
    there = [frame for frame in settings.frames if frame.file in files]
    if photograph not in [frame.file for frame in there]:
        return None
    size = (files[photograph].width, files[photograph].height)
    used = [frame for frame in there if (files[frame.file].width, files[frame.file].height) == size]
    used.sort(key=lambda frame: frame.file != photograph)
    if len(used) < FEWEST:
        return None
    names = tuple(frame.file for frame in used)
    return Merged(settings, names, tuple(files[name] for name in names), tuple(f.stops for f in used), memory)
