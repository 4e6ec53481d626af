"""The real program in a process of its own, and requests to it."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any, NamedTuple

from tests.support import BUSY, limited

ROOT = Path(__file__).parents[1]


class Answer(NamedTuple):
    status: int
    body: bytes
    headers: dict[str, str]

    @property
    def json(self) -> Any:
        return json.loads(self.body)


class Program:
    """`amber-thicket serve` on a folder; can be ended, killed and started again. options: more of its command line."""

    def __init__(self, folder: Path, *options: str) -> None:
        self.folder = folder
        self.options = options
        self.address = ""
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> None:
        """Returns once it listens. Raises RuntimeError with what it said when it does not come up."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "amber_thicket.cli", "serve", "--data", str(self.folder), "--port", "0", *self.options],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE if "--log-file" in self.options else None, text=True,
            cwd=ROOT, start_new_session=True,
        )  # fmt: skip
        assert self.process.stdout
        line = self.process.stdout.readline()
        if " at " not in line:
            raise RuntimeError(f"it did not start: {line}")
        self.address = line.split(" at ")[1].strip()

    @property
    def port(self) -> int:
        return int(self.address.split(":")[2].split("/")[0])

    def ask(self, path: str, *, data: Any = None, method: str | None = None, seconds: float = 60.0) -> Answer:
        """An answer, whatever its status. data: bytes as they are, anything else as JSON. Raises AssertionError when it
        takes more than these seconds on a machine of its own."""
        sent = data if data is None or isinstance(data, bytes) else json.dumps(data).encode()
        kind = {} if data is None or isinstance(data, bytes) else {"Content-Type": "application/json"}
        request = urllib.request.Request(self.address.rstrip("/") + path, data=sent, method=method, headers=kind)
        try:
            with limited(seconds), urllib.request.urlopen(request, timeout=BUSY * seconds) as answer:
                return Answer(answer.status, answer.read(), dict(answer.headers))
        except urllib.error.HTTPError as error:
            with error:
                return Answer(error.code, error.read(), dict(error.headers))

    def end(self, seconds: float = 10.0) -> int:
        """SIGTERM; the exit code. Raises TimeoutExpired, or AssertionError when it takes more than these seconds on a
        machine of its own."""
        assert self.process
        self.process.terminate()
        with limited(seconds):
            code = self.process.wait(timeout=BUSY * seconds)
        self._close()
        return code

    def kill(self) -> None:
        """kill -9 of the server and everything it started."""
        if self.process is None:
            return
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()
        self._close()

    def _close(self) -> None:
        assert self.process
        for stream in (self.process.stdout, self.process.stderr):
            if stream:
                stream.close()


def run_command(*arguments: str, seconds: float = 60.0, **options: Any) -> subprocess.CompletedProcess[str]:
    """`amber-thicket …`, run to its end, which comes within these seconds on a machine of its own."""
    with limited(seconds):
        return subprocess.run(
            [sys.executable, "-m", "amber_thicket.cli", *arguments],
            capture_output=True, text=True, timeout=BUSY * seconds, cwd=ROOT, check=False, **options,
        )  # fmt: skip
