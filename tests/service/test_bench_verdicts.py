"""The benchmark of verdicts counts as it says, and its cases are ones it knows."""

import unittest

from bench.verdicts import LOOKS, cases, outcome
from tests.service.test_matrix import TWINS


class VerdictsTest(unittest.TestCase):
    def test_outcomes(self) -> None:
        for rule, wanted, told, result in (
            ("files", "wrong", "blocked", "caught"),
            ("files", "wrong", "pass", "missed"),
            ("files", "right", "attention", "false alarm"),
            ("files", "right", "blocked", "false block"),
            ("files", "right", "note", "right"),
            ("tiling.joins", "wrong", "unknown", "perhaps"),
            ("triage.features", "4 x 8", "5.6 x 8", "right"),
            ("triage.features", "4 x 8", "5.7 x 8", "missed"),
            ("triage.features", "4 x 8", "4 x 4.7", "missed"),
            ("triage.features", "4 x 8", "cannot tell", "missed"),
            ("triage.features", "cannot tell", "4 x 8", "false alarm"),
            ("triage.features", "cannot tell", "cannot tell", "right"),
        ):
            with self.subTest(rule=rule, wanted=wanted, told=told):
                self.assertEqual(outcome(rule, wanted, told), result)

    def test_every_case_is_labelled_once_in_words(self) -> None:
        rows = cases()
        self.assertGreaterEqual(len(rows), 60)
        self.assertEqual(len({row[:2] for row in rows}), len(rows))
        for case, rule, wanted, seen in rows:
            with self.subTest(case=case, rule=rule):
                self.assertIn(rule, LOOKS)
                self.assertTrue(wanted in ("right", "wrong", "cannot tell") or " x " in wanted)
                self.assertGreater(len(seen), 3)
        self.assertEqual({case.removeprefix("twin/") for case, *_ in rows if case.startswith("twin/")}, set(TWINS))

    def test_some_of_each(self) -> None:
        # Those that take no tile to be made; ./run bench verdicts looks at all.
        for case, rule, wanted, _ in cases():
            if case in (
                "wall 4 x 8",
                "twin/short normals",
                "right/plain/gltf",
                "gravel/mirrored strip",
                "noise/stretched",
            ):
                with self.subTest(case=case):
                    self.assertIn(outcome(rule, wanted, LOOKS[rule](case)), ("right", "caught"))


if __name__ == "__main__":
    unittest.main()
