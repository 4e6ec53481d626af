"""Best of several runs, tables, and how their figures stand against those of the last release."""

from __future__ import annotations

import json
import re
import time
import zlib
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

# Figures of the last release by what they are of; times in yardsticks, see yardstick().
RELEASED = Path(__file__).with_name("released.json")
# What became slower by more than this is marked.
SLOWER = 1.15
_RATIO = re.compile(r"^([\d.]+) ×$")
_TIME = re.compile(r"^([\d.]+) (ms|s)$")
# Columns in which more is better, or that tell what is not a time.
_OTHERWISE = re.compile(r"as fast|faster|memory|larger|size|over half|gain|stolen|error")

_seen: dict[str, float] = {}


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


@cache
def yardstick() -> float:
    """Seconds this machine takes for a fixed piece of such work as the program does: a blur, a transform, a deflate. A
    time over it tells of the program more than of the machine."""
    rng = np.random.default_rng(0)
    picture = rng.random((1024, 1024), np.float32)
    data = (picture * 255).astype(np.uint8).tobytes()

    def work() -> None:
        cv2.GaussianBlur(picture, (0, 0), 8)
        np.fft.rfft2(picture)
        zlib.compress(data, 1)

    return best(work, least=1.5)


def table(title: str, head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """Prints rows under their heads, and notes the figures in them that compare() looks at."""
    widths = [max(len(row[i]) for row in [head, *rows]) for i in range(len(head))]
    print(f"\n{title}")
    for row in [head, *rows]:
        print(
            "  "
            + "  ".join(
                cell.ljust(w) if i == 0 else cell.rjust(w) for i, (cell, w) in enumerate(zip(row, widths, strict=True))
            )
        )
    for row in rows:
        for what, cell in zip(head[1:], row[1:], strict=True):
            note(" | ".join((title, row[0], what)), what, cell)


def note(key: str, column: str, cell: str) -> None:
    """Keeps a figure of which less is better. cell: "1.25 ×", "12 ms" or "3.4 s"; anything else is passed over."""
    if _OTHERWISE.search(column):
        return
    if ratio := _RATIO.match(cell):
        _seen[key] = float(ratio[1])
    elif told := _TIME.match(cell):
        _seen[key] = float(told[1]) * (1e-3 if told[2] == "ms" else 1.0) / yardstick()


def compare(*, release: bool = False) -> list[str]:
    """What became slower than it was released, in words; prints it. release: keeps the figures of this run instead."""
    before: dict[str, float] = json.loads(RELEASED.read_text("utf-8")) if RELEASED.exists() else {}
    if release:
        kept = {**before, **{key: round(value, 3) for key, value in _seen.items()}}
        RELEASED.write_text(json.dumps(dict(sorted(kept.items())), indent=1, ensure_ascii=False) + "\n", "utf-8")
        print(f"\n{len(_seen)} figures kept as released.")
        return []
    known = [key for key in _seen if key in before and before[key] > 0]
    slower = sorted(
        (f"{_seen[key] / before[key]:.2f} × as long: {key}" for key in known if _seen[key] > before[key] * SLOWER),
        reverse=True,
    )
    print(
        f"\nAgainst the last release: {len(known)} of {len(_seen)} figures are known, {len(slower)} became slower by over 15 %."
    )
    for line in slower:
        print(f"  {line}")
    return slower
