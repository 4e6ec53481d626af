"""Runs every test and ends with one line: N passed, N failed, N skipped.

Arguments are parts of test names to run alone, as in `./run test seam`.
"""

from __future__ import annotations

import os
import sys
import time
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent


def _each(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from _each(item)
        else:
            yield item


class Result(unittest.TextTestResult):
    """Counts what passed and how long each test took."""

    def __init__(self, *arguments: object, **options: object) -> None:
        super().__init__(*arguments, **options)  # type: ignore[arg-type]
        self.passed = 0
        self.times: list[tuple[float, str]] = []
        self._began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.times.append((time.perf_counter() - self._began, test.id()))
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:
        self.passed += 1
        super().addSuccess(test)


def main() -> int:
    os.environ.setdefault("PYTHONHASHSEED", "0")
    loader = unittest.TestLoader()
    everything = loader.discover(str(ROOT), pattern="test_*.py", top_level_dir=str(ROOT.parent))
    wanted = sys.argv[1:]
    suite = unittest.TestSuite(t for t in _each(everything) if not wanted or any(w in t.id() for w in wanted))
    result = unittest.TextTestRunner(verbosity=1, resultclass=Result, stream=sys.stdout).run(suite)
    assert isinstance(result, Result)
    slowest = sorted(result.times, reverse=True)[:5]
    print(
        "slowest: " + ", ".join(f"{name.rsplit('.', 2)[-2]}.{name.rsplit('.', 1)[-1]} {t:.1f} s" for t, name in slowest)
    )
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{result.passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if result.wasSuccessful() and result.passed else 1


if __name__ == "__main__":
    sys.exit(main())
