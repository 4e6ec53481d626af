"""What the routes stand on: one set a web process, reached through the app."""

from __future__ import annotations

import contextlib
import sqlite3
import threading
import time
from collections import OrderedDict
from collections.abc import Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, cast

from flask import current_app

from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.jobs.manager import JobManager
from amber_thicket.service import preview
from amber_thicket.service.library import Library
from amber_thicket.store.disk import Disk
from amber_thicket.store.lock import FolderLock
from amber_thicket.web.config import Config
from amber_thicket.web.events import Events
from amber_thicket.web.guard import Guard
from amber_thicket.web.housekeeping import Housekeeping
from amber_thicket.web.metrics import Metrics

if TYPE_CHECKING:
    from amber_thicket.web.demo_making import DemoMaking
    from amber_thicket.web.watching import Watching

# What pages ask for behind their pictures; an edit calls it off.
FOLLOWING = ("strip", "figures", "checks", "next")
# Seconds between two words about how far something is.
_EVERY = 0.2


@dataclass
class Slots:
    """The newest request of each view; a newer one calls the older off."""

    _held: dict[str, Cancel] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def take(self, slot: str | None) -> Cancel:
        cancel = Cancel()
        if slot:
            with self._lock:
                older = self._held.pop(slot, None)
                self._held[slot] = cancel
                while len(self._held) > 256:
                    self._held.pop(next(iter(self._held)))
            if older:
                older.cancel()
        return cancel

    def call_off(self, *slots: str) -> None:
        """What is on its way there is wanted no longer."""
        with self._lock:
            held = [self._held.pop(slot, None) for slot in slots]
        for cancel in held:
            if cancel:
                cancel.cancel()

    def call_off_all(self) -> None:
        """The program ends."""
        self.call_off(*list(self._held))


class PreviewPrefetcher:
    """Makes what a page will look at next while the answer to its edit is still on its way."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="ahead")

    def make(self, evaluation: Evaluation, layers: list[str], side: int = PLAN_SIDE) -> Future[bytes]:
        """The JPEG of the first layer, under way; the others are warmed after it. side: px, of the preview."""
        first = self._pool.submit(preview.picture, evaluation, layers[0], kind="jpg", side=side)
        first.add_done_callback(lambda _: self._warm(evaluation, layers[1:], side))
        return first

    def _warm(self, evaluation: Evaluation, layers: list[str], side: int) -> None:
        # Whatever goes wrong here is told when the page asks for the picture.
        with contextlib.suppress(Exception):
            for layer in layers:
                preview.picture(evaluation, layer, kind="jpg", side=side)


class GestureFollower:
    """The states a material went through. Layers of those that a drag passed through, or that lie some changes back,
    make room for the next ones: a block that is free already costs nothing, and a fresh one as much as most of what is
    done in it. Decisions, which are small and may have taken long, stay."""

    _MATERIALS, _KEPT = 16, 4

    def __init__(self, memory: Memory) -> None:
        self._memory = memory
        self._states: OrderedDict[str, list[tuple[str, Evaluation]]] = OrderedDict()
        self._lock = threading.Lock()

    def follow(self, material_id: str, gesture: str, evaluation: Evaluation) -> None:
        """evaluation: of the state that a change leads to. gesture: names the drag; "" for a change by itself."""
        with self._lock:
            states = self._states.pop(material_id, [])
            passed = []
            # The last state is still looked at while the new one is made, so it is the one before it that goes.
            if gesture and [name for name, _ in states[-2:]] == [gesture, gesture]:
                passed.append(states.pop(-2)[1])
            if len(states) > self._KEPT:
                passed.append(states.pop(0)[1])
            self._states[material_id] = [*states, (gesture, evaluation)]
            while len(self._states) > self._MATERIALS:
                self._states.popitem(last=False)
        if passed:
            held = set().union(*(state.known_keys() for _, state in states))
            self._memory.drop(set().union(*(state.known_keys() for state in passed)) - held)


class IssuedKeys:
    """Keys of pictures that were told to pages, the last of them: one of a state that has passed is told from one that
    never was."""

    _KEPT = 20_000

    def __init__(self) -> None:
        self._keys: OrderedDict[tuple[str, str], None] = OrderedDict()
        self._lock = threading.Lock()

    def note(self, material_id: str, keys: Iterable[str]) -> None:
        with self._lock:
            for key in keys:
                self._keys.pop((material_id, key), None)
                self._keys[material_id, key] = None
            while len(self._keys) > self._KEPT:
                self._keys.popitem(last=False)

    def knows(self, material_id: str, key: str) -> bool:
        with self._lock:
            return (material_id, key) in self._keys


@dataclass
class Services:
    config: Config
    library: Library
    jobs: JobManager
    events: Events
    door: Guard
    disk: Disk
    lock: FolderLock
    housekeeping: Housekeeping
    metrics: Metrics
    held: sqlite3.Connection
    watching: Watching | None = None
    demo_making: DemoMaking | None = None
    slots: Slots = field(default_factory=Slots)
    ahead: PreviewPrefetcher = field(default_factory=PreviewPrefetcher)
    issued: IssuedKeys = field(default_factory=IssuedKeys)

    def __post_init__(self) -> None:
        self.passing = GestureFollower(self.library.memory)

    def end_work(self) -> None:
        """Call off what is under way and hand jobs back."""
        self.slots.call_off_all()
        self.housekeeping.stop()
        if self.watching:
            self.watching.stop()
        if self.demo_making:
            self.demo_making.stop()
        self.jobs.stop()

    def close(self) -> None:
        """End everything and let the folder go. May be called twice."""
        self.events.close()
        self.end_work()
        self.held.close()
        self.lock.release()

    def call_off_following(self, material_id: str) -> None:
        """Where something changes, the page asks anew for what follows its pictures; until then it would only take time
        from them."""
        self.slots.call_off(*(f"{material_id}/{slot}" for slot in FOLLOWING))

    def watched(self, material_id: str, evaluation: Evaluation) -> Evaluation:
        """The same; pages hear how far its long decisions are, a few times a second at most."""
        told = [0.0]

        def tell(share: float, what: str) -> None:
            now = time.monotonic()
            if now - told[0] >= _EVERY:
                told[0] = now
                self.events.announce("working", {"id": material_id, "share": round(share, 3), "what": what})

        evaluation.told = tell
        return evaluation


def services() -> Services:
    return cast(Services, current_app.extensions["thicket"])
