"""Rows shared out over threads, for compiled kernels that release the interpreter lock.

Plain threads are used instead of the compiler's own parallel loops: those keep state that is not safe
when several requests compute at once.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

WORKERS = max(1, os.cpu_count() or 1)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=WORKERS, thread_name_prefix="rows")


def over_rows(kernel: Callable[[int, int], None], rows: int, *, least: int = 64) -> None:
    """Call kernel(first, last) for bands that together cover 0..rows. The kernel must not call this again."""
    parts = min(WORKERS, max(1, rows // least))
    if parts == 1:
        kernel(0, rows)
        return
    edges = [rows * part // parts for part in range(parts + 1)]
    futures = [_pool().submit(kernel, edges[part], edges[part + 1]) for part in range(1, parts)]
    kernel(edges[0], edges[1])
    for future in futures:
        future.result()
