"""The values at given ranks, exactly, without sorting: counted in bins first, then looked for in a bin alone."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import WORKERS, over_rows
from amber_thicket.core.raster import Pixels

_BINS, _LEAST = 2048, 1e-30


def quantiles(values: Pixels, shares: Sequence[float]) -> list[float]:
    """The values below which these shares (0..1) of all values lie, nearest rank. values: float32, finite."""
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    low, high = float(flat.min()), float(flat.max())
    # What lies so near that bins could not be told apart is in one of them.
    scale = (np.float32(low), np.float32(_BINS / (high - low) if high - low > _LEAST else 0))
    ends = np.arange(WORKERS + 1) * flat.size // WORKERS
    counts = np.zeros((WORKERS, _BINS), np.int64)
    over_rows(partial(_count, flat, ends, *scale, counts), WORKERS, least=1)
    upto = np.append(0, counts.sum(axis=0).cumsum())
    found = []
    for share in shares:
        rank = round(share * (flat.size - 1))
        place = int(np.searchsorted(upto, rank, side="right")) - 1
        near = np.empty(int(upto[place + 1] - upto[place]), np.float32)
        starts = np.append(0, counts[:, place].cumsum())
        over_rows(partial(_gather, flat, ends, *scale, place, starts, near), WORKERS, least=1)
        within = rank - int(upto[place])
        found.append(float(np.partition(near, within)[within]))
    return found


@compiled(inline=True)
def _bin(value, low, steps):  # type: ignore[no-untyped-def]
    return min(np.int32((value - low) * steps), np.int32(_BINS - 1))


@compiled()
def _count(values, ends, low, steps, counts, first, last):  # type: ignore[no-untyped-def]
    for part in range(first, last):
        here, to = values[ends[part] : ends[part + 1]], counts[part]
        for i in range(len(here)):
            to[_bin(here[i], low, steps)] += 1


@compiled()
def _gather(values, ends, low, steps, place, starts, out, first, last):  # type: ignore[no-untyped-def]
    """The values of one bin, each part's from where those before it end."""
    for part in range(first, last):
        here, to, at = values[ends[part] : ends[part + 1]], out[starts[part] : starts[part + 1]], 0
        for i in range(len(here)):
            if _bin(here[i], low, steps) == place:
                to[at] = here[i]
                at += 1
