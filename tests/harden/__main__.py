"""Tries to break the program: ./run harden [corpora|hostile|fuzz|kills|disk|streams]. Prints one table; not part of ./run test.

Corpora are the test pictures of two libraries, fetched as source packages by name. Everything else is made here. All
traffic goes to this machine, is bounded in count and time, and stops by itself.
"""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable

from tests.harden import corpora, disk, fuzz, kills, streams
from tests.harden.row import Row

PARTS: dict[str, Callable[[], list[Row]]] = {
    "corpora": corpora.run,
    "hostile": corpora.run_hostile,
    "fuzz": fuzz.run,
    "kills": kills.run,
    "disk": disk.run,
    "streams": streams.run,
}


def main() -> int:
    parser = argparse.ArgumentParser(prog="./run harden")
    parser.add_argument("parts", nargs="*", choices=[*PARTS, []], help="all when none is named")
    options = parser.parse_args()
    rows: list[Row] = []
    for part in options.parts or PARTS:
        began = time.monotonic()
        rows += PARTS[part]()
        print(f"{part}: {time.monotonic() - began:.0f} s", file=sys.stderr, flush=True)
    width = max(len(row.what) for row in rows)
    print(f"{'what':<{width}}  {'measured':<48}  {'limit':<34}")
    for row in rows:
        print(f"{row.what:<{width}}  {row.measured:<48}  {row.limit:<34}  {'ok' if row.good else 'MISSED'}")
    return 0 if all(row.good for row in rows) else 1


if __name__ == "__main__":
    sys.exit(main())
