"""Runs every test and ends with one line: N passed, N failed, N skipped.

Arguments are parts of test names to run alone, as in `./run test seam`.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parent
PARTS = 8


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


def _modules() -> list[str]:
    """All test modules, as tests.core.test_graph."""
    return sorted(".".join(path.relative_to(ROOT.parent).with_suffix("").parts) for path in ROOT.rglob("test_*.py"))


def _whole() -> int:
    """Everything: what needs no browser in several processes side by side, then the browser alone, undisturbed."""
    plain = [name for name in _modules() if ".browser." not in name]
    # Neighbours in the list are of one kind and about as long, so each part gets some of every kind.
    parts = [plain[first::PARTS] for first in range(PARTS)]
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        counts = list(pool.map(_apart, parts))
    counts.append(_apart([name for name in _modules() if ".browser." in name]))
    passed, failed, skipped = (sum(count[i] for count in counts) for i in range(3))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if passed and not failed else 1


def _apart(names: list[str]) -> tuple[int, int, int]:
    """(passed, failed, skipped) of some modules in a process of their own; what went wrong is printed."""
    done = subprocess.run(
        [sys.executable, "-m", "tests", *(f"{name}." for name in names)], capture_output=True, text=True, check=False
    )
    said = re.search(r"(\d+) passed, (\d+) failed, (\d+) skipped\s*$", done.stdout)
    lines = done.stdout.splitlines()
    if said is None or done.returncode:
        print(done.stdout, done.stderr[-4000:], sep="\n", flush=True)
    else:
        print("\n".join(line for line in lines if line.startswith(("Ran ", "slowest: "))), flush=True)
    # A process that broke off counts as one failure.
    return (int(said[1]), int(said[2]), int(said[3])) if said else (0, 1, 0)


def main() -> int:
    os.environ.setdefault("PYTHONHASHSEED", "0")
    wanted = sys.argv[1:]
    if not wanted:
        return _whole()
    loader = unittest.TestLoader()
    everything = loader.discover(str(ROOT), pattern="test_*.py", top_level_dir=str(ROOT.parent))
    suite = unittest.TestSuite(t for t in _each(everything) if any(w in t.id() for w in wanted))
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
