"""Best of several runs, and tables."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any


def best(work: Callable[[], Any], *, least: float = 0.4, runs: int = 3) -> float:
    """Seconds of the fastest run; at least `runs` runs and `least` seconds."""
    work()
    fastest, total, done = float("inf"), 0.0, 0
    while done < runs or total < least:
        began = time.perf_counter()
        work()
        took = time.perf_counter() - began
        fastest, total, done = min(fastest, took), total + took, done + 1
    return fastest


def table(title: str, head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """Prints rows under their heads."""
    widths = [max(len(row[i]) for row in [head, *rows]) for i in range(len(head))]
    print(f"\n{title}")
    for row in [head, *rows]:
        print(
            "  "
            + "  ".join(
                cell.ljust(w) if i == 0 else cell.rjust(w) for i, (cell, w) in enumerate(zip(row, widths, strict=True))
            )
        )
