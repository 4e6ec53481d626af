"""Recipes: only differences are kept, bad values change nothing, JSON goes round."""

import json
import unittest
from dataclasses import FrozenInstanceError

from amber_thicket.core.recipe import VERSION, Recipe, from_json
from amber_thicket.core.tile.join import reach
from amber_thicket.errors import BadRecipe, BadSetting


class RecipeTest(unittest.TestCase):
    def test_only_differences_are_kept(self) -> None:
        recipe = Recipe().with_changes({"tile.join.overlap_x": 30, "even.light.amount": 80.0})
        self.assertEqual(recipe.changed, {"tile.join": {"overlap_x": 30.0}})
        self.assertEqual(recipe.with_changes({"tile.join.overlap_x": None}).changed, {})

    def test_a_recipe_is_never_changed_itself(self) -> None:
        with self.assertRaises(FrozenInstanceError):
            Recipe().changed = {}  # type: ignore[misc]

    def test_round_trip(self) -> None:
        recipe = Recipe().with_changes({"relief.height.invert": True, "square.size.width": 2048})
        again = from_json(json.dumps(recipe.as_json()))
        self.assertEqual(again, recipe)

    def test_bad_values_name_setting_value_and_range(self) -> None:
        recipe = Recipe()
        for path, value, part in (
            ("tile.join.overlap_x", 90, "from 4 to 45"),
            ("tile.join.method", "weld", "cut"),
            ("square.size.width", 1000, "1024"),
            ("relief.height.depth", 1, "steepness"),
            ("relief.bumpiness.x", 1, "stage.operation.setting"),
            ("even.light.amount", "much", "from 0 to 100"),
            ("even.light.amount", float("nan"), "from 0 to 100"),
            ("even.light.amount", [1], "from 0 to 100"),
            ("square.crop.left", 99.0, ""),
        ):
            with self.subTest(path=path, value=value), self.assertRaises(BadSetting) as caught:
                recipe.with_changes(
                    {"relief.height.invert": True, path: value}
                    | ({"square.crop.right": 20.0} if "crop" in path else {})
                )
            self.assertIn(part, caught.exception.message + caught.exception.remedy)
        self.assertEqual(recipe.changed, {})

    def test_strange_recipes_are_refused(self) -> None:
        now = {"version": VERSION, "operations": {}}
        for data in ("{", "[]", "{}", "[" * 5000, {"version": 1, "operations": {"tile.join": 3}}, {"version": "1", "operations": {}},
                     {"version": True, "operations": {}}, {"version": 0, "operations": {}},
                     {**now, "operations": {"tile.weld": {}}}, {**now, "operations": {"tile.join": {"weld": 1}}},
                     {**now, "operations": {"tile.join": {"method": "weld"}}}, {**now, "aside": {"version": 0, "operations": {"a.b": {}}}},
                     {"version": 1, "operations": {"tile.join": {"excluded": "["}}}):  # fmt: skip
            with self.subTest(data=str(data)[:80]), self.assertRaises((BadRecipe, BadSetting)):
                from_json(data)


class MigrationTest(unittest.TestCase):
    def test_times_as_wide_became_the_scale_of_the_pattern(self) -> None:
        for version in (1, 2):
            for grow in (1, 1.5, 4):
                data = {"version": version, "operations": {"tile.join": {"method": "strew", "grow": grow, "seed": 7}}}
                chosen = from_json(data).settings("tile.join")
                self.assertEqual((chosen.method, chosen.seed), ("strew", 7))
                self.assertAlmostEqual(reach(chosen)[0], 1 / grow - 1, places=12)
            for wrong in ("much", 5, True, None):
                with self.assertRaises(BadSetting):
                    from_json({"version": version, "operations": {"tile.join": {"grow": wrong}}})


class OtherVersions(unittest.TestCase):
    """Settings of an older or newer version that mean nothing here are kept aside and told, never fatal."""

    NEWER = {
        "version": VERSION + 1,
        "operations": {
            "tile.weld": {"seam": 3},
            "tile.join": {"overlap_x": 30, "method": "weld", "glue": [1]},
            "square.size": {"width": 512},
        },
    }

    def test_what_a_newer_program_wrote_opens_as_far_as_it_is_known(self) -> None:
        recipe = from_json(self.NEWER)
        self.assertEqual(recipe.changed, {"tile.join": {"overlap_x": 30.0}, "square.size": {"width": 512}})
        self.assertEqual(recipe.aside.paths, ("tile.weld.seam", "tile.join.method", "tile.join.glue"))

    def test_it_is_kept_through_changes_and_when_it_is_stored_again(self) -> None:
        recipe = from_json(self.NEWER).with_changes({"even.light.amount": 20.0})
        again = from_json(json.dumps(recipe.as_json()))
        self.assertEqual(again, recipe)
        self.assertEqual(again.aside.version, VERSION + 1)
        self.assertEqual(again.aside.operations["tile.weld"], {"seam": 3})

    def test_a_program_that_knows_it_takes_it_up_but_not_over_what_was_set_since(self) -> None:
        stored = {
            "version": VERSION,
            "operations": {"tile.join": {"overlap_x": 12.0}},
            "aside": {"version": VERSION, "operations": {"tile.join": {"overlap_x": 40, "overlap_y": 33, "glue": 1}}},
        }
        recipe = from_json(stored)
        self.assertEqual(recipe.changed, {"tile.join": {"overlap_x": 12.0, "overlap_y": 33.0}})
        self.assertEqual(recipe.aside.paths, ("tile.join.glue",))

    def test_of_two_that_do_not_fit_together_the_first_stays(self) -> None:
        recipe = from_json({"version": 1, "operations": {"even.tone": {"black": 50, "white": 40}}})
        self.assertEqual(recipe.changed["even.tone"], {"black": 50.0})
        self.assertEqual(recipe.aside.paths, ("even.tone.white",))

    def test_what_was_let_be_under_its_former_name_still_is(self) -> None:
        told = {"rule": "tiling.giveaways", "map": "base_color", "ratio": 1.3, "measured": "2 places"}
        for name in ("let_be", "waived"):
            found = from_json({"version": 6, "operations": {"check.limits": {name: [told], "base_color": "strict"}}})
            self.assertEqual(found.aside.paths, (), name)
            self.assertEqual(found.settings("check.limits").base_color, "strict")
            [waiver] = found.settings("check.limits").waived
            self.assertEqual((waiver.rule, waiver.map, waiver.ratio, waiver.box), (*list(told.values())[:3], None))

    def test_roughness_of_older_ones_is_read_as_it_was(self) -> None:
        for version in range(1, 5):
            told = from_json({"version": version, "operations": {"response.roughness": {"centre": 0.3}}})
            self.assertEqual(told.changed, {"response.roughness": {"centre": 0.3, "reads": "tone"}})
        self.assertEqual(from_json({"version": 5, "operations": {}}).changed, {})


if __name__ == "__main__":
    unittest.main()
