"""Strangers' files are read in a small process of their own, with a limit of memory and of time, so that no file can
take the server with it. Where no such process was asked for (command line, tests), they are read here.

A request is a JSON line, with the file's bytes in anonymous memory beside it; answers come the same way: what is large
is not copied through a pipe. Sources: memfd_create(2), unix(7) SCM_RIGHTS, getrlimit(2).
"""

from __future__ import annotations

import contextlib
import logging
import os
import queue
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket import errors
from amber_thicket.errors import ServiceAway, ThicketError, UnreadableFile
from amber_thicket.formats import decode as here
from amber_thicket.formats.decode import AS_SHOT, REMEDY, Decoded, Develop
from amber_thicket.formats.scan import Scan, pack_beside
from amber_thicket.formats.wire import Frame, receive, send

# Seconds for a file, and for each megabyte of it: a small file that takes long is not worth waiting for.
_SECONDS, _SECONDS_A_MEGABYTE = 12.0, 0.6
_HELPERS = 2
log = logging.getLogger(__name__)


class _Died(Exception):
    """The helper ended without an answer."""


class _TookTooLong(Exception):
    """The helper was stopped because its time was up."""


class _Helper:
    """One helper process. Used by one thread at a time."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "amber_thicket.formats.helper", str(theirs.fileno())],
                pass_fds=[theirs.fileno()],
                stdin=subprocess.DEVNULL,
                # The libraries write there what they think of each damaged file.
                stderr=subprocess.DEVNULL,
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "PYTHONMALLOC": "malloc"},
            )
        self._line = ours

    @property
    def pid(self) -> int:
        return self._process.pid

    def ask(self, what: str, data: Sequence[bytes], arguments: dict[str, Any], seconds: float) -> Iterator[Frame]:
        """The frames of an answer, the last one without "more". Raises _Died, _TookTooLong."""
        try:
            self._line.settimeout(seconds)
            send(self._line, {"what": what, "arguments": arguments}, [np.frombuffer(part, np.uint8) for part in data])
            while True:
                frame = receive(self._line)
                if frame is None:
                    raise _Died
                yield frame
                if not frame.head.get("more"):
                    return
        except TimeoutError:
            raise _TookTooLong from None
        except (OSError, EOFError) as error:
            raise _Died from error

    def stop(self) -> None:
        self._line.close()
        self._process.kill()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(timeout=5)


class Apart:
    """A few helpers, kept warm; one that died is followed by another."""

    def __init__(self, helpers: int = _HELPERS) -> None:
        # Empty places are filled when they are first needed; the last one put back is the first one taken.
        self._free: queue.LifoQueue[_Helper | None] = queue.LifoQueue()
        for _ in range(helpers):
            self._free.put(None)
        self._all: set[_Helper] = set()
        self._lock = threading.Lock()

    def warm(self) -> None:
        """Start the first helper, so that the first file does not wait for it."""
        self._give_back(self._take())

    def _take(self) -> _Helper:
        helper = self._free.get()
        if helper is None:
            try:
                helper = _Helper()
            except OSError as error:
                self._free.put(None)
                raise ServiceAway(
                    f"No process for reading files could be started ({error.strerror}).",
                    remedy="The machine has no room for it just now; try again in a moment.",
                ) from None
            with self._lock:
                self._all.add(helper)
        return helper

    def _give_back(self, helper: _Helper | None) -> None:
        self._free.put(helper)

    def _lose(self, helper: _Helper) -> None:
        helper.stop()
        with self._lock:
            self._all.discard(helper)

    @property
    def pids(self) -> list[int]:
        """Process ids of the helpers there are."""
        with self._lock:
            return [helper.pid for helper in self._all]

    def ask(self, what: str, data: bytes, name: str, *, beside: bytes = b"", **arguments: Any) -> Iterator[Frame]:
        """The frames of the answer to one request. beside: bytes that go along. A helper that dies is replaced, and
        the request made once more, unless part of the answer is out already. Raises UnreadableFile for a file that no
        helper survives, and what the helper raised."""
        seconds = _SECONDS + _SECONDS_A_MEGABYTE * len(data) / 1e6
        arguments["name"] = name
        for attempt in (1, 2):
            helper, told = self._take(), False
            done = False
            try:
                for frame in helper.ask(what, [data, beside] if beside else [data], arguments, seconds):
                    # Whoever stops listening before the end leaves a helper in the middle of its answer.
                    done = not frame.head.get("more")
                    if "error" in frame.head:
                        raise _raised(frame.head["error"])
                    told = True
                    yield frame
                return
            except _TookTooLong:
                raise UnreadableFile(
                    f"{name} takes longer to read than a picture of its size.", remedy=REMEDY, file=name
                ) from None
            except _Died:
                log.warning("the helper that reads files ended while reading %s", name)
                if attempt == 2 or told:
                    raise UnreadableFile(
                        f"{name} cannot be read: the reader broke down over it.", remedy=REMEDY, file=name
                    ) from None
            finally:
                if not done:
                    self._lose(helper)
                self._give_back(helper if done else None)

    def stop(self) -> None:
        with self._lock:
            helpers, self._all = self._all, set()
        for helper in helpers:
            helper.stop()


def _raised(told: dict[str, Any]) -> ThicketError:
    kind = getattr(errors, told["class"])
    result: ThicketError = kind(told["message"], remedy=told["remedy"], **told["details"])
    return result


_apart: Apart | None = None


def use_helpers() -> Apart:
    """From now on strangers' files are read in processes of their own. Once a process."""
    global _apart
    if _apart is None:
        _apart = Apart()
    return _apart


def helpers() -> list[int]:
    """Process ids of the helpers there are."""
    return _apart.pids if _apart else []


def decode(data: bytes, name: str, kind: str, *, as_stored: bool = False, develop: Develop = AS_SHOT) -> Decoded:
    """As decode.decode(), in a helper where there are some."""
    if _apart is None:
        return here.decode(data, name, kind, as_stored=as_stored, develop=develop)
    how: dict[str, Any] = {"kind": kind, "as_stored": as_stored}
    (frame,) = _apart.ask("decode", data, name, white=develop.white, highlights=develop.highlights, **how)
    return _decoded(frame)


def read_radiance(data: bytes, name: str) -> Decoded:
    """As radiance.read_radiance(), in a helper where there are some."""
    if _apart is None:
        from amber_thicket.formats.radiance import read_radiance

        return read_radiance(data, name)
    (frame,) = _apart.ask("radiance", data, name)
    return _decoded(frame)


def read_scan(data: bytes, name: str, beside: Mapping[str, bytes] | None = None) -> Scan:
    """As scan.read_scan(), in a helper where there are some."""
    if _apart is None:
        from amber_thicket.formats.scan import read_scan

        return read_scan(data, name, beside)
    (frame,) = _apart.ask("scan", data, name, beside=pack_beside(beside or {}))
    points, faces, colours, texture = frame.arrays
    return Scan(points, faces, colours, texture, frame.head["metres"], tuple(frame.head["notes"]))


def entries(data: bytes, name: str) -> Iterator[tuple[str, bytes | UnreadableFile]]:
    """As unzip.read_entries(), in a helper where there are some."""
    if _apart is None:
        from amber_thicket.formats.unzip import read_entries

        yield from read_entries(data, name)
        return
    for frame in _apart.ask("entries", data, name):
        if "refused" in frame.head:
            yield frame.head["path"], UnreadableFile(frame.head["refused"], remedy="Left out.")
        elif "path" in frame.head:
            yield frame.head["path"], frame.arrays[0].tobytes()


def _decoded(frame: Frame) -> Decoded:
    arrays: list[NDArray[Any]] = frame.arrays
    head = frame.head
    quarter, mirror = head["turn"]
    alpha = arrays[1] if len(arrays) > 1 else None
    return Decoded(arrays[0], head["light"], alpha, head["bits"], (quarter, mirror), head["notes"], head["shot"])
