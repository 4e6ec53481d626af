"""Keeps freed picture-sized blocks in the process, so that the next picture does not pay for fresh pages."""

from __future__ import annotations

import contextlib
import ctypes

_TRIM_THRESHOLD, _TOP_PAD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -2, -3, -8


def keep_blocks() -> None:
    """Ask the C library (glibc; mallopt(3)) to reuse blocks up to 32 MB. Elsewhere nothing happens."""
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(_MMAP_THRESHOLD, 32 << 20)
        mallopt(_ARENA_MAX, 1)
        mallopt(_TRIM_THRESHOLD, 512 << 20)
        mallopt(_TOP_PAD, 64 << 20)
