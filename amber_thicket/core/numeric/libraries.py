"""Libraries that take long to import, loaded when something of them is first used.

What only knows recipes and settings never waits for them (`amber-thicket settings`, migrations, the queue's front end).
Modules of the core take cv2 and scipy from here; an import contract holds them to it.
"""

from __future__ import annotations

from importlib import import_module
from typing import Any


class Library:
    """A module that is imported when one of its names is first asked for."""

    def __init__(self, name: str) -> None:
        self.__name__ = name

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        value = getattr(import_module(self.__name__), name)
        # From now on it is found without coming here.
        self.__dict__[name] = value
        return value


cv2: Any = Library("cv2")
fft: Any = Library("scipy.fft")
interpolate: Any = Library("scipy.interpolate")
optimize: Any = Library("scipy.optimize")
sparse: Any = Library("scipy.sparse")
csgraph: Any = Library("scipy.sparse.csgraph")
signal: Any = Library("scipy.signal")
special: Any = Library("scipy.special")
qmc: Any = Library("scipy.stats.qmc")
