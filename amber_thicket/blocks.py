"""Memory and threads of the process: freed picture-sized blocks are kept, so that the next picture pays for no fresh
pages, and go back when nobody works; how much results may take on this machine."""

from __future__ import annotations

import contextlib
import ctypes
import gc
import os
from collections.abc import Iterator
from pathlib import Path

import psutil

# Of the machine's memory, what results may take; and the least and most of it, bytes.
_SHARE, _LEAST, _MOST = 1 / 8, 256_000_000, 8_000_000_000
# Of the machine's memory, what the steps to one set of maps may take before they go to files.
_SPILL_SHARE = 1 / 4
_CGROUP = Path("/sys/fs/cgroup/memory.max")

_TRIM_THRESHOLD, _TOP_PAD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -2, -3, -8


def keep_blocks() -> None:
    """Ask the C library (glibc; mallopt(3)) to reuse blocks up to 32 MB. Elsewhere nothing happens."""
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(_MMAP_THRESHOLD, 32 << 20)
        mallopt(_ARENA_MAX, 1)
        mallopt(_TRIM_THRESHOLD, 512 << 20)
        mallopt(_TOP_PAD, 64 << 20)


def limit_blas_threads() -> None:
    """Ask OpenBLAS for one thread; to be called before NumPy is imported.

    The products taken here are small and many: between two of them its other threads wait spinning, which costs a
    processor and gains nothing (the search for places that stand out: the same time, twice the processors). Rows are
    shared out by core.numeric.parallel. Who sets OPENBLAS_NUM_THREADS has the last word.
    """
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


@contextlib.contextmanager
def loading() -> Iterator[None]:
    """While a program is loaded, objects come by the hundred thousand and stay: the collector of cycles does not look
    meanwhile, and not at these later."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


def give_back() -> None:
    """Return what is freed to the system (glibc; malloc_trim(3)). Elsewhere nothing happens."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def memory_there() -> int:
    """Bytes of memory this program may use: the machine's, or what its container is allowed."""
    there = int(psutil.virtual_memory().total)
    with contextlib.suppress(OSError, ValueError):
        there = min(there, int(_CGROUP.read_text("ascii")))
    return there


def results_budget() -> int:
    """Bytes of results to keep on a machine like this one."""
    return int(min(max(memory_there() * _SHARE, _LEAST), _MOST))


def most_in_memory() -> int:
    """Bytes of steps to one set of maps that are kept in memory on a machine like this one."""
    return int(memory_there() * _SPILL_SHARE)
