"""Tells whoever waits how far a long computation is, and stops it when nobody does any more."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_Told = Callable[[float, str], None]
_listener: ContextVar[_Told | None] = ContextVar("listener", default=None)


@contextmanager
def progress_to(listener: _Told) -> Iterator[None]:
    """While inside, reached() calls listener(share done 0..1, what is being done); it may raise to stop the work."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)


def report_progress(share: float, what: str) -> None:
    """A long computation has come so far. Raises Cancelled when the result is no longer wanted."""
    listener = _listener.get()
    if listener:
        listener(share, what)


@contextmanager
def part_of_progress(first: float, last: float, what: str) -> Iterator[None]:
    """While inside, what is reported counts as this part of the whole, and is called that."""
    outer = _listener.get()
    with progress_to(lambda share, _: outer(first + share * (last - first), what) if outer else None):
        yield
