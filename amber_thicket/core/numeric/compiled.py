"""Compiled inner loops, all with the same options. The compiler is loaded when the first of them runs."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from threading import RLock
from typing import Any

_resolving = RLock()


class Kernel:
    """A function that becomes a compiled one when it first runs, or when another one that calls it does."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self.function = function
        self.options = options
        self._compiled: Any = None

    @property
    def compiled(self) -> Any:
        """What the compiler makes of it; it compiles for the types of a call, or loads what it kept on the disk."""
        if self._compiled is None:
            with _resolving:
                self._resolve()
        return self._compiled

    def _resolve(self) -> None:
        import numba

        known = self.function.__globals__
        # The compiler knows its own functions alone: those that this one calls are put in their places.
        for name in self.function.__code__.co_names:
            if isinstance(known.get(name), Kernel):
                known[name] = known[name].compiled
        if self._compiled is None:
            self._compiled = numba.njit(**self.options)(self.function)
            known[self.function.__name__] = self._compiled

    def __call__(self, *inputs: Any) -> Any:
        return self.compiled(*inputs)


def compiled(*, loose: bool = False, inline: bool = False) -> Callable[[Callable[..., Any]], Any]:
    """A function compiled for the types it is called with, kept on disk, that runs beside others.

    loose: sums may be taken in another order, and nothing is not-a-number. A division by 0 gives what IEEE 754 says: a
    loop that had to stop for it could not go through several pixels at once.
    """
    options = {
        "cache": True,
        "nogil": True,
        "fastmath": loose,
        "error_model": "numpy",
        "inline": "always" if inline else "never",
    }
    return partial(Kernel, options=options)
