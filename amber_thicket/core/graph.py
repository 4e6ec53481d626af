"""Evaluates a recipe at a size: frames, content keys, memory, one computation a key, cancellation."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any, Protocol

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_LAYER
from amber_thicket.core.square.crop import fitted
from amber_thicket.core.square.view import View, view_of
from amber_thicket.errors import Cancelled

PLAN_SIDE = 768
_BEFORE_TILE = ("gather", "square", "even")


class Source(Protocol):
    """The capture a material starts from."""

    key: str
    width: int
    height: int

    def read(self, level: int) -> Raster:
        """Linear RGB float32, halved `level` times by area averaging."""
        ...


class Cancel:
    """A flag that work looks at between steps."""

    def __init__(self) -> None:
        self._set = threading.Event()

    def cancel(self) -> None:
        self._set.set()

    def check(self) -> None:
        """Raises Cancelled once cancel() was called."""
        if self._set.is_set():
            raise Cancelled("Called off.", remedy="Start it again when you need it.")


def nbytes(value: Any) -> int:
    """Memory held by a cached value, roughly."""
    if isinstance(value, tuple):
        return sum(nbytes(part) for part in value) + 64
    return int(getattr(value, "nbytes", 256))


class Memory:
    """Results by content key; the least recently used leave when the bytes run over. Thread-safe.

    Two callers that ask for one key at once share one computation.
    """

    def __init__(self, limit: int) -> None:
        self._limit = limit
        self._held = 0
        self._values: OrderedDict[str, Any] = OrderedDict()
        self._busy: dict[str, threading.Event] = {}
        self._lock = threading.Lock()

    def get(self, key: str, compute: Callable[[], Any]) -> Any:
        """The value of key, computed at most once at a time. An error goes to its own caller; others try again."""
        while True:
            with self._lock:
                if key in self._values:
                    self._values.move_to_end(key)
                    return self._values[key]
                waiting = self._busy.get(key)
                if waiting is None:
                    self._busy[key] = threading.Event()
                    break
            waiting.wait()
        try:
            value = compute()
            self._keep(key, value)
            return value
        finally:
            with self._lock:
                self._busy.pop(key).set()

    def _keep(self, key: str, value: Any) -> None:
        size = nbytes(value)
        with self._lock:
            if size > self._limit:
                return
            self._values[key] = value
            self._held += size
            while self._held > self._limit:
                _, gone = self._values.popitem(last=False)
                self._held -= nbytes(gone)

    def clear(self) -> None:
        with self._lock:
            self._values.clear()
            self._held = 0


@dataclass(frozen=True)
class Sizes:
    """Frames of one evaluation. work: the whole sample; tile: what repeats; level: how often the source is halved."""

    work: Frame
    tile: Frame
    level: int


def output_size(recipe: Recipe) -> tuple[int, int]:
    """(width, height) in pixels of the finished maps."""
    size = recipe.settings("square.size")
    return size.width, size.height


def fit_side(recipe: Recipe, side: int) -> tuple[int, int]:
    """The output's size scaled so that its longer side is `side`."""
    width, height = output_size(recipe)
    longer = max(width, height)
    return max(1, width * side // longer), max(1, height * side // longer)


class Evaluation:
    """One recipe on one source. Holds no pixels of its own: all go through the shared memory."""

    def __init__(self, recipe: Recipe, source: Source, memory: Memory, cancel: Cancel | None = None) -> None:
        self.recipe = recipe
        self.source = source
        self.memory = memory
        self.cancel = cancel or Cancel()
        self._keys: dict[tuple[str, Sizes], str] = {}

    def sizes(self, size: tuple[int, int]) -> Sizes:
        """Frames for a tile of (width, height) pixels."""
        join = self.recipe.settings("tile.join")
        over = (0.0, 0.0) if join.method == "none" else (join.overlap_x / 100, join.overlap_y / 100)
        width, height = size
        sample_mm = self.recipe.settings("square.size").sample_mm
        work_width, work_height = width + round(width * over[0]), height + round(height * over[1])
        tile_mm = sample_mm * width / work_width if sample_mm else None
        work = Frame(work_width, work_height, float(width), False, tile_mm)
        return Sizes(work, Frame(width, height, float(width), True, tile_mm), self._level(work))

    def picture_size(self) -> tuple[int, int]:
        """(width, height) of the capture after it is turned the right way up."""
        turned = self.recipe.settings("gather.orient").turn in ("90", "270")
        return (self.source.height, self.source.width) if turned else (self.source.width, self.source.height)

    def view(self) -> View:
        """How the flattened picture looks into the capture."""
        return view_of(self.recipe.settings("square.flat"), self.recipe.settings("square.lens"), self.picture_size())

    def sample_box(self, work: Frame) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the sample in pixels of the flattened picture."""
        return fitted(self.recipe.settings("square.crop"), self.view().size, work.width / work.height)

    def _level(self, work: Frame) -> int:
        view, box = self.view(), self.sample_box(work)
        level, scale = 0, (box[2] - box[0]) / work.width if view.plain else view.scales(box, work.width)[0]
        while scale >= 2:
            level, scale = level + 1, scale / 2
        return level

    def _frame(self, operation: Operation, sizes: Sizes) -> Frame:
        if operation.stage == "gather":
            width, height = self.picture_size()
            return Frame(width >> sizes.level, height >> sizes.level, float(sizes.tile.width), False)
        return sizes.work if operation.stage in _BEFORE_TILE else sizes.tile

    def key(self, layer: str, size: tuple[int, int]) -> str:
        """The content key of a layer: same key, same pixels."""
        return self._key(layer, self.sizes(size))

    def _key(self, layer: str, sizes: Sizes) -> str:
        known = self._keys.get((layer, sizes))
        if known is None:
            known = self._keys[layer, sizes] = self._made_key(layer, sizes)
        return known

    def _made_key(self, layer: str, sizes: Sizes) -> str:
        if layer == "photo":
            return f"{self.source.key}/{sizes.level}"
        operation = BY_LAYER[layer]
        settings = self.recipe.settings(operation.id)
        if operation.idle and operation.idle(settings):
            return self._key(operation.reads[0], sizes)
        parts = [operation.id, operation.version, settings.model_dump(), asdict(self._frame(operation, sizes))]
        parts += [self.recipe.settings(other).model_dump() for other in operation.also]
        parts += [self._key(name, sizes) for name in operation.reads]
        if operation.decide:
            parts.append(self._decided_key(operation))
        return _digest(parts)

    def _plan_sizes(self) -> Sizes:
        return self.sizes(fit_side(self.recipe, PLAN_SIDE))

    def _decided_key(self, operation: Operation) -> str:
        sizes = self._plan_sizes()
        settings = self.recipe.settings(operation.id).model_dump()
        if operation.decides_by is not None:
            settings = {name: settings[name] for name in operation.decides_by}
        parts = ["decide", operation.id, operation.version, settings]
        return _digest(parts + [self._key(name, sizes) for name in operation.reads])

    def decided(self, operation: Operation) -> Any:
        """What the operation decided at plan size; the same for every output size."""
        assert operation.decide is not None
        decide = operation.decide
        sizes = self._plan_sizes()

        def compute() -> Any:
            inputs = [self._layer(name, sizes) for name in operation.reads]
            self.cancel.check()
            settings = self.recipe.settings(operation.id).model_dump()
            return decide(*inputs, frame=self._frame(operation, sizes), **settings)

        return self.memory.get(self._decided_key(operation), compute)

    def layer(self, name: str, size: tuple[int, int]) -> Raster:
        """A layer for a tile of (width, height) pixels. Raises Cancelled."""
        return self._layer(name, self.sizes(size))

    def gathered(self, side: int) -> Raster:
        """The whole capture, the right way up, halved until its longer side is under twice `side`."""
        level = 0
        while max(self.picture_size()) >> level >= 2 * side:
            level += 1
        plan = self._plan_sizes()
        return self._layer("gathered", Sizes(plan.work, plan.tile, level))

    def gathered_key(self, side: int) -> str:
        """The content key of gathered(side)."""
        turn = self.recipe.settings("gather.orient").model_dump()
        return _digest([self.source.key, turn, side])

    def _layer(self, name: str, sizes: Sizes) -> Raster:
        if name == "photo":
            return self.memory.get(self._key(name, sizes), lambda: self.source.read(sizes.level))  # type: ignore[no-any-return]
        operation = BY_LAYER[name]
        settings = self.recipe.settings(operation.id)
        if operation.idle and operation.idle(settings):
            return self._layer(operation.reads[0], sizes)

        def compute() -> Raster:
            self.cancel.check()
            inputs = [self._layer(read, sizes) for read in operation.reads]
            options: dict[str, Any] = settings.model_dump()
            options |= {other.split(".")[1]: self.recipe.settings(other) for other in operation.also}
            if operation.decide:
                options["decided"] = self.decided(operation)
            self.cancel.check()
            assert operation.apply is not None
            return operation.apply(*inputs, frame=self._frame(operation, sizes), **options)

        return self.memory.get(self._key(name, sizes), compute)  # type: ignore[no-any-return]


def _digest(parts: list[Any]) -> str:
    return hashlib.sha256(json.dumps(parts, sort_keys=True, default=str).encode()).hexdigest()[:32]
