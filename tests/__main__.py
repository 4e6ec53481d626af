"""Runs every test and ends with one line: N passed, N failed, N skipped.

Arguments are parts of test names to run alone, as in `./run test seam`.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import subprocess
import sys
import time
import unittest
from collections import deque
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parent
_SIDE_BY_SIDE = os.cpu_count() or 1


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


# Seconds modules took when they were last timed (`./run test --times`), so that the longest begin first; new ones count
# as usual ones.
TIMES = ROOT / "times.json"
_USUAL = 8.0


def _whole() -> int:
    """Everything, in as many processes side by side as there are processors, the longest modules first. One process
    drives browsers as long as there is a module of that kind, so that no two disturb each other."""
    times: dict[str, float] = json.loads(TIMES.read_text()) if TIMES.is_file() else {}
    modules = sorted(_modules(), key=lambda name: -times.get(name, _USUAL))
    browsers = deque(name for name in modules if ".browser." in name)
    plain = deque(name for name in modules if ".browser." not in name)
    done: dict[str, tuple[tuple[int, int, int], float]] = {}

    def work(*queues: deque[str]) -> None:
        for queue in queues:
            with contextlib.suppress(IndexError):
                while True:
                    name = queue.popleft()
                    done[name] = _apart(name)

    with ThreadPoolExecutor(_SIDE_BY_SIDE) as pool:
        workers = [pool.submit(work, browsers, plain), *(pool.submit(work, plain) for _ in range(_SIDE_BY_SIDE - 1))]
        for worker in workers:
            worker.result()
    passed, failed, skipped = (sum(count[i] for count, _ in done.values()) for i in range(3))
    if "--times" in sys.argv:
        TIMES.write_text(json.dumps({name: round(done[name][1], 1) for name in sorted(done)}, indent=1) + "\n")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if passed and not failed else 1


def _apart(name: str) -> tuple[tuple[int, int, int], float]:
    """(passed, failed, skipped) of a module in a process of its own, and how long it took; what went wrong is
    printed."""
    began = time.monotonic()
    done = subprocess.run([sys.executable, "-m", "tests", f"{name}."], capture_output=True, text=True, check=False)
    said = re.search(r"(\d+) passed, (\d+) failed, (\d+) skipped\s*$", done.stdout)
    took = time.monotonic() - began
    if said is None or done.returncode:
        print(done.stdout, done.stderr[-4000:], sep="\n", flush=True)
    else:
        slowest = next((line for line in done.stdout.splitlines() if line.startswith("slowest: ")), "")
        print(f"{name}: {said[1]} in {took:.0f} s; {slowest}", flush=True)
    # A process that broke off counts as one failure.
    return ((int(said[1]), int(said[2]), int(said[3])) if said else (0, 1, 0)), took


def main() -> int:
    os.environ.setdefault("PYTHONHASHSEED", "0")
    wanted = [word for word in sys.argv[1:] if word != "--times"]
    if not wanted:
        return _whole()
    loader = unittest.TestLoader()
    # Of whole modules no others are imported.
    modules = [name for name in _modules() if f"{name}." in wanted] if all(w.endswith(".") for w in wanted) else []
    everything = loader.loadTestsFromNames(modules or _modules())
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
