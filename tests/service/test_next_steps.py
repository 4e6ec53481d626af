"""What comes next: squared, tiled, then what Check finds; what was set by hand is not suggested otherwise."""

from __future__ import annotations

import re
import unittest
from functools import cache
from typing import Any
from unittest import mock

import numpy as np

from amber_thicket.core.check.registry import RULES
from amber_thicket.core.gather.triage import triage
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.service.bake import check
from amber_thicket.service.next_steps import NextStep, corner_changes, next_steps
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts
from amber_thicket.service.square import proposal
from amber_thicket.standins.capture_rig import camera
from tests.core.test_propose import TILTED
from tests.service.test_check import planted
from tests.support import evaluation, linear_photograph, rig_surface, size_of, wall

TILT = {"what": "Tilt", "level": "attention", "measured": "lines 14° off", "advice": "Flatten it."}


@cache
def slanting() -> Pixels:
    """Slates seen from an angle, whose corners are found (tests.core.test_propose)."""
    shot = camera.Shot(bearing=118, elevation=38)
    return decode_srgb(
        camera.photograph(rig_surface("slate_shingles", 1024, 7), shot, np.random.default_rng(1), TILTED[0])
    )


def told(level: str, rule: str, fix: dict[str, Any] | None = None, map: str | None = None) -> dict[str, Any]:
    return {
        "level": level, "rule": rule, "fault": f"Wrong by {rule}", "measured": "3", "why": "", "map": map, "fix": fix,
    }  # fmt: skip


class NextStepsTest(unittest.TestCase):
    def test_a_slanting_wall_is_flattened_first(self) -> None:
        start = evaluation(slanting(), **size_of(256))
        first = next_steps(start, [], [TILT])[0]
        self.assertEqual((first.id, first.stage), ("corners", "square"))
        degrees = int(re.match(r"Tilted by (\d+)°", first.words)[1])  # type: ignore[index]
        straight = np.cos(np.radians(TILTED[0].tilt)) * np.cos(np.radians(TILTED[0].pan))
        self.assertAlmostEqual(degrees, np.degrees(np.arccos(straight)), delta=6)
        self.assertEqual(first.changes, corner_changes(proposal(start)))
        # Once they are taken nobody is asked again, nor told that it is shot from an angle.
        after = [step.id for step in next_steps(start.with_changes(first.changes), [], [TILT])]
        self.assertNotIn("corners", after)
        self.assertNotIn("tilt", after)

    def test_a_method_is_offered_where_it_is_sure_and_shown_where_it_is_not(self) -> None:
        bricks = evaluation(wall(), **size_of(256))
        step = next(one for one in next_steps(bricks, [], []) if one.id == "tile")
        self.assertIn(step.changes.get("tile.join.method"), ("lattice", "joints"))
        self.assertNotIn("tile", [one.id for one in next_steps(bricks.with_changes(step.changes), [], [])])
        # Somebody's own choice stays.
        by_hand = bricks.with_changes({"tile.join.method": "blend"})
        self.assertEqual(next_steps(by_hand, [], []), [])
        cut_out = bricks.with_changes({"tile.cutout.on": True})
        self.assertNotIn("tile", [one.id for one in next_steps(cut_out, [], [])])

    def test_what_blocks_comes_before_what_may_be(self) -> None:
        plain = evaluation(linear_photograph("grass"), **{**size_of(256), "tile.join.method": "blend"})
        fix = {"label": "Mend it", "changes": {"even.drift.amount": 50.0}}
        findings = [told("blocked", "a.one"), told("attention", "b.two", fix, "height"), told("pass", "c.three"),
                    told("unknown", "d.four"), told("note", "e.five")]  # fmt: skip
        steps = next_steps(plain, findings, [TILT])
        self.assertEqual([step.id for step in steps], ["a.one/", "tilt", "b.two/height/even.drift.amount"])
        self.assertEqual(
            steps[2],
            NextStep("b.two/height/even.drift.amount", "Wrong by b.two (height): 3", "", "Mend it", "check", fix["changes"],
                     "b.two", "height"),
        )  # fmt: skip
        # What nothing mends at once is looked at where it is.
        self.assertEqual((steps[0].label, steps[0].changes), ("See it in Check", {}))
        self.assertEqual(steps[1].changes, {})

    def test_what_an_earlier_stage_does_comes_before_what_a_later_one_does(self) -> None:
        plain = evaluation(linear_photograph("grass"), **{**size_of(256), "tile.join.method": "blend"})
        fixes = {"tile": {"tile.repair.spots": []}, "even": {"even.drift.amount": 50.0}}
        findings = [told("attention", name, {"label": name, "changes": fixes[name]}) for name in ("tile", "even")]
        findings.insert(0, told("attention", "by.hand"))
        self.assertEqual([step.rule for step in next_steps(plain, findings, [])], ["even", "tile", "by.hand"])

    def test_what_stands_out_and_cannot_be_filled_is_left_out(self) -> None:
        spotted = evaluation(planted(linear_photograph("gravel")), **{**size_of(256), "tile.join.method": "regrow"})
        found = told("attention", "tiling.giveaways", None, "base_color")
        step = next_steps(spotted, [found], [])[0]
        self.assertEqual(list(step.changes), ["tile.join.excluded"])
        strongest = [
            describe_repeat_artifacts(one)["places"][0]["strength"]
            for one in (spotted, spotted.with_changes(step.changes))
        ]
        self.assertLess(strongest[1], 0.7 * strongest[0])
        # Nothing is planned, or the few pieces a tile shows are all there are.
        blended = spotted.with_changes({"tile.join.method": "blend"})
        self.assertEqual(next_steps(blended, [found], [])[0].changes, {})
        joined = spotted.with_changes({"tile.join.method": "joints"})
        for shown, offered in ((15, False), (16, True)):
            with mock.patch("amber_thicket.service.next_steps.broken_by_joins", return_value={"shown": shown}):
                self.assertEqual(bool(next_steps(joined, [found], [])[0].changes), offered)

    def test_a_fix_that_is_offered_settles_what_it_is_offered_for(self) -> None:
        """Where it does, it is not asked for again; where it does not, Check still says so."""
        start = evaluation(wall(), **{**size_of(256), "tile.join.method": "none", "response.roughness.spread": 0})
        mended = 0
        for step in next_steps(start, check(start, "wall"), []):
            if step.rule and step.changes:
                after = start.with_changes(step.changes)
                again = {f"{one['rule']}/{one['map'] or ''}": one["level"] for one in check(after, "wall")}
                mended += again.get(f"{step.rule}/{step.map or ''}") not in ("blocked", "attention")
        self.assertGreaterEqual(mended, 1)

    def test_every_rule_says_what_is_so_when_it_does_not_hold(self) -> None:
        faults = [rule.fault for rule in RULES]
        self.assertEqual(len(set(faults)), len(faults))
        for rule in RULES:
            self.assertTrue(rule.fault, rule.id)
            self.assertNotEqual(rule.fault, rule.title)

    def test_triage_still_names_a_tilt(self) -> None:
        """The word by which a tilt is known here is triage's own."""
        self.assertIn("Tilt", [one["what"] for one in triage(slanting(), bits=8, floating=False)])
