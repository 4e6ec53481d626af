"""Compiling ahead: everything once, in processes side by side."""

import unittest
from unittest import mock

from amber_thicket import warm


class WarmTest(unittest.TestCase):
    def run_main(self, *codes: int) -> tuple[int, list[int], list[str]]:
        groups: list[int] = []
        others = [mock.Mock(wait=mock.Mock(return_value=code)) for code in codes]
        with (
            mock.patch.object(warm, "warm", groups.append),
            mock.patch.object(warm.sys, "argv", ["warm"]),
            mock.patch.object(warm.subprocess, "Popen", side_effect=others) as started,
        ):
            code = warm.main()
        return code, groups, [call.args[0][-1] for call in started.call_args_list]

    def test_each_group_has_a_process_and_one_that_fails_is_told(self) -> None:
        self.assertEqual(self.run_main(0), (0, [0], ["1"]))
        self.assertEqual(self.run_main(3)[0], 3)

    def test_a_process_takes_the_group_it_is_told(self) -> None:
        done: list[str] = []
        with (
            mock.patch.object(warm, "GROUPS", ((lambda: done.append("a"),), (lambda: done.append("b"),))),
            mock.patch.object(warm.sys, "argv", ["warm", "1"]),
        ):
            self.assertEqual(warm.main(), 0)
        self.assertEqual(done, ["b"])
