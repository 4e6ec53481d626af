"""What the routes stand on: one set a web process, reached through the app."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from typing import cast

from flask import current_app

from amber_thicket.core.graph import Cancel
from amber_thicket.jobs.desk import Desk
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


@dataclass
class Services:
    config: Config
    library: Library
    desk: Desk
    events: Events
    slots: Slots = field(default_factory=Slots)


def services() -> Services:
    return cast(Services, current_app.extensions["thicket"])
