"""The demo library, made by a process of its own while the library is open; the page tells how far it is."""

from __future__ import annotations

import logging
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

from flask import Blueprint

from amber_thicket.service import answers
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.events import Events
from amber_thicket.web.services import services

blueprint = Blueprint("demo_making", __name__)
_ENDS_WITHIN = 5.0
log = logging.getLogger(__name__)


class DemoMaking:
    """Starts `demo --make-only` on the data folder, and announces each material it made. It is ended with the program
    and goes on with the next start; a material of several photographs it was just making may stay half made."""

    def __init__(self, folder: Path, events: Events) -> None:
        self._command = [sys.executable, "-m", "amber_thicket.cli", "demo", "--make-only", "--data", str(folder)]
        self._events = events
        self._process: subprocess.Popen[str] | None = None
        self._ended = False
        self.saying = ""

    def start(self) -> None:
        self._process = subprocess.Popen(self._command, stdout=subprocess.PIPE, text=True)
        self.saying = "Looking what there is …"
        threading.Thread(target=self._follow, name="demo", daemon=True).start()

    def _follow(self) -> None:
        process = self._process
        assert process is not None
        assert process.stdout is not None
        for line in process.stdout:
            self.saying = line.strip()
            # What was said before is there by now.
            self._events.announce("library", {"id": ""})
        if process.wait() and not self._ended:
            log.error("the demo library was not made whole: %s", self.saying)
        self.saying = ""
        self._events.announce("library", {"id": ""})

    def stop(self) -> None:
        self._ended = True
        if self._process and self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(_ENDS_WITHIN)
            except subprocess.TimeoutExpired:
                self._process.kill()


@endpoint(blueprint, "GET", "/api/demo", answer=answers.DemoMaking)
def demo_making() -> Any:
    """What of the demo library is being made just now."""
    making = services().demo_making
    return {"saying": making.saying if making else ""}
