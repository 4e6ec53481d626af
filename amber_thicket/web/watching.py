"""Looks after the watched folder while the program runs, and tells the page what came of it."""

from __future__ import annotations

import logging
import threading
from typing import Any

from flask import Blueprint

from amber_thicket.jobs.manager import JobManager
from amber_thicket.service import answers, batches
from amber_thicket.service.library import Library
from amber_thicket.service.watched import WatchedFolder, describe_error, import_group
from amber_thicket.store.models import using
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.events import Events
from amber_thicket.web.services import services

blueprint = Blueprint("watching", __name__)
_EVERY_SECONDS = 2.0
log = logging.getLogger(__name__)


class Watching:
    """Runs in a thread of its own. batched: what came in is settled, checked and packed at once."""

    def __init__(
        self, folder: WatchedFolder, library: Library, jobs: JobManager, events: Events, *, batched: bool
    ) -> None:
        self.folder, self._library, self._jobs, self._events, self._batched = folder, library, jobs, events, batched
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="watching", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()

    def _watch(self) -> None:
        while not self._stop.wait(_EVERY_SECONDS):
            try:
                with using(self._library.database):
                    self.look()
            except Exception:
                log.exception("the watched folder could not be looked at")

    def look(self) -> int:
        """Takes what is new and whole: how many materials came of it."""
        made: list[str] = []
        for group in self.folder.ready_groups():
            if self._stop.is_set():
                break
            try:
                materials = import_group(self._library, group)
            except Exception as error:
                log.warning("%s was not taken: %s", ", ".join(path.name for path in group.files), describe_error(error))
                self.folder.done(group, 0, describe_error(error))
                # The page tells what was refused.
                self._events.announce("library", {"id": ""})
                continue
            self.folder.done(group, len(materials))
            made += [str(material.id) for material in materials]
            for material in materials:
                self._events.announce("library", {"id": material.id})
        if made and self._batched:
            batches.begin(self._library, self._jobs, made, batches.BatchOptions(), f"From {self.folder.folder.name}")
        return len(made)


@endpoint(blueprint, "GET", "/api/watched", answer=answers.Watched)
def watched() -> Any:
    """The folder that is watched, "" for none, what was taken from it, and what was not."""
    watching = services().watching
    if watching is None:
        return {"folder": "", "taken": 0, "refused": []}
    return {"folder": str(watching.folder.folder), "taken": watching.folder.taken, "refused": watching.folder.refused}
