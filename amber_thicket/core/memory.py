"""Results by content key, one computation a key, and the flag that calls work off."""

from __future__ import annotations

import math
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any, Protocol, TypeVar

from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.errors import Cancelled

Value = TypeVar("Value")

# What takes fewer bytes than this share of the limit stays as long as larger things can leave: a decision is small, and
# making it again is not.
_SMALL = 1 / 256
# Seconds after which somebody who waits looks up whether it is still wanted.
_LOOK_UP = 0.2
# What took fewer seconds is sooner made again than looked for.
_WORTH_KEEPING = 0.25
# Layers of fewer bytes stay in memory where others are spilled.
LEAST_SPILLED = 64_000_000


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


class PersistentCache(Protocol):
    """Where values stay that took long to make, beyond this process."""

    def read(self, key: str) -> Any:
        """What was kept under a key; None where nothing is."""
        ...

    def write(self, key: str, value: Any) -> None:
        """Keep a value, if that is possible. Raises nothing."""
        ...


class SpilledPixels(Protocol):
    """Pixels that lie in a file until somebody looks at them."""

    def open(self) -> Pixels:
        """The pixels, mapped from the file: they take memory from when they are looked at until nobody has them."""
        ...


class Spill(Protocol):
    """Where layers lie that would not all fit into memory."""

    def write(self, pixels: Pixels) -> SpilledPixels:
        """Put pixels into a file. Raises WriteFailed where there is no room for them."""
        ...


@dataclass(frozen=True)
class _Spilled:
    """A layer without its pixels, and where those are."""

    told: Raster
    pixels: SpilledPixels
    nbytes: int

    def open(self) -> Raster:
        return replace(self.told, pixels=self.pixels.open())


def _opened(kept: Any) -> Any:
    return kept.open() if isinstance(kept, _Spilled) else kept


def nbytes(value: Any) -> int:
    """Memory held by a cached value, roughly."""
    if isinstance(value, tuple):
        return sum(nbytes(part) for part in value) + 64
    return int(getattr(value, "nbytes", 256))


def _held_by(value: Any) -> int:
    """What tells values apart that hold the very same pixels: an operation with nothing to do hands on what it got."""
    pixels = getattr(value, "pixels", value)
    base = getattr(pixels, "base", None)
    return id(pixels if base is None else base)


class Memory:
    """Results by content key; the least recently used leave when the bytes run over. Thread-safe.

    Two callers that ask for one key at once share one computation. largest_passing: bytes up to which a picture is kept
    that was made only to make a smaller one of it. persistent: where small things that took long are kept beyond this
    process. spill: where layers go once more room was asked for than most_in_memory, bytes.
    """

    def __init__(
        self,
        limit: int,
        *,
        largest_passing: float = math.inf,
        persistent: PersistentCache | None = None,
        spill: Spill | None = None,
        most_in_memory: float = math.inf,
    ) -> None:
        self._limit = limit
        self._persistent = persistent
        self._spill, self._most_in_memory = spill, most_in_memory
        self.largest_passing = largest_passing
        self._held = 0
        self._values: OrderedDict[str, Any] = OrderedDict()
        # The large ones among them with their bytes, in the same order, and all of those together.
        self._large: OrderedDict[str, int] = OrderedDict()
        self._in_large = 0
        # How many keys hold the same pixels, and the bytes those were counted with.
        self._owned: dict[int, tuple[int, int]] = {}
        self._busy: dict[str, threading.Event] = {}
        self._lock = threading.Lock()

    def get(self, key: str, compute: Callable[[], Value], check: Callable[[], None] | None = None) -> Value:
        """The value of key, computed at most once at a time. An error goes to its own caller; others try again.

        check: called now and then while another caller computes it; it may raise to stop waiting.
        """
        while True:
            with self._lock:
                if key in self._values:
                    self._values.move_to_end(key)
                    if key in self._large:
                        self._large.move_to_end(key)
                    kept: Value = _opened(self._values[key])
                    return kept
                waiting = self._busy.get(key)
                if waiting is None:
                    self._busy[key] = threading.Event()
                    break
            while not waiting.wait(_LOOK_UP):
                if check:
                    check()
        try:
            kept = self._placed(compute())
            self._keep(key, kept)
            value: Value = _opened(kept)
            return value
        finally:
            with self._lock:
                self._busy.pop(key).set()

    def get_persistent(self, key: str, compute: Callable[[], Value], check: Callable[[], None] | None = None) -> Value:
        """The same for what is small and may take long: the persistent cache has it, or gets it."""
        persistent = self._persistent
        if persistent is None:
            return self.get(key, compute, check)

        def found() -> Value:
            kept: Value | None = persistent.read(key)
            if kept is not None:
                return kept
            began = time.perf_counter()
            value = compute()
            if time.perf_counter() - began >= _WORTH_KEEPING:
                persistent.write(key, value)
            return value

        return self.get(key, found, check)

    def known(self, key: str) -> Any:
        """What is kept under a key; None where nothing is, or it is still being made."""
        with self._lock:
            kept = self._values.get(key)
        return _opened(kept)

    @property
    def is_spilling(self) -> bool:
        """Whether layers go to files: more room was asked for than there is in memory."""
        return self._spill is not None and self._limit > self._most_in_memory

    def _placed(self, value: Any) -> Any:
        """A value as it is kept: a large layer in a file, where there is no room for all."""
        if not self.is_spilling or not isinstance(value, Raster) or value.nbytes < LEAST_SPILLED:
            return value
        assert self._spill is not None
        # Not a view of the pixels, which would hold them.
        nothing = value.pixels[:0].copy()
        return _Spilled(replace(value, pixels=nothing), self._spill.write(value.pixels), value.nbytes)

    def _keep(self, key: str, value: Any) -> None:
        size = nbytes(value)
        with self._lock:
            if size > self._limit:
                return
            if key in self._values:
                self._let_go(key)
            self._values[key] = value
            if size > self._limit * _SMALL:
                self._large[key] = size
                self._in_large += size
            keys, counted = self._owned.get(_held_by(value), (0, size))
            self._owned[_held_by(value)] = keys + 1, counted
            self._held += 0 if keys else size
            while self._held > self._limit:
                self._let_go(self._next_to_leave())

    def _let_go(self, key: str) -> None:
        owner = _held_by(self._values[key])
        keys, counted = self._owned.pop(owner)
        if keys > 1:
            self._owned[owner] = keys - 1, counted
        else:
            self._held -= counted
        self._in_large -= self._large.pop(key, 0)
        del self._values[key]

    def drop(self, keys: Iterable[str]) -> None:
        """Lets values go that nobody will ask for again; what is not there is passed over."""
        with self._lock:
            for key in keys:
                if key in self._values:
                    self._let_go(key)

    def _next_to_leave(self) -> str:
        """The key not used for longest, of the large values as long as those hold half of all."""
        small = self._held - self._in_large
        return next(iter(self._large if self._large and small < self._limit / 2 else self._values))

    @property
    def held(self) -> int:
        """Bytes of what is kept."""
        return self._held

    def at_least(self, limit: int) -> None:
        """Raises the limit to so many bytes where it is lower."""
        with self._lock:
            self._limit = max(self._limit, limit)

    def clear(self) -> None:
        with self._lock:
            self._values.clear()
            self._owned.clear()
            self._large.clear()
            self._held = self._in_large = 0
