"""The demo library is made while the library is open: it says what is made, and ends with the program."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from pathlib import Path

import psutil

from amber_thicket.web.demo_making import DemoMaking
from amber_thicket.web.events import Events
from tests.program import ROOT
from tests.support import BUSY, limited, retry


class Listening(Events):
    def __init__(self) -> None:
        super().__init__()
        self.heard: list[str] = []

    def announce(self, kind: str, data: dict[str, object]) -> None:
        self.heard.append(kind)


class DemoMakingTest(unittest.TestCase):
    def making(self, lines: str) -> tuple[DemoMaking, Listening]:
        events = Listening()
        made = DemoMaking(Path("."), events)
        made._command = [sys.executable, "-u", "-c", lines]
        made.start()
        self.addCleanup(made.stop)
        return made, events

    def test_each_line_is_said_and_the_library_looked_at_again(self) -> None:
        made, events = self.making("import time; print('One'); time.sleep(.5); print('Two'); time.sleep(.5)")
        retry(lambda: made.saying == "One", 10)
        retry(lambda: made.saying == "Two", 10)
        retry(lambda: made.saying == "", 10)
        # After each line, and once more at the end.
        self.assertEqual(events.heard, ["library"] * 3)

    def test_it_ends_with_the_program_and_says_when_it_did_not_do_it_all(self) -> None:
        made, _ = self.making("import time; print('One'); time.sleep(60)")
        retry(lambda: made.saying == "One", 10)
        made.stop()
        assert made._process
        self.assertIsNotNone(made._process.poll())
        with self.assertLogs("amber_thicket.web.demo_making", "ERROR") as told:
            failed, _ = self.making("print('Three'); raise SystemExit(3)")
            retry(lambda: failed.saying == "", 10)
        self.assertIn("Three", told.output[0])

    def test_the_page_is_there_before_the_library_is(self) -> None:
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
            command = [sys.executable, "-m", "amber_thicket.cli", "demo", "--data", name, "--port", "0"]
            program = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=ROOT)
            assert program.stdout
            address = program.stdout.readline().split(" at ")[1].strip()

            def asked(path: str) -> dict[str, object]:
                with urllib.request.urlopen(address + path) as answer:
                    told: dict[str, object] = json.loads(answer.read())
                return told

            self.assertEqual(asked("api/library")["total"], 0)
            self.assertTrue(asked("api/demo")["saying"])
            maker = next(
                one for one in psutil.Process(program.pid).children(recursive=True) if "--make-only" in one.cmdline()
            )
            program.send_signal(signal.SIGTERM)
            with limited(20):
                program.wait(20 * BUSY)
            program.stdout.close()
            with limited(10):
                retry(lambda: not maker.is_running() or maker.status() == psutil.STATUS_ZOMBIE, 10)
