"""How many of the levels that a file could tell are really used."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

_LEAST = 16


def levels(codes: NDArray[Any]) -> int:
    """How many different numbers there are. codes: any shape, unsigned."""
    return int(np.count_nonzero(np.bincount(codes.reshape(-1))))


def share_used(codes: NDArray[Any]) -> float:
    """Share of the levels between the 1st and the 99th hundredth that are used, 0..1; 1 where those are too near
    to each other to tell."""
    counts = np.bincount(codes.reshape(-1))
    below = np.cumsum(counts)
    low, high = (int(np.searchsorted(below, part * (codes.size - 1), side="right")) for part in (0.01, 0.99))
    return float(np.count_nonzero(counts[low : high + 1]) / (high - low + 1)) if high - low >= _LEAST else 1.0
