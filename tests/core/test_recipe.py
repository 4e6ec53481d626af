"""Recipes: only differences are kept, bad values change nothing, JSON goes round."""

import json
import unittest

from amber_thicket.core.recipe import VERSION, Recipe, from_json
from amber_thicket.errors import BadRecipe, BadSetting


class RecipeTest(unittest.TestCase):
    def test_only_differences_are_kept(self) -> None:
        recipe = Recipe().with_changes({"tile.join.overlap_x": 30, "even.light.amount": 80.0})
        self.assertEqual(recipe.changed, {"tile.join": {"overlap_x": 30.0}})
        self.assertEqual(recipe.with_changes({"tile.join.overlap_x": None}).changed, {})

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
        for data in ("{", "[]", "{}", {"version": VERSION + 1, "operations": {}}, {"version": 1, "operations": {"tile.join": 3}},
                     {"version": "1", "operations": {}}):  # fmt: skip
            with self.subTest(data=data), self.assertRaises((BadRecipe, BadSetting)):
                from_json(data)
        with self.assertRaises(BadSetting):
            from_json({"version": 1, "operations": {"tile.weld": {}}})
