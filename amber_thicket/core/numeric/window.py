"""A window of a picture whose edges meet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Window:
    """A window of the tile that may lie over its edges: left, top, width, height in px."""

    left: int
    top: int
    width: int
    height: int

    def on(self, shape: tuple[int, ...]) -> tuple[NDArray[np.intp], ...]:
        """Indices of its pixels in an array of that shape."""
        y = np.arange(self.top, self.top + self.height) % shape[0]
        x = np.arange(self.left, self.left + self.width) % shape[1]
        return np.ix_(y, x)

    def further(self, dx: int, dy: int) -> Window:
        """The window so much further on."""
        return Window(self.left + dx, self.top + dy, self.width, self.height)

    def wider(self, margin: int) -> Window:
        """The window with a margin on every side."""
        return Window(self.left - margin, self.top - margin, self.width + 2 * margin, self.height + 2 * margin)

    @property
    def as_tuple(self) -> tuple[int, int, int, int]:
        return self.left, self.top, self.width, self.height
