"""A light set as files of a material: colour, normal and roughness, worked out when they are read."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from amber_thicket.core.gather.lamps import directions_of
from amber_thicket.core.gather.lights import FEWEST, Settings, directions
from amber_thicket.core.lightset import gloss
from amber_thicket.core.lightset.solve import Solved, solve_light_set
from amber_thicket.core.lightset.stabilize import Stabilization, apply_stabilization, stabilize
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.source import Made, Source, halvings

VERSION = 1
# What has to be put right is found on photographs of up to this many px.
LOOK_SIDE = 1536
# Above this many bytes the photographs are held as 16-bit roots of their light.
_WHOLE = 600_000_000
_ROWS = 192


@dataclass(frozen=True)
class LightSet:
    """Photographs of one size, in the order of their lamps."""

    settings: Settings
    frames: tuple[Source, ...]
    lamps: Pixels
    memory: Memory

    @cached_property
    def key(self) -> str:
        mattering = self.settings.model_dump(exclude={"frames", "all_lights", "colour"})
        parts = [VERSION, mattering, [frame.key for frame in self.frames], self.lamps.tolist()]
        return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:32]

    @property
    def size(self) -> tuple[int, int]:
        return self.frames[0].width, self.frames[0].height

    def look_level(self) -> int:
        """How often photographs are halved to look at them."""
        return halvings(max(self.size), LOOK_SIDE)

    def as_shot(self, level: int) -> Pixels:
        """(N, H, W, 3) linear, as they were taken."""
        return np.stack([frame.read(level).pixels for frame in self.frames])

    def steady(self) -> Stabilization:
        """What is put right before solving."""
        how = {name: getattr(self.settings, name) for name in ("align", "exposure", "lamp_light")}
        lamps = self._unturned()
        parts = [VERSION, how, [frame.key for frame in self.frames], lamps.tolist()]
        key = "lightset/steady/" + hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:32]
        return self.memory.get(key, lambda: stabilize(self.as_shot(self.look_level()), lamps, **how))

    def _unturned(self) -> Pixels:
        """The lamps with the first at 0° and the others counter-clockwise: what is put right does not depend on where
        the ring is turned, and must be the very same wherever it is."""
        degrees = np.degrees(np.arctan2(self.lamps[:, 1], self.lamps[:, 0]))
        away = (degrees - degrees[0]) * (-1 if self.settings.direction == "cw" else 1) % 360
        return directions_of(np.round(away, 4) % 360, np.round(np.degrees(np.arcsin(self.lamps[:, 2])), 4))

    def frame(self, number: int, level: int) -> Pixels:
        """One photograph as it is solved, (H, W, 3) linear."""
        return apply_stabilization(self.frames[number].read(level).pixels, number, self.steady())

    def solved(self, level: int) -> Solved:
        """Normal, albedo, residual and glint at a halving."""
        return self.memory.get(f"lightset/{self.key}/{level}", lambda: self._solve(level))

    def _solve(self, level: int) -> Solved:
        first = self.frame(0, level)
        if first.nbytes * len(self.frames) <= _WHOLE:
            made = solve_light_set(
                np.stack([first, *(self.frame(k, level) for k in range(1, len(self.frames)))]), self.lamps
            )
        else:
            made = self._by_rows(first, level)
        if not self.settings.bend:
            return made
        return made._replace(normal=unbent(made.normal, self.settings.bend / 100 * made.normal.shape[1]))

    def _by_rows(self, first: Pixels, level: int) -> Solved:
        top = max(1.0, float(first.max()))
        held = np.empty((len(self.frames), *first.shape), np.uint16)
        held[0] = _root(first, top)
        del first
        for k in range(1, len(self.frames)):
            held[k] = _root(self.frame(k, level), top)
        rows, columns = held.shape[1:3]
        whole = Solved(*(np.empty((rows, columns, *channels), np.float32) for channels in ((3,), (3,), (), ())))
        for row in range(0, rows, _ROWS):
            light = (held[:, row : row + _ROWS].astype(np.float32) / np.float32(65535)) ** 2 * np.float32(top)
            for target, part in zip(whole, solve_light_set(light, self.lamps), strict=True):
                target[row : row + _ROWS] = part
        return whole

    def gloss(self) -> gloss.Gloss:
        """The lobe of the glints, measured once for all sizes."""
        level = self.look_level()

        def compute() -> gloss.Gloss:
            shots = np.stack([self.frame(k, level) for k in range(len(self.frames))])
            return gloss.measured(shots, self.lamps, self.solved(level))

        return self.memory.get(f"lightset/{self.key}/gloss", compute)

    def roughness(self, level: int) -> Pixels:
        return gloss.roughness(self.solved(level), self.gloss(), lamps=self.lamps)

    def relit(self, number: int, level: int) -> Pixels:
        """What the solved surface looks like under one lamp, (H, W, 3) linear, without glints and cast shadow."""
        made = self.solved(level)
        facing = np.maximum(made.normal @ self.lamps[number].astype(np.float32), 0) / np.float32(
            self.lamps[:, 2].mean()
        )
        return np.asarray(made.albedo * facing[..., None])


def _root(light: Pixels, top: float) -> Any:
    return np.rint(np.sqrt((light / np.float32(top)).clip(0, 1)) * np.float32(65535)).astype(np.uint16)


def unbent(normal: Pixels, reach: float) -> Pixels:
    """Unit normals without slopes that run on over more than `reach` px."""
    z = np.maximum(normal[..., 2], np.float32(0.05))
    out = np.empty_like(normal)
    for axis in (0, 1):
        slope = normal[..., axis] / z
        out[..., axis] = slope - blur(np.ascontiguousarray(slope), reach / 2.5, wraps=False, fast=True)
    out[..., 2] = 1
    out /= np.linalg.norm(out, axis=-1, keepdims=True)
    return out


@dataclass(frozen=True)
class MadePart(Made):
    """One map of a light set."""

    whole: LightSet

    def read(self, level: int, **_: Any) -> Raster:
        """base_color (H, W, 3) linear, normal (H, W, 3) unit vectors, or roughness (H, W)."""
        ways: dict[str, Callable[[], Raster]] = {
            "base_color": lambda: Raster(self.whole.solved(level).albedo),
            "normal": lambda: Raster(self.whole.solved(level).normal, vectors=True),
            "roughness": lambda: Raster(self.whole.roughness(level)),
        }
        return ways[self.role]()


def light_set(settings: Settings, files: Mapping[str, Source], memory: Memory) -> LightSet | None:
    """The light set of a material; None where there are too few photographs that fit each other."""
    lamps = settings.frames
    there = [number for number, lamp in enumerate(lamps) if lamp.file in files and not lamp.out]
    if len(there) < FEWEST:
        return None
    sizes = [(files[lamps[n].file].width, files[lamps[n].file].height) for n in there]
    usual = max(set(sizes), key=sizes.count)
    used = [number for number, size in zip(there, sizes, strict=True) if size == usual]
    lit_from = directions(settings)[used]
    if len(used) < FEWEST or np.linalg.matrix_rank(lit_from, tol=1e-3) < 3:
        return None
    return LightSet(settings, tuple(files[lamps[n].file] for n in used), lit_from, memory)
