"""What the routes stand on: one set a web process, reached through the app."""

from __future__ import annotations

import contextlib
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import cast

from flask import current_app

from amber_thicket.core.graph import PLAN_SIDE, Cancel, Evaluation
from amber_thicket.jobs.desk import Desk
from amber_thicket.service import preview
from amber_thicket.service.library import Library
from amber_thicket.web.config import Config
from amber_thicket.web.events import Events


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


class Ahead:
    """Begins what a page will ask for next while the answer to its edit is still on its way."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="ahead")

    def make(self, evaluation: Evaluation, layers: list[str]) -> None:
        for layer in layers:
            self._pool.submit(self._one, evaluation, layer)

    @staticmethod
    def _one(evaluation: Evaluation, layer: str) -> None:
        # Whatever goes wrong here goes wrong again, and is told, when the page asks for it.
        with contextlib.suppress(Exception):
            if layer == "gathered":
                evaluation.gathered(PLAN_SIDE)
            else:
                evaluation.layer(layer, preview.preview_size(evaluation))


@dataclass
class Services:
    config: Config
    library: Library
    desk: Desk
    events: Events
    slots: Slots = field(default_factory=Slots)
    ahead: Ahead = field(default_factory=Ahead)


def services() -> Services:
    return cast(Services, current_app.extensions["thicket"])
