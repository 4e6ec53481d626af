"""Runs every test and ends with one line: N passed, N failed, N skipped.

Arguments are parts of test names to run alone, as in `./run test seam`.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import resource
import subprocess
import sys
import tempfile
import time
import unittest
from collections import deque
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parent


def _each(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from _each(item)
        else:
            yield item


def _is_broken(test: unittest.TestCase) -> bool:
    return type(test).__module__ == "unittest.loader"


def _processors() -> float:
    """Seconds of processors this process and those it started and saw end have used."""
    return sum(sum(resource.getrusage(who)[:2]) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))


class Result(unittest.TextTestResult):
    """Counts what passed, how long each test took and what it used of the processors."""

    def __init__(self, *arguments: object, **options: object) -> None:
        super().__init__(*arguments, **options)  # type: ignore[arg-type]
        self.passed = 0
        self.times: list[tuple[float, float, str]] = []
        self._began = self._before = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._began, self._before = time.perf_counter(), _processors()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.times.append((_processors() - self._before, time.perf_counter() - self._began, test.id()))
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
# Modules that take less than this go together into one process: each would load the program and its kernels again.
_TOGETHER = 60.0
# Tests that end and kill programs mostly wait: one process more than there are processors keeps those busy.
_LANES = (os.cpu_count() or 1) + 1


def _batches(times: dict[str, float], modules: list[str]) -> deque[list[str]]:
    """Modules as they share processes, the longest first."""
    batches: list[list[str]] = []
    left = 0.0
    for name in sorted(modules, key=lambda name: -times.get(name, _USUAL)):
        took = times.get(name, _USUAL)
        if took > left or not batches:
            batches.append([])
            left = _TOGETHER
        batches[-1].append(name)
        left -= took
    return deque(batches)


def _whole() -> int:
    """Everything, in several processes side by side. One of them drives browsers as long as there is a module of that
    kind, so that no two disturb each other."""
    kept: dict[str, float] = json.loads(TIMES.read_text()) if TIMES.is_file() else {}
    modules = _modules()
    browsers = _batches(kept, [name for name in modules if ".browser." in name])
    plain = _batches(kept, [name for name in modules if ".browser." not in name])
    counts: list[tuple[int, int, int]] = []
    times: dict[str, float] = {}

    def work(*queues: deque[list[str]]) -> None:
        for queue in queues:
            with contextlib.suppress(IndexError):
                while True:
                    counts.append(_apart(queue.popleft(), times))

    with tempfile.TemporaryDirectory() as share, ThreadPoolExecutor(_LANES) as pool:
        # What several modules need and takes long to make (tests.support.rig_surface).
        os.environ["TESTS_SHARE"] = share
        workers = [pool.submit(work, browsers, plain), *(pool.submit(work, plain) for _ in range(_LANES - 1))]
        for worker in workers:
            worker.result()
    passed, failed, skipped = (sum(count[i] for count in counts) for i in range(3))
    if "--times" in sys.argv:
        TIMES.write_text(json.dumps(dict(sorted(times.items())), indent=1) + "\n")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if passed and not failed else 1


def _apart(names: list[str], times: dict[str, float]) -> tuple[int, int, int]:
    """(passed, failed, skipped) of modules in a process of their own; what went wrong is printed. times: takes how long
    each of them took."""
    began = time.monotonic()
    words = [f"{name}." for name in names]
    done = subprocess.run([sys.executable, "-m", "tests", *words], capture_output=True, text=True, check=False)
    said = re.search(r"(\d+) passed, (\d+) failed, (\d+) skipped\s*$", done.stdout)
    took = time.monotonic() - began
    if said is None or done.returncode:
        print(done.stdout, done.stderr[-4000:], sep="\n", flush=True)
    times.update(
        (name, float(seconds)) for name, seconds in re.findall(r"^time of (\S+): ([\d.]+) s", done.stdout, re.M)
    )
    dearest = next((line for line in done.stdout.splitlines() if line.startswith("dearest, ")), "")
    shown = ", ".join(name.removeprefix("tests.") for name in names)
    print(f"{shown}: {said[1] if said else 'broke off'} in {took:.0f} s; {dearest}", flush=True)
    # A process that broke off counts as one failure, as does one that was not content and names none.
    if said is None:
        return 0, 1, 0
    return int(said[1]), int(said[2]) or int(done.returncode != 0), int(said[3])


def main() -> int:
    os.environ.setdefault("PYTHONHASHSEED", "0")
    wanted = [word for word in sys.argv[1:] if word != "--times"]
    if not wanted:
        return _whole()
    loader = unittest.TestLoader()
    # Of whole modules no others are imported.
    modules = [name for name in _modules() if f"{name}." in wanted] if all(w.endswith(".") for w in wanted) else []
    everything = loader.loadTestsFromNames(modules or _modules())
    # A module that cannot be imported is a test that fails, whatever it is called.
    suite = unittest.TestSuite(t for t in _each(everything) if any(w in t.id() for w in wanted) or _is_broken(t))
    result = unittest.TextTestRunner(verbosity=1, resultclass=Result, stream=sys.stdout).run(suite)
    assert isinstance(result, Result)
    dearest = sorted(result.times, reverse=True)[:5]
    print(
        f"dearest, of {_processors():.0f} s of processors: "
        + ", ".join(f"{name.rsplit('.', 2)[-2]}.{name.rsplit('.', 1)[-1]} {used:.1f} s" for used, _, name in dearest)
    )
    for name in modules:
        took = sum(t for _, t, test in result.times if test.startswith(f"{name}."))
        print(f"time of {name}: {took:.1f} s")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{result.passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if result.wasSuccessful() and result.passed else 1


if __name__ == "__main__":
    sys.exit(main())
