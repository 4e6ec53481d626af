"""Compiled inner loops, all with the same options."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba


def compiled(*, loose: bool = False, inline: bool = False) -> Callable[[Callable[..., Any]], Any]:
    """A function compiled for the types it is called with, kept on disk, that runs beside others.

    loose: sums may be taken in another order, and nothing is not-a-number. A division by 0 gives what IEEE 754 says: a
    loop that had to stop for it could not go through several pixels at once.
    """
    return numba.njit(
        cache=True, nogil=True, fastmath=loose, error_model="numpy", inline="always" if inline else "never"
    )
