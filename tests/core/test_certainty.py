"""What a verdict rests on, and how sure it is."""

import unittest

from amber_thicket.core.check.registry import RULES
from amber_thicket.core.check.rule import Finding, Level, Rule, Subject


def rule(**changes: object) -> Rule:
    def nothing(_: Subject) -> list[Finding]:
        return []

    return Rule(id="a.b", title="", why="", source="", look=nothing, **changes)  # type: ignore[arg-type]


def found(level: Level = "pass", ratio: float | None = None) -> Finding:
    return Finding(level, "", "", ratio=ratio)


class CertaintyTest(unittest.TestCase):
    def test_near_the_limit_is_close_on_either_side(self) -> None:
        for ratio, wanted in ((0.86, "clear"), (0.88, "close"), (1.0, "close"), (1.14, "close"), (1.16, "clear")):
            level: Level = "pass" if ratio < 1 else "attention"
            with self.subTest(ratio):
                self.assertEqual(rule().certainty(found(level, ratio)), wanted)

    def test_what_is_counted_is_certain_and_what_is_read_is_not(self) -> None:
        self.assertEqual(rule(basis="stored").certainty(found()), "counted")
        self.assertEqual(rule(basis="reading", doubt="d").certainty(found()), "likely")
        self.assertEqual(rule(basis="reading", doubt="d").certainty(found(ratio=1.1)), "close")
        for basis in ("stored", "measured", "reading"):
            self.assertEqual(rule(basis=basis, doubt="d").certainty(found("unknown", 0.1)), "open")

    def test_evidence_names_the_size_and_every_reading_its_doubt(self) -> None:
        self.assertIn("512 × 256 px, as the files will hold them", rule(basis="stored").evidence((512, 256)))
        for one in RULES:
            with self.subTest(one.id):
                self.assertEqual(one.basis == "reading", bool(one.doubt))
                self.assertIn("64 × 32 px", one.evidence((64, 32)))


if __name__ == "__main__":
    unittest.main()
