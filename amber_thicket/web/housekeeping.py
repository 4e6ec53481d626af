"""What is looked after while the program runs: the reserve on the disk, memory, old results, files that nobody uses."""

from __future__ import annotations

import logging
import math
import sqlite3
import threading
import time

from peewee import DatabaseError

from amber_thicket.blocks import give_back
from amber_thicket.service.library import Library
from amber_thicket.service.space import collect, let_results_go
from amber_thicket.store.disk import Disk
from amber_thicket.store.models import using

_EVERY_SECONDS, _DAY = 10.0, 86_400.0
# The first look waits until pages that were open are served again.
_FIRST_SECONDS = 20.0
# Without a request for so long, what is freed goes back to the system.
_QUIET_SECONDS = 20.0
log = logging.getLogger(__name__)


class Housekeeping:
    """Runs in a thread of its own: disk and memory every few seconds, everything else at start and daily."""

    def __init__(
        self, library: Library, disk: Disk, *, days: float, most_bytes: int, idle_seconds: float = math.inf
    ) -> None:
        self._library = library
        self._disk = disk
        self._days = days
        self._most_bytes = most_bytes
        self._idle_seconds = idle_seconds
        self._used = time.monotonic()
        # What was done since the last request.
        self._gave_back = self._let_go = False
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="housekeeping", daemon=True)

    def start(self) -> None:
        self._disk.reserve()
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()

    def _keep(self) -> None:
        due = time.monotonic() + _FIRST_SECONDS
        while not self._stop.wait(_EVERY_SECONDS):
            self._disk.reserve()
            self.rest(time.monotonic())
            if time.monotonic() >= due:
                due = time.monotonic() + _DAY
                self.clean()

    def note_use(self) -> None:
        """Somebody works: what is kept is kept."""
        self._used = time.monotonic()
        self._gave_back = self._let_go = False

    def rest(self, now: float) -> None:
        """What is done while nobody works: freed memory goes back, and after a while what was kept as well."""
        quiet = now - self._used
        if quiet >= self._idle_seconds and not self._let_go:
            self._library.memory.clear()
            give_back()
            self._let_go = self._gave_back = True
        elif quiet >= _QUIET_SECONDS and not self._gave_back:
            give_back()
            self._gave_back = True

    def clean(self) -> None:
        """Forget old results and delete what nobody uses."""
        try:
            with using(self._library.database):
                let_results_go(self._library, days=self._days, most_bytes=self._most_bytes)
                collect(self._library)
        except (OSError, DatabaseError, sqlite3.DatabaseError) as error:
            log.warning("what nobody uses could not be deleted: %s", error)
