"""Every rule can pass, can fail, and its fix works."""

import unittest
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any
from unittest import mock

import cv2
import numpy as np

from amber_thicket.core.check.figures import Seam, seams
from amber_thicket.core.check.registry import RULES, examine
from amber_thicket.core.check.rule import Finding, Subject
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.limits import Waiver
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.shading.horizon import open_sky
from amber_thicket.core.tile.repeat_artifacts import find_repeats
from amber_thicket.service.bake import subject_of
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.coir_matting import coir_matting
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.lime_render import lime_render
from amber_thicket.standins.capture_rig.truth import truth_seen
from tests.support import ArraySource, evaluation, linear_photograph, size_of


def subject(photo: str = "gravel", **changes: Any) -> Subject:
    return subject_of(evaluation(linear_photograph(photo), **{**size_of(256), **changes}), "gravel", 256)


def with_map(base: Subject, role: str, pixels: np.ndarray) -> Subject:
    return replace(base, maps={**base.maps, role: replace(base.maps[role], pixels=pixels.astype(np.float32))})


def with_plan(base: Subject, **changes: Any) -> Subject:
    files = tuple(replace(file, **{k: v(file) for k, v in changes.items()}) for file in base.plan.files)
    return replace(base, plan=replace(base.plan, files=files))


def planted(pixels: np.ndarray) -> np.ndarray:
    """A picture with one stone that is not of its kind."""
    y, x = np.mgrid[0 : pixels.shape[0], 0 : pixels.shape[1]]
    stone = (np.hypot(x - 0.3 * pixels.shape[1], y - 0.6 * pixels.shape[0]) < 0.04 * pixels.shape[1])[..., None]
    return np.where(stone, np.float32([0.6, 0.05, 0.03]), pixels)


def peppered(pixels: np.ndarray) -> np.ndarray:
    """A picture with single pixels that are much too bright or too dark."""
    out = pixels.copy()
    out[5::31, 7::29] = 1
    out[9::37, 3::41] = 0
    return out


def brought(colour: np.ndarray, maps: dict[str, np.ndarray], **changes: Any) -> Subject:
    """A surface whose maps came along as files of their own; stored numbers, (H, W) or (H, W, 3)."""
    files = {f"{n:016x}": ArraySource(np.dstack([m] * 3) if m.ndim == 2 else m, role)
             for n, (role, m) in enumerate(maps.items(), 1)}  # fmt: skip
    named = {f"gather.maps.{role}": key for key, role in zip(files, maps, strict=True)}
    changed = {name.replace("__", "."): value for name, value in (size_of(256) | changes).items()}
    recipe = Recipe().with_changes({**named, "tile.join.method": "none", **changed})
    source = ArraySource(colour)
    return subject_of(Evaluation(recipe, source, Memory(400_000_000), files=files), "brought", 256)


def stepped(pixels: np.ndarray) -> np.ndarray:
    """A picture that is brighter by a little toward one side: nothing to see at one border, a step from afar."""
    return (pixels * np.linspace(0.4, 1.6, pixels.shape[1], dtype=np.float32)[None, :, None]).astype(np.float32)


def lit_from_one_side() -> np.ndarray:
    """Light from above on a bumpy render, still in the colour."""
    surface = lime_render(256, 3)
    return decode_srgb(photograph(surface, Shot(bearing=100, elevation=25, sky=0.3), np.random.default_rng(1)))


def needles(height: np.ndarray) -> np.ndarray:
    """A height with a few pixels that stick out."""
    out = height.copy()
    out[5::31, 7::29] = 1 - np.round(out[5::31, 7::29])
    return out


def cut_out(*, bled: bool) -> Subject:
    """A round cut-out on white; with its own colour beyond the edge when it is bled."""
    base = subject(pack__files__profile="cut_out", response__opacity__level=0.5)
    y, x = np.mgrid[0:256, 0:256]
    solid = (np.hypot(x - 128, y - 128) < 80).astype(np.float32)
    colour = base.maps["base_color"].pixels
    shown = colour if bled else np.where(solid[..., None] > 0, colour, np.float32(1))
    return with_map(with_map(base, "opacity", solid), "base_color", shown)


class RuleTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.good = subject()

    def findings(self, of: Subject, rule: str) -> list[Finding]:
        return list(next(r for r in RULES if r.id == rule).look(of))

    def assert_bad(self, of: Subject, rule: str) -> Finding:
        bad = [f for f in self.findings(of, rule) if f.level not in ("pass", "note")]
        self.assertTrue(bad, rule)
        return bad[0]

    def test_figures_over_their_limit_are_never_passed(self) -> None:
        # One number tells level and certainty: no rule may say "pass" of what is beyond its own limit.
        told = 0
        for photo in ("gravel", "brick"):
            for rule, finding in examine(subject(photo)):
                if finding.ratio is not None and finding.level in ("pass", "attention", "blocked"):
                    told += 1
                    with self.subTest(rule.id, photo=photo, ratio=finding.ratio):
                        self.assertEqual(finding.ratio <= 1, finding.level == "pass")
        self.assertGreater(told, 40)

    def test_a_good_set_is_not_blocked(self) -> None:
        found = examine(self.good)
        self.assertEqual([(r.id, f.measured) for r, f in found if f.level == "blocked"], [])
        self.assertGreaterEqual(len({r.id for r, f in found if f.level == "pass"}), 20)

    def test_gravest_first(self) -> None:
        levels = [f.level for _, f in examine(subject(tile__join__method="none"))]
        self.assertEqual(levels[0], "blocked")
        self.assertEqual(levels[-1], "pass")

    def test_each_rule_fails_on_its_fault(self) -> None:
        good = self.good
        maps = {role: raster.pixels for role, raster in good.maps.items()}
        tilted = maps["normal"] + np.float32([0.3, 0, 0])
        tilted /= np.linalg.norm(tilted, axis=-1, keepdims=True)
        spoiled: dict[str, Subject] = {
            "set.same_size": with_map(good, "height", maps["height"][:128]),
            "set.power_of_two": replace(good, size=(1000, 1024)),
            "set.required_maps": replace(good, plan=replace(good.plan, files=good.plan.files[1:])),
            "set.aligned": replace(
                with_map(good, "ambient_occlusion", np.roll(maps["ambient_occlusion"], (7, -4), (0, 1))),
                notes={"brought": ("height", "ambient_occlusion", "normal")},
            ),
            "set.detail": replace(good, notes={"scale": 2.4}),
            "set.aspect": replace(good, notes={"shapes": {"base_color": (256, 256), "height": (512, 256)}}),
            "tiling.seam": subject(tile__join__method="none"),
            "tiling.hidden_seam": with_map(good, "base_color", np.roll(linear_photograph("gravel")[:256, :256], 90, 1)),
            "tiling.joins": subject("brick"),
            "tiling.drift": with_map(good, "base_color", maps["base_color"] * np.linspace(0.3, 1.7, 256)[None, :, None] ** 2),
            "tiling.giveaways": with_map(good, "base_color", planted(maps["base_color"])),
            "base_color.bounds": with_map(good, "base_color", maps["base_color"] * 0.02),
            "base_color.kind": subject(response__zones__kind="snow"),
            "base_color.clipped": with_map(good, "base_color", np.where(maps["base_color"] > 0.15, 2.0, maps["base_color"])),
            "base_color.encoding": with_plan(good, encoding=lambda f: "linear"),
            "normal.unit_length": with_map(good, "normal", maps["normal"] * 0.7),
            "normal.blue_positive": with_map(good, "normal", maps["normal"] * np.float32([1, 1, -1])),
            "normal.tilt": with_map(good, "normal", tilted),
            "normal.y_direction": subject(relief__normal__y_in_files="minus"),
            "normal.encoding": with_map(good, "normal", np.where(np.arange(3) == 2, maps["normal"], maps["normal"] + 0.47)),
            "normal.steps": with_map(good, "normal", np.round(maps["normal"] * 12) / 12),
            "height.bit_depth": subject(pack__files__height_bits="8"),
            "height.clipping": with_map(good, "height", np.clip(maps["height"] * 4 - 1.5, 0, 1)),
            "height.range": with_map(good, "height", maps["height"] * 0.1 + 0.4),
            "height.polarity": with_map(good, "height", 1 - maps["height"]),
            "height.normal_agree": with_map(good, "height", np.rot90(maps["height"])),
            "roughness.constant": subject(response__roughness__spread=0.0),
            "roughness.extremes": with_map(good, "roughness", np.round(maps["roughness"])),
            "roughness.encoding": with_plan(good, encoding=lambda f: "srgb"),
            "ambient_occlusion.polarity": with_map(good, "ambient_occlusion", 1 - maps["ambient_occlusion"]),
            "ambient_occlusion.darkest": with_map(good, "ambient_occlusion", maps["ambient_occlusion"] ** 12),
            "metallic.extremes": subject(response__metallic__level=0.5),
            "tiling.mips": with_map(good, "base_color", stepped(maps["base_color"])),
            "base_color.light": with_map(good, "base_color", lit_from_one_side()),
            "base_color.saturation": with_map(good, "base_color", maps["base_color"] * np.float32([4, 0.01, 0.01])),
            "base_color.steps": with_map(good, "base_color", decode_srgb((encode_srgb8(maps["base_color"]) // 8 * 8).astype(np.uint8))),
            "normal.channels": with_map(good, "normal", np.ascontiguousarray(maps["normal"][..., [1, 0, 2]])),
            "height.spikes": with_map(good, "height", needles(maps["height"])),
            "roughness.polarity": replace(good, plan=replace(good.plan, profile=PROFILES["specular_gloss"])),
            "ambient_occlusion.apart": replace(
                with_map(good, "base_color", maps["ambient_occlusion"][..., None] ** 1.5 * np.float32([0.4, 0.4, 0.4])),
                notes={"relief_brought": {"height"}},
            ),
            "metallic.color": with_map(subject(response__metallic__level=1.0), "base_color", maps["base_color"] * 0.1),
            "opacity.edge": cut_out(bled=False),
            "files.alpha": with_plan(subject(pack__files__profile="mask_packed"), format=lambda f: "jpeg"),
            "files.encoding": with_plan(good, floating=lambda f: True, encoding=lambda f: "srgb"),
            "files.read_back": replace(good, notes={"read_back": {"a.png": False}}),
            "files.lossless": with_plan(good, format=lambda f: "jpeg"),
            "files.names": with_plan(good, name=lambda f: "same.png"),
            "files.channels": with_plan(subject(pack__files__profile="gltf"), contents=lambda f: f.contents[::-1]),
        }  # fmt: skip
        for rule in (r.id for r in RULES):
            if rule in ("set.blank_maps", "base_color.bounds", "height.depth"):
                continue
            with self.subTest(rule=rule):
                self.assertIn(rule, spoiled, "a rule without a fault to find")
                self.assert_bad(spoiled[rule], rule)

    def test_how_much_of_the_maps_was_captured(self) -> None:
        # 512 px of gravel; a plain cut spends a fifth of them on its overlap: 427 px are left for the tile.
        for side, level, words in (
            (256, "pass", "1.7 px of the capture"),
            (512, "note", "enlarged 1.2 ×"),
            (1024, "attention", "enlarged 2.4 ×"),
        ):
            of = subject_of(evaluation(linear_photograph("gravel"), **size_of(side)), "gravel", 256)
            with self.subTest(side=side):
                (finding,) = self.findings(of, "set.detail")
                self.assertEqual(finding.level, level)
                self.assertIn(words, finding.measured)
        grown = {**size_of(512), "tile__join__method": "regrow", "tile__join__pattern": 25.0}
        of = subject_of(evaluation(linear_photograph("gravel"), **grown), "gravel", 256)
        (finding,) = self.findings(of, "set.detail")
        self.assertEqual(finding.level, "note")
        self.assertIn("shrunk to 30 %", finding.measured)

    def test_passes_are_not_accidents(self) -> None:
        """What fails above passes on the good set, except what a photograph may really have."""
        # A plain cut goes through stones of gravel; whole ones are laid by other methods.
        allowed = {"base_color.bounds", "tiling.drift", "set.blank_maps", "tiling.joins"}
        bad = {r.id for r, f in examine(self.good) if f.level in ("attention", "blocked")} - allowed
        self.assertEqual(bad, set())

    def test_a_bled_cut_out_passes(self) -> None:
        self.assertEqual([f.level for f in self.findings(cut_out(bled=True), "opacity.edge")], ["pass"])

    def test_the_depth_is_told_once_the_width_is(self) -> None:
        self.assertEqual(self.findings(self.good, "height.depth")[0].level, "note")
        known = self.findings(subject(square__size__sample_mm=300.0), "height.depth")[0]
        self.assertEqual(known.level, "pass")
        self.assertIn("mm", known.measured)

    def test_fixes_work(self) -> None:
        for changes, rule in (
            ({"tile__join__method": "none"}, "tiling.seam"),
            ({"relief__normal__y_in_files": "minus"}, "normal.y_direction"),
            ({"pack__files__height_bits": "8"}, "height.bit_depth"),
            ({"response__roughness__spread": 0.0}, "roughness.constant"),
            ({"relief__occlusion__contrast": 4.0, "relief__height__steepness": 0.8}, "ambient_occlusion.darkest"),
            ({"relief__height__low": 40.0, "relief__height__high": 60.0}, "height.clipping"),
            ({"response__metallic__level": 0.5}, "metallic.extremes"),
            ({"response__metallic__level": 1.0}, "metallic.extremes"),
            ({"pack__files__format": "jpeg"}, "files.lossless"),
            ({"pack__files__format": "jpeg", "pack__files__profile": "mask_packed"}, "files.alpha"),
            ({"even__original__exposure": 1.3}, "base_color.bounds"),
        ):
            with self.subTest(rule=rule):
                fault = subject(**changes)
                finding = self.assert_bad(fault, rule)
                assert finding.fix
                mended = {**changes, **{k.replace(".", "__"): v for k, v in finding.fix.changes.items()}}
                after = self.findings(subject(**mended), rule)
                self.assertTrue(all(f.level in ("pass", "note") for f in after), after)

    def test_no_fix_blocks_another_rule(self) -> None:
        gravel, lit = linear_photograph("gravel"), lit_from_one_side()
        joined = evaluation(lit, **size_of(256), even__light__amount=0.0).layer("base_color", (256, 256)).pixels
        as_it_is = {"tile__join__method": "none", "tile__join__tiles": True, "even__light__amount": 0.0}
        for name, pixels, changes in (
            ("untiled", gravel, {"tile__join__method": "none"}),
            ("green", gravel, {"relief__normal__y_in_files": "minus", "pack__files__format": "exr"}),
            (
                "half metal",
                gravel,
                {"response__metallic__level": 0.5, "relief__height__low": 40.0, "relief__height__high": 60.0},
            ),
            ("planted", planted(gravel), {"relief__occlusion__contrast": 4.0}),
            ("bright", gravel * np.float32([4, 0.12, 0.12]), {"response__roughness__spread": 0.0}),
            ("a lit tile", joined, as_it_is),
            ("a lit photograph", lit, {}),
        ):

            def of(pixels: np.ndarray = pixels, changes: dict[str, Any] = changes, **fixed: Any) -> Subject:
                return subject_of(evaluation(pixels, **{**size_of(256), **changes, **fixed}), "made", 256)

            first = examine(of())
            before = {rule.id for rule, finding in first if finding.level == "blocked"}
            for rule, finding in first:
                if finding.fix is None:
                    continue
                fixed = of(**{k.replace(".", "__"): v for k, v in finding.fix.changes.items()})
                after = {other.id for other, one in examine(fixed) if one.level == "blocked"}
                with self.subTest(name, rule=rule.id, fix=finding.fix.label):
                    self.assertLessEqual(after, before)

    def assert_mended(self, of: Callable[..., Subject], rule: str) -> None:
        """A fault is found, and its fix, taken as the setting it is, makes the rule pass."""
        finding = self.assert_bad(of(), rule)
        assert finding.fix
        after = self.findings(of(**{k.replace(".", "__"): v for k, v in finding.fix.changes.items()}), rule)
        self.assertEqual([f.level for f in after if f.level in ("attention", "blocked")], [], after)
        self.assertIn("pass", [f.level for f in after if f.map in (finding.map, None)])

    def test_fixes_of_a_photograph_work(self) -> None:
        gravel = linear_photograph("gravel")
        wave = np.sin(np.linspace(0, 2 * np.pi, 512, dtype=np.float32))
        drifting = gravel * (1 + 0.7 * wave[None, :, None])
        unlit = {"even__light__amount": 0.0}
        for rule, pixels, changes in (
            ("tiling.drift", drifting, unlit),
            ("base_color.light", lit_from_one_side(), {}),
            ("base_color.saturation", gravel * np.float32([4, 0.12, 0.12]), {}),
            ("height.spikes", peppered(gravel), {"relief__cues__estimator": "tone", "relief__bands__finest": 3.0}),
            (
                "roughness.extremes",
                gravel,
                {"response__roughness__low": 0.0, "response__roughness__high": 1.0, "response__roughness__spread": 0.5},
            ),
        ):
            with self.subTest(rule=rule):

                def of(pixels: np.ndarray = pixels, changes: dict[str, Any] = changes, **fixed: Any) -> Subject:
                    return subject_of(evaluation(pixels, **{**size_of(256), **changes, **fixed}), "made", 256)

                self.assert_mended(of, rule)

    def test_what_runs_across_the_light_that_was_taken_out_cannot_be_told(self) -> None:
        lit = with_map(
            subject_of(evaluation(linear_photograph("gravel"), **size_of(256)), "made", 256),
            "base_color",
            lit_from_one_side(),
        )
        found = self.findings(lit, "base_color.light")[0]
        self.assertEqual(found.level, "attention")
        axis = float(found.measured.split("along ")[1].rstrip("°"))
        for taken, level in (
            (axis + 20, "attention"),
            (axis + 180, "attention"),
            (axis + 80, "unknown"),
            (axis - 100, "unknown"),
        ):
            with self.subTest(taken=taken):
                told = replace(lit, notes={**lit.notes, "light_taken": taken % 360})
                self.assertEqual(self.findings(told, "base_color.light")[0].level, level)

    def test_the_light_that_was_taken_out_is_told_to_the_rules(self) -> None:
        taken = subject_of(evaluation(lit_from_one_side(), **size_of(256), even__raking__amount=80.0), "made", 256)
        self.assertIn("light_taken", taken.notes)
        self.assertNotIn("light_taken", subject_of(evaluation(lit_from_one_side(), **size_of(256)), "made", 256).notes)

    def test_fixes_of_maps_that_came_along_work(self) -> None:
        surface = embossed_hide(256, 3)
        codes = {role: code / np.float32(np.iinfo(code.dtype).max) for role, code in truth_seen(surface).items()}
        sky = open_sky(surface.height, depth=1.0, reach=16.0, wraps=False)
        spoilt = {
            "normal.channels": {"normal": codes["normal"][..., [1, 0, 2]]},
            "set.aligned": {"height": codes["height"], "ambient_occlusion": np.roll(sky, (6, -5), (0, 1))},
            "set.aspect": {"height": cv2.resize(codes["height"], (512, 256))},
        }
        for rule, maps in spoilt.items():
            with self.subTest(rule=rule):
                self.assert_mended(partial(brought, surface.albedo, maps), rule)

    def test_occlusion_in_the_colour_goes_by_its_fix(self) -> None:
        matting = coir_matting(256, 3)
        sky = open_sky(matting.height, depth=1.0, reach=16.0, wraps=False)
        maps = {"height": matting.height / matting.height.max(), "ambient_occlusion": sky}
        self.assert_mended(partial(brought, matting.albedo * sky[..., None], maps), "ambient_occlusion.apart")

    def test_what_stands_out_is_filled_by_its_fix(self) -> None:
        photo = planted(linear_photograph("gravel"))

        def of(**changes: Any) -> Subject:
            return subject_of(evaluation(photo, **{**size_of(256), **changes}), "gravel", 256)

        finding = self.assert_bad(of(), "tiling.giveaways")
        assert finding.fix
        self.assertIsNotNone(finding.box)
        after = self.findings(
            of(**{k.replace(".", "__"): v for k, v in finding.fix.changes.items()}), "tiling.giveaways"
        )
        self.assertNotIn("attention", [f.level for f in after], after)

    def test_what_was_let_be_is_a_note_until_it_is_worse(self) -> None:
        stone = planted(linear_photograph("gravel"))

        def found(*waived: dict[str, Any]) -> Finding:
            one = evaluation(stone, **size_of(256), tile__join__method="blend", check__limits__waived=list(waived))
            seen = [f for rule, f in examine(subject_of(one, "gravel", 256)) if rule.id == "tiling.giveaways"]
            self.assertEqual(len(seen), 1)
            return seen[0]

        first = found()
        self.assertEqual((first.level, first.waived), ("attention", False))
        ratio = first.times_limit
        assert ratio is not None
        here = {
            "rule": "tiling.giveaways",
            "map": "base_color",
            "ratio": ratio,
            "measured": first.measured,
            "box": first.box,
        }
        self.assertEqual((found(here).level, found(here).waived, found(here).box), ("note", True, first.box))
        # It may measure a twentieth more after other changes, and no more.
        self.assertEqual(found({**here, "ratio": ratio / 1.04}).level, "note")
        self.assertEqual(found({**here, "ratio": ratio / 1.06}).level, "attention")
        assert first.box is not None
        left, top, wide, high = first.box
        # At another place it is another thing: moved by a third of its width, half of both is still shared.
        self.assertEqual(found({**here, "box": [left + 0.32 * wide, top, wide, high]}).level, "note")
        beside = [left + 0.35 * wide, top, wide, high]
        for other in ({"map": "height"}, {"rule": "tiling.drift"}, {"ratio": None}, {"box": None}, {"box": beside}):
            self.assertEqual(found({**here, **other}).level, "attention", other)

    def test_what_is_yes_or_no_is_let_be_in_its_own_words(self) -> None:
        at = ("set.powers", "", None, "300 × 300 px", None)
        one = Waiver(rule="set.powers", ratio=None, measured="300 × 300 px")
        self.assertTrue(one.covers(*at))
        self.assertFalse(one.covers(*at[:3], "200 × 300 px", None))
        self.assertFalse(one.covers(*at[:2], 1.2, *at[3:]))

    def test_what_is_blocked_cannot_be_let_be(self) -> None:
        base = subject()
        normal = base.maps["normal"].pixels.copy()
        normal[..., 2] = -np.abs(normal[..., 2])
        rows = [(rule, f) for rule, f in examine(with_map(base, "normal", normal)) if f.level == "blocked"]
        self.assertTrue(rows)
        waived = [
            {"rule": rule.id, "map": f.map or "", "ratio": f.times_limit, "measured": f.measured, "box": f.box}
            for rule, f in rows
        ]
        recipe = base.recipe.with_changes({"check.limits.waived": waived})
        again = [
            f for _, f in examine(with_map(replace(base, recipe=recipe), "normal", normal)) if f.level == "blocked"
        ]
        self.assertEqual(len(again), len(rows))

    def test_blotches_are_evened_before_places_are_filled_and_by_halves(self) -> None:
        spoiled = planted(self.good.maps["base_color"].pixels)
        found = find_repeats(spoiled)
        for blotches, amount, offered in (
            (1.09, 0.0, "tile.repair.spots"), (1.1, 0.0, 50.0), (1.1, 50.0, 100.0), (1.1, 80.0, 100.0), (1.1, 100.0, "tile.repair.spots"),
        ):  # fmt: skip
            recipe = self.good.recipe.with_changes({"even.drift.amount": amount})
            of = replace(with_map(self.good, "base_color", spoiled), recipe=recipe)
            with mock.patch(
                "amber_thicket.core.check.rules.tiling_giveaways.find_repeats",
                return_value=replace(found, blotches=blotches),
            ):
                fix = self.assert_bad(of, "tiling.giveaways").fix
            assert fix
            with self.subTest(blotches=blotches, amount=amount):
                self.assertEqual(fix.changes.get("even.drift.amount", next(iter(fix.changes))), offered)

    def test_a_joint_at_the_border_may_stand_out_a_quarter_more_than_the_others(self) -> None:
        """At smaller sizes; the lines of the tile are set against those of the picture it comes from."""
        rule = "amber_thicket.core.check.rules.tiling_mips"
        for border, own, level in (
            (24.9, 20.0, "pass"),
            (25.1, 20.0, "attention"),
            (3.9, 4.0, "pass"),
            (4.1, 4.0, "attention"),
        ):
            both = (Seam(border, 1.0, 0.5), Seam(0.0, 1.0, 0.5))
            with mock.patch(f"{rule}.seams", return_value=both), mock.patch(f"{rule}.worst_line", return_value=own):
                self.assertEqual([one.level for one in self.findings(self.good, "tiling.mips")], [level], (border, own))
        with mock.patch("amber_thicket.core.check.rules.tiling_hidden_seam.seams", side_effect=seams) as asked:
            self.findings(self.good, "tiling.hidden_seam")
        self.assertEqual(["like" in call.kwargs for call in asked.call_args_list], [True, False])

    def test_where_nothing_is_left_to_fill_from_there_is_no_fix_and_the_check_goes_on(self) -> None:
        spoiled = with_map(self.good, "base_color", planted(self.good.maps["base_color"].pixels))
        whole = [(0.5, 0.5, 0.9)]
        with mock.patch("amber_thicket.core.check.rules.tiling_giveaways.unfit", return_value=whole):
            finding = self.assert_bad(spoiled, "tiling.giveaways")
        self.assertIsNone(finding.fix)

    def test_blank_maps_are_named(self) -> None:
        self.assertTrue(any("blank" in f.measured for f in self.findings(self.good, "set.blank_maps")))
        metal = subject(response__metallic__level=0.9)
        self.assertFalse(
            any("blank" in f.measured and f.map == "metallic" for f in self.findings(metal, "set.blank_maps"))
        )

    def test_cannot_tell_is_said(self) -> None:
        flat = np.zeros((256, 256, 3), np.float32)
        flat[..., 2] = 1
        levels = {f.level for f in self.findings(with_map(self.good, "normal", flat), "normal.y_direction")}
        self.assertEqual(levels, {"unknown"})

    def test_evidence_lies_in_the_tile(self) -> None:
        for _, finding in examine(subject(tile__join__method="none")):
            if finding.box:
                left, top, width, height = finding.box
                self.assertTrue(-0.02 <= left <= 1 and -0.02 <= top <= 1 and width > 0 and height > 0)

    def test_raster_is_a_raster(self) -> None:
        self.assertIsInstance(self.good.sample, Raster)
