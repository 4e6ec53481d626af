"""Server-sent events: one small queue a listener; a listener that cannot keep up loses the oldest."""

from __future__ import annotations

import json
import queue
import threading
from collections.abc import Iterator
from typing import Any

_LENGTH = 200
_QUIET_SECONDS = 10.0


class Events:
    """Sends what happens to every open page."""

    def __init__(self) -> None:
        self._listeners: set[queue.Queue[str]] = set()
        self._lock = threading.Lock()

    def announce(self, kind: str, data: dict[str, Any]) -> None:
        text = f"event: {kind}\ndata: {json.dumps(data)}\n\n"
        with self._lock:
            for listener in self._listeners:
                if listener.full():
                    listener.get_nowait()
                listener.put_nowait(text)

    def stream(self) -> Iterator[str]:
        """Text of the event stream; a comment now and then shows that the line is alive."""
        mine: queue.Queue[str] = queue.Queue(_LENGTH)
        with self._lock:
            self._listeners.add(mine)
        try:
            yield "retry: 1500\n\n"
            while True:
                try:
                    yield mine.get(timeout=_QUIET_SECONDS)
                except queue.Empty:
                    yield ": quiet\n\n"
        finally:
            with self._lock:
                self._listeners.discard(mine)
