"""What tests wait for fails at its limit on a machine of its own, and is given more on a busy one."""

from __future__ import annotations

import time
import unittest
from unittest import mock

from tests.support import limited


class LimitedTest(unittest.TestCase):
    def test_late_fails_unless_the_machine_is_that_busy(self) -> None:
        for took, busy, fails in ((0.0, 1.0, False), (0.2, 1.0, True), (0.2, 1.5, True), (0.2, 4.0, False)):
            with self.subTest(took=took, busy=busy), mock.patch("tests.support._busyness", return_value=busy):
                late = False
                try:
                    with limited(0.1):
                        time.sleep(took)
                except AssertionError:
                    late = True
                self.assertEqual(late, fails)
