"""Server-sent events. Streams live on the event loop, not on the threads that answer requests, so that hundreds of open
pages cost nothing but their sockets. Source: WHATWG HTML, section 9.2 (server-sent events)."""

from __future__ import annotations

import asyncio
import json
import secrets
import threading
from collections import deque
from collections.abc import AsyncIterator
from typing import Any, NamedTuple

_KEPT = 400
_QUIET_SECONDS = 10.0


class _Event(NamedTuple):
    number: int
    kind: str
    data: str


class Events:
    """What happened last, numbered; every open page gets what is newer than what it has."""

    def __init__(self, *, most_streams: int = 2000) -> None:
        # Numbers begin anew with every start, so they are told apart by a name for the start.
        self._start = secrets.token_hex(4)
        self._number = 0
        self._kept: deque[_Event] = deque(maxlen=_KEPT)
        self._lock = threading.Lock()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._waiting: set[asyncio.Event] = set()
        self._closed = False
        self._most_streams = most_streams

    @property
    def streams(self) -> int:
        """How many streams are open."""
        return len(self._waiting)

    @property
    def full(self) -> bool:
        """Whether no more streams are opened; pages ask from time to time then."""
        return self._closed or len(self._waiting) >= self._most_streams

    def announce(self, kind: str, data: dict[str, Any]) -> None:
        """Tell every page. Thread-safe; waits for nobody."""
        text = json.dumps(data)
        with self._lock:
            self._number += 1
            self._kept.append(_Event(self._number, kind, text))
            loop = self._loop
        if loop:
            self._call(loop)

    def close(self) -> None:
        """End all streams."""
        self._closed = True
        if self._loop:
            self._call(self._loop)

    def _call(self, loop: asyncio.AbstractEventLoop) -> None:
        try:
            loop.call_soon_threadsafe(self._wake)
        except RuntimeError:
            # The loop has ended, and its streams with it.
            self._loop = None

    def _wake(self) -> None:
        for waiting in self._waiting:
            waiting.set()

    def since(self, mark: str) -> dict[str, Any]:
        """What is newer than a mark of an earlier answer: {"mark", "events", "missed"}. missed: more may have happened
        than is told."""
        events, missed = self._after(self._number_of(mark))
        told = [{"kind": event.kind, "data": json.loads(event.data)} for event in events]
        return {"mark": self._mark(self._number), "events": told, "missed": missed}

    def _mark(self, number: int) -> str:
        return f"{self._start}-{number}"

    def _number_of(self, mark: str) -> int | None:
        start, _, number = mark.partition("-")
        known = start == self._start and number.isascii() and number.isdigit() and len(number) < 18
        return int(number) if known else None

    def _after(self, number: int | None) -> tuple[list[_Event], bool]:
        with self._lock:
            if number is None or number > self._number:
                return [], True
            events = [event for event in self._kept if event.number > number]
            return events, self._number - number > len(events)

    async def stream(self, mark: str = "") -> AsyncIterator[bytes]:
        """Text of an event stream; a comment now and then shows that the line is alive. mark: the last one that was
        received, where a line comes back."""
        self._loop = asyncio.get_running_loop()
        woken = asyncio.Event()
        self._waiting.add(woken)
        at = self._number_of(mark)
        try:
            with self._lock:
                at = self._number if at is None or at > self._number else at
            yield f"retry: 1500\nid: {self._mark(at)}\n\n".encode()
            while not self._closed:
                woken.clear()
                events, missed = self._after(at)
                at = events[-1].number if events else at
                text = "event: missed\ndata: {}\n\n" if missed else ""
                text += "".join(
                    f"id: {self._mark(event.number)}\nevent: {event.kind}\ndata: {event.data}\n\n" for event in events
                )
                if text:
                    yield text.encode()
                try:
                    await asyncio.wait_for(woken.wait(), _QUIET_SECONDS)
                except TimeoutError:
                    yield b": quiet\n\n"
        finally:
            self._waiting.discard(woken)
