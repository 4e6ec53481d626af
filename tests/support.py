"""What many tests need: real photographs, sources in memory, a library in a temporary folder."""

from __future__ import annotations

import hashlib
import io
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import skimage.data
from numpy.typing import NDArray
from PIL import Image

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.core.square.propose import Proposal
from amber_thicket.service.library import Library
from amber_thicket.standins.capture_rig import camera, plain_kinds
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import open_database
from amber_thicket.store.decisions import DecisionCache

# Where modules of one run find what others of it made.
_SHARE = os.environ.get("TESTS_SHARE")
# CC0 photographs that ship with scikit-image.
PHOTOGRAPHS = ("brick", "gravel", "grass")


def photograph(name: str) -> NDArray[np.uint8]:
    """A CC0 photograph of scikit-image as 8-bit RGB."""
    grey = {"brick": skimage.data.brick, "gravel": skimage.data.gravel, "grass": skimage.data.grass}[name]()
    return np.repeat(np.asarray(grey, np.uint8)[..., None], 3, -1)


def linear_photograph(name: str) -> Pixels:
    """The same, as linear light."""
    return decode_srgb(photograph(name))


@lru_cache(maxsize=16)
def rig_surface(kind: str, side: int, seed: int, part: tuple[int, int] | None = None) -> Surface:
    """A surface of the capture rig, or columns and rows part[0] to part[1] of it; several tests may look at the same
    one, and none may change it. Modules of one run share them on the disk: drawing one takes seconds."""
    kept = Path(_SHARE) / f"{kind}-{side}-{seed}-{part}.npz" if _SHARE else None
    if kept and kept.is_file():
        with np.load(kept) as found:
            made = Surface(*(found[name] for name in _FIELDS), float(found["width_mm"]))
    else:
        whole = (KINDS.get(kind) or getattr(plain_kinds, kind))(side, seed)
        at = slice(*part) if part else slice(None)
        made = Surface(*(getattr(whole, name)[at, at] for name in _FIELDS), whole.width_mm)
        if kept:
            with tempfile.NamedTemporaryFile(dir=_SHARE, suffix=".npz", delete=False) as file:
                np.savez(file, **{name: getattr(made, name) for name in _FIELDS}, width_mm=made.width_mm)
            os.replace(file.name, kept)
    for name in _FIELDS:
        getattr(made, name).setflags(write=False)
    return made


def photographed(surface: Surface) -> Pixels:
    """A surface as the capture rig's camera sees it, linear RGB."""
    return decode_srgb(camera.photograph(surface, camera.Shot(), np.random.default_rng(1)))


_FIELDS = ("height", "albedo", "roughness", "metallic")


class ArraySource:
    """Linear pixels as the source of an evaluation."""

    def __init__(self, pixels: Pixels, key: str = "array") -> None:
        self._pixels = np.ascontiguousarray(pixels, np.float32)
        # By what it holds: evaluations share what they made.
        self.key = f"{key}-{hashlib.blake2b(self._pixels.tobytes(), digest_size=12).hexdigest()}{pixels.shape}"
        self.height, self.width = pixels.shape[:2]
        self.reads = 0

    def read(self, level: int, *, data: bool = False, **_: str) -> Raster:
        self.reads += 1
        return Raster(shrink(self._pixels, 1 << level) if level else self._pixels)

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


# What evaluations of one process made, by content key: tests of a module mostly change a setting or two of one picture.
# Modules of one run share the plans.
_MADE = Memory(800_000_000, persistent=DecisionCache(Path(_SHARE)) if _SHARE else None)


def evaluation(pixels: Pixels, memory: Memory | None = None, **changes: Any) -> Evaluation:
    """An evaluation of pixels with changed settings; dots in names are written as two underscores. memory: one of its
    own, for whoever counts or replaces what is computed; the others share one."""
    recipe = Recipe().with_changes({name.replace("__", "."): value for name, value in changes.items()})
    return Evaluation(recipe, ArraySource(pixels), memory or _MADE)


def bracketed(surface: Surface, shot: camera.Shot, **changes: Any) -> Evaluation:
    """An evaluation of an exposure bracket of a surface, two stops apart; changes as in evaluation()."""
    # Glints may burn out in the middle one.
    white = float(np.percentile(camera.light_of(surface, shot), 98.0))
    files, frames = {}, []
    for number, stops in enumerate((0.0, -2.0, -4.0, 2.0), 1):
        taken = replace(shot, white=white, exposure=shot.exposure * 2.0**stops)
        codes = camera.photograph(surface, taken, np.random.default_rng(number))
        name = f"{number:016x}"
        files[name] = ArraySource(decode_srgb(codes), name)
        frames.append({"file": name, "stops": stops})
    changes = {"gather.merge.frames": frames, "gather.merge.align": False, **changes}
    recipe = Recipe().with_changes({name.replace("__", "."): value for name, value in changes.items()})
    return Evaluation(recipe, next(iter(files.values())), Memory(800_000_000), files=files)


def stroke(radius: float, *places: float, **more: Any) -> dict[str, Any]:
    """A stroke as settings hold it. places: x, y, x, y, …; radius 0 is an area."""
    return {"radius": radius, "points": [list(pair) for pair in zip(places[::2], places[1::2], strict=True)], **more}


def size_of(pixels: int) -> dict[str, int]:
    """The settings that make square maps of a size."""
    return {"square__size__width": pixels, "square__size__height": pixels}


def squared_up(proposal: Proposal) -> dict[str, float]:
    """The settings that follow proposed corners."""
    ends = [f"{corner}_{axis}" for corner in CORNERS for axis in "xy"]
    places = [min(max(value, 0.0), 100.0) for corner in proposal.corners for value in corner]
    return {f"square.flat.{end}": value for end, value in zip(ends, places, strict=True)}


def frame(width: int, height: int | None = None, *, wraps: bool = True, tile_mm: float | None = None) -> Frame:
    return Frame(width, height or width, float(width), wraps, tile_mm)


def bumps(side: int = 128, count: int = 40, seed: int = 3) -> Pixels:
    """A made-up height field in [0, 1] whose edges meet."""
    rng = np.random.default_rng(seed)
    along = np.arange(side) / side
    field = np.zeros((side, side))
    for _ in range(count):
        x, y, radius = rng.random(), rng.random(), rng.uniform(0.03, 0.12)
        across, down = (np.exp(-((((along - at + 0.5) % 1 - 0.5) / radius) ** 2) / 2) for at in (x, y))
        field += rng.uniform(0.4, 1) * down[:, None] * across
    return ((field - field.min()) / (field.max() - field.min())).astype(np.float32)


def wall(
    side: int = 600, across: int = 6, down: int = 10, seed: int = 1, turn: float = 0.0, spread: float = 0.08
) -> Pixels:
    """Bricks whose tone differs by spread in a running bond, pale joints 8 px wide. Linear RGB, (side, side, 3); not
    turned, with an even number down, its edges meet."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:side, 0:side].astype(np.float64)
    x, y = x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)
    wide, high = side / across, side / down
    row = np.floor(y / high)
    x = x + (row % 2) * wide / 2
    column = np.floor(x / wide)
    tones = 0.16 + spread * rng.uniform(-0.5, 0.5, (64, 64))
    tone = tones[row.astype(int) % 64, column.astype(int) % (across if turn == 0 else 64)]
    away = np.minimum(np.minimum(x % wide, wide - x % wide), np.minimum(y % high, high - y % high))
    field = np.where(away < 4, 0.45, tone) * rng.normal(1, 0.05, (side, side))
    colour = cv2.GaussianBlur(field, (0, 0), 1.0)[..., None] * np.array([1.0, 0.75, 0.6])
    return colour.astype(np.float32)


def encoded(codes: NDArray[Any], format: str = "PNG", **options: Any) -> bytes:
    """File bytes of 8-bit codes."""
    stream = io.BytesIO()
    Image.fromarray(codes).save(stream, format, **options)
    return stream.getvalue()


@contextmanager
def temporary_library() -> Iterator[Library]:
    """A library on a database and blobs of its own; what it made others may have made before."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        database = open_database(folder)
        with database.connection_context():
            yield Library(database, open_blobs(folder), _MADE)


def psnr(one: NDArray[Any], other: NDArray[Any], top: float = 255.0) -> float:
    error = float(np.mean((one.astype(np.float64) - other.astype(np.float64)) ** 2))
    return 99.0 if error == 0 else 10 * float(np.log10(top * top / error))


# So many times as long as on a quiet machine anything may take before it counts as stuck.
BUSY = 4


def retry(check: Callable[[], bool], seconds: float = 30.0) -> None:
    """Waits until check() holds, on a busy machine BUSY times as long as on a quiet one and longer. Raises TimeoutError."""
    began = time.monotonic()
    while not check():
        if not within(time.monotonic() - began, BUSY * seconds):
            raise TimeoutError("it did not happen in time")
        time.sleep(0.05)


def within(took: float, seconds: float) -> bool:
    """Whether something that took so many seconds by the clock just now would have taken less than that on a machine
    of its own."""
    return took < seconds or took < seconds * _busyness()


@contextmanager
def limited(seconds: float) -> Iterator[None]:
    """What it holds ends within so many seconds on a machine of its own. What it waits for may be waited for BUSY times
    as long: how busy the machine is, is told after. Raises AssertionError."""
    began = time.monotonic()
    yield
    took = time.monotonic() - began
    if not within(took, seconds):
        raise AssertionError(f"it took {took:.1f} s; at most {seconds:g} were given")


def _busyness() -> float:
    """How many times as long as on a machine of its own things take now, at least 1: a loop by the clock against the
    same by its processor."""
    clock, processor = time.monotonic(), time.thread_time()
    while time.thread_time() - processor < 0.2:
        pass
    return max(1.0, (time.monotonic() - clock) / 0.2)
