"""A walk-by as files of a material: colour, height and normal on the first photograph's grid, worked out when read."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.gather.walk import FEWEST, Settings
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.source import Made, Source, halvings
from amber_thicket.core.walk.colour import Common, common, sharpened
from amber_thicket.core.walk.fine import Reading, fine_relief, read_fine, sharper
from amber_thicket.core.walk.poses import Camera, Poses
from amber_thicket.core.walk.relief import Parallax, find_height

VERSION = 3
# Parallax is told on photographs of up to this many px.
LOOK = 1280
_BAND, _FADE = 192, 0.02


class Told(NamedTuple):
    """parallax: what was found, at the size it is looked for. broad: (H, W) its height, as sharp as it can be made;
    reading: what the first photograph says of finer relief, None where nothing. low, high: heights that become 0 and 1.
    """

    parallax: Parallax
    broad: Pixels
    reading: Reading | None
    low: float
    high: float


@dataclass(frozen=True)
class WalkBy:
    """Photographs of one size, the one all lies on first."""

    settings: Settings
    frames: tuple[Source, ...]
    poses: Poses
    memory: Memory

    @cached_property
    def key(self) -> str:
        poses = [self.poses.normal.tolist(), self.poses.focal, self.poses.bend]
        poses += [[*camera.turn.tolist(), *camera.place.tolist()] for camera in self.poses.cameras]
        parts = [VERSION, self.settings.colour, self.settings.fine, [frame.key for frame in self.frames], poses]
        return "walk-" + hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:24]

    @cached_property
    def place_key(self) -> str:
        """Of what only hangs on the photographs and where they were taken."""
        return replace(self, settings=Settings(frames=self.settings.frames)).key

    @property
    def size(self) -> tuple[int, int]:
        return self.frames[0].width, self.frames[0].height

    def look_level(self) -> int:
        """How often photographs are halved to tell parallax."""
        return halvings(max(self.size), LOOK)

    def told(self) -> Told:
        """The height, once for all sizes."""

        def compute() -> Told:
            level = self.look_level()
            photographs = [frame.read(level).pixels for frame in self.frames]
            found = self.memory.get(
                f"walk/{self.place_key}", lambda: find_height(photographs, self.poses, hold_focal=True)
            )
            amount = np.float32(self.settings.fine)
            reading = read_fine(photographs[0], found.height, found.agree) if amount else None
            broad = found.height + amount * sharper(found.height)
            made = broad if reading is None else broad + amount * fine_relief(photographs[0], reading, 1.0)
            low, high = (float(v) for v in np.percentile(made, (0.05, 99.95)))
            room = max(0.03 * (high - low), 1e-6)
            return Told(found, broad, reading, low - room, high + room)

        known: Told = self.memory.get(f"walk/{self.key}/told", compute)
        return known

    def height(self, level: int) -> Pixels:
        """(H, W) in [0, 1] at a halving."""
        told = self.told()
        whole = self.memory.get(f"walk/{self.key}/{level}", lambda: self._whole(told, level))
        return np.asarray(((whole - told.low) / (told.high - told.low)).clip(0, 1), np.float32)

    def _whole(self, told: Told, level: int) -> Pixels:
        """(H, W) height with its fine relief at a halving, in units of the camera's distance."""
        size = (self.size[0] >> level, self.size[1] >> level)
        scale = size[0] / told.broad.shape[1]
        broad = cv2.resize(told.broad, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)
        if told.reading is None:
            return np.asarray(broad, np.float32)
        if scale < 1:
            fine = fine_relief(self.frames[0].read(self.look_level()).pixels, told.reading, 1.0)
            fine = cv2.resize(fine, size, interpolation=cv2.INTER_AREA)
        else:
            fine = fine_relief(self.frames[0].read(level).pixels, told.reading, scale)
        return np.asarray(broad + np.float32(self.settings.fine) * fine, np.float32)

    def depth(self) -> float:
        """How deep the height reaches, in widths of the picture on the surface."""
        told = self.told()
        return (told.high - told.low) * self.poses.focal

    def normal(self, level: int) -> Pixels:
        """(H, W, 3) unit vectors, as steep as the relief is."""
        height = self.height(level)
        return from_height(height, depth=self.depth() * height.shape[1], wraps=False)

    def colour(self, level: int) -> Pixels:
        """(H, W, 3) linear: what all photographs show alike; glare and what passed by go, fine tone stays."""
        first = self.frames[0].read(level).pixels
        if self.settings.colour == "first":
            return first
        told = self.told()
        rows, columns = first.shape[:2]
        height = cv2.resize(told.parallax.height, (columns, rows), interpolation=cv2.INTER_LINEAR)
        others = [frame.read(level).pixels for frame in self.frames[1:]]
        merged = Common(np.empty_like(first), np.empty_like(first), np.empty_like(height))
        reach = np.empty_like(height)
        y, x = np.mgrid[0:rows, 0:columns]
        places = np.stack([(x + 0.5 - columns / 2) / columns, (y + 0.5 - rows / 2) / columns], -1)
        gains = self._gains(others, first, places, height)
        for top in range(0, rows, _BAND):
            part = np.s_[top : top + _BAND]
            stack, weights = [first[part]], [np.full(height[part].shape, 1.5, np.float32)]
            for number, (other, gain) in enumerate(zip(others, gains, strict=True), 1):
                seen, inside = self._seen(number, other, places[part], height[part], first.shape)
                stack.append(seen * gain)
                weights.append(inside)
            views, shares = np.stack(stack), np.stack(weights)
            merged.colour[part], merged.others[part], merged.off[part] = common(views, shares)
            reach[part] = shares[1:].max(0)
        return sharpened(first, merged, reach, len(others))

    def _seen(
        self, number: int, pixels: Pixels, places: Pixels, height: Pixels, shape: tuple[int, ...]
    ) -> tuple[Pixels, Pixels]:
        """(what another photograph shows at these places, how far it reaches there in 0..1)."""
        rows, columns = shape[:2]
        poses = self.told().parallax.poses
        flat = poses.points(places.reshape(-1, 2), height.ravel())
        seen = poses.seen(number, flat) * columns
        x = (seen[:, 0] + columns / 2 - 0.5).reshape(height.shape).astype(np.float32)
        y = (seen[:, 1] + rows / 2 - 0.5).reshape(height.shape).astype(np.float32)
        shown = cv2.remap(pixels, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        away = np.minimum(np.minimum(x, columns - 1 - x), np.minimum(y, rows - 1 - y)) / (_FADE * columns)
        return np.maximum(shown, 0), away.clip(0, 1)

    def _gains(self, others: list[Pixels], first: Pixels, places: Pixels, height: Pixels) -> list[Pixels]:
        """What brings each photograph to the exposure and white of the first."""
        step = max(1, first.shape[1] // 400)
        some = np.s_[::step, ::step]
        found = []
        for number, other in enumerate(others, 1):
            seen, inside = self._seen(number, other, places[some], height[some], first.shape)
            sure = inside > 0.99
            ratio = np.log(np.maximum(first[some][sure], 2e-3)) - np.log(np.maximum(seen[sure], 2e-3))
            found.append(np.exp(np.median(ratio, axis=0)).astype(np.float32))
        return found


@dataclass(frozen=True)
class WalkPart(Made):
    """One map of a walk-by."""

    whole: WalkBy

    def read(self, level: int, **_: Any) -> Raster:
        """base_color (H, W, 3) linear, height (H, W) in [0, 1], or normal (H, W, 3) unit vectors."""
        if self.role == "normal":
            return Raster(self.whole.normal(level), vectors=True)
        return Raster(self.whole.height(level) if self.role == "height" else self.whole.colour(level))


def walk_by(settings: Settings, photograph: str, files: Mapping[str, Source], memory: Memory) -> WalkBy | None:
    """The walk-by of a material; None until its poses are found, where too few photographs are left, or where the one
    that is worked on is not the first of them."""
    frames = [frame for frame in settings.frames if frame.file in files]
    if (
        len(settings.normal) != 3
        or len(frames) < FEWEST
        or not settings.frames
        or settings.frames[0].file != photograph
    ):
        return None
    size = (files[photograph].width, files[photograph].height)
    frames = [frame for frame in frames if (files[frame.file].width, files[frame.file].height) == size]
    if len(frames) < FEWEST:
        return None
    cameras = tuple(Camera(np.array(frame.turn), np.array(frame.place)) for frame in frames)
    normal = np.array(settings.normal)
    corner = 0.5 * float(np.hypot(1, size[1] / size[0]))
    poses = Poses(normal / np.linalg.norm(normal), settings.focal, cameras, (), 0.0, settings.bend, corner)
    return WalkBy(settings, tuple(files[frame.file] for frame in frames), poses, memory)
