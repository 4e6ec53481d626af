"""Files that others made to test their readers, and files made to do harm: each is drawn or refused in words.

Results kept in memory are held to 300 MB, so that the memory told is what files take."""

from __future__ import annotations

import subprocess
import sys
import tarfile
import tempfile
import threading
import time
import urllib.parse
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil

from tests.harden.row import Row
from tests.hostile import hostile_files
from tests.program import Program

# Source packages that hold test pictures.
PACKAGES = ("pillow", "OpenEXR")
MOST_SECONDS, MOST_MEGABYTES = 20.0, 1500.0
# What a sentence for photographers does not hold.
ODD = ("<_io", "object at 0x", "/tmp/", "division by zero", "Errno", "Traceback", "Exception", "NoneType")


@contextmanager
def fetched(name: str) -> Iterator[Path]:
    """The unpacked source package of a library."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(
            [
                sys.executable,
                "-m",
                "pip",
                "download",
                "--quiet",
                "--no-deps",
                "--no-binary",
                ":all:",
                "-d",
                folder,
                name,
            ],
            check=True,
        )
        (package,) = Path(folder).glob("*.tar.gz")
        with tarfile.open(package) as archive:
            archive.extractall(Path(folder) / "source", filter="data")
        yield Path(folder) / "source"


class Memory:
    """The most memory a program and its children took, above what they took at first, in MB."""

    def __init__(self, pid: int) -> None:
        self._process = psutil.Process(pid)
        self._idle = self._now()
        self.peak = 0.0
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)

    def _now(self) -> float:
        total = 0.0
        for process in (self._process, *self._process.children(recursive=True)):
            try:
                total += process.memory_info().rss / 1e6
            except psutil.Error:
                continue
        return total

    def _watch(self) -> None:
        while not self._stop.wait(0.02):
            self.peak = max(self.peak, self._now() - self._idle)

    def __enter__(self) -> Memory:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._thread.join()


def tried(what: str, files: Iterable[tuple[str, bytes]]) -> list[Row]:
    """Brings every file in, and looks at those that come in."""
    counts: Counter[str] = Counter()
    slowest, odd = (0.0, ""), []
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        program = Program(Path(folder) / "library", "--no-worker", "--memory", "300")
        program.start()
        assert program.process
        # The first import loads what every later one finds loaded.
        first = hostile_files()["..\\..\\up.png"]
        program.ask("/api/materials?file=first.png", data=first)
        with Memory(program.process.pid) as memory:
            for name, data in files:
                began = time.monotonic()
                route = "/api/audit/files" if data[:2] == b"PK" else "/api/materials"
                answer = program.ask(f"{route}?file={urllib.parse.quote(name)}", data=data, seconds=120)
                if answer.status == 200 and "id" in answer.json:
                    look = program.ask(f"/api/materials/{answer.json['id']}/picture/gathered.jpg?side=256", seconds=120)
                    if look.status >= 400:
                        answer = look
                seconds = time.monotonic() - began
                slowest = max(slowest, (seconds, name))
                counts["5xx" if answer.status >= 500 else "drawn" if answer.status == 200 else "refused"] += 1
                if answer.status >= 400:
                    sentence = f"{answer.json.get('title')} {answer.json.get('detail')}".replace(name, "…")
                    if answer.status >= 500 or any(word in sentence for word in ODD):
                        odd.append(f"{name}: {answer.status} {sentence}")
        program.kill()
    for line in odd[:20]:
        print(f"  {line}", file=sys.stderr)
    return [
        Row(f"{what}: answered", f"{counts['drawn']} drawn, {counts['refused']} refused, {counts['5xx']} × 5xx", "0 × 5xx", not counts["5xx"]),
        Row(f"{what}: odd sentences", str(len(odd)), "0", not odd),
        Row(f"{what}: slowest", f"{slowest[0]:.1f} s ({slowest[1][-30:]})", f"{MOST_SECONDS:.0f} s", slowest[0] <= MOST_SECONDS),
        Row(f"{what}: memory above idle", f"{memory.peak:.0f} MB", f"{MOST_MEGABYTES:.0f} MB", memory.peak <= MOST_MEGABYTES),
    ]  # fmt: skip


def run() -> list[Row]:
    rows: list[Row] = []
    for package in PACKAGES:
        with fetched(package) as folder:
            files = sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())
            rows += tried(f"{package}: {len(files)} files", ((path.name, path.read_bytes()) for path in files))
    return rows


def run_hostile() -> list[Row]:
    files = hostile_files()
    return tried(f"made to harm: {len(files)} files", files.items())
