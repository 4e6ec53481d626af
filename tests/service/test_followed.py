"""Fills and repairs stay on what they mend when the tile is planned anew, or are laid aside and come back."""

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.tile.repeat_artifacts import ALARM
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts, fill_places
from tests.service.test_left_out import spotted
from tests.support import encoded, size_of, temporary_library


def red(tile: np.ndarray) -> float:
    """Share of a tile that is red."""
    return float((tile[..., 0] > 3 * tile[..., 1]).mean())


class FollowTest(unittest.TestCase):
    def setUp(self) -> None:
        self.library = self.enterContext(temporary_library())
        self.material = self.library.add([encoded(encode_srgb8(spotted()))], "gravel.png", changes=self.plain()).id

    def plain(self) -> dict[str, Any]:
        settings = {**size_of(256), "even__light__amount": 0.0, "tile__join__method": "cut"}
        return {name.replace("__", "."): value for name, value in settings.items()}

    def edit(self, changes: dict[str, Any]) -> None:
        found = self.library.get(self.material)
        self.library.edit(self.material, found.revision, changes, label="Test", gesture="")

    def shown(self) -> Any:
        return self.library.evaluation(self.library.get(self.material))

    def tile(self) -> np.ndarray:
        return np.asarray(self.shown().layer("base_color", (256, 256)).pixels)

    def fill_the_red_one(self) -> None:
        places = [p for p in describe_repeat_artifacts(self.shown())["places"] if p["strength"] >= ALARM]
        at = places[0]["x"], places[0]["y"], places[0]["radius"]
        self.assertGreater(red(self.tile()), 0.001)
        self.edit(fill_places(self.shown(), [at]))
        self.assertLess(red(self.tile()), 4e-4)

    def test_a_fill_goes_where_its_place_goes(self) -> None:
        self.fill_the_red_one()
        first = self.shown().recipe.settings("tile.repair").spots[0]
        for changes in ({"tile.join.overlap_x": 34.0}, {"tile.join.method": "regrow"}, {"tile.join.method": "none"}):
            self.edit(changes)
            with self.subTest(changes):
                told = self.shown().recipe.settings("tile.repair")
                if told.spots:
                    self.assertLess(red(self.tile()), 4e-4, "it is still filled")
                else:
                    # Not shown at all, so nothing is filled.
                    self.assertEqual(len(told.aside), 1)
                    self.assertLess(red(self.tile()), 4e-4)
        moved = self.shown().recipe.settings("tile.repair").spots[0]
        self.assertGreater(abs(moved.x - first.x) + abs(moved.y - first.y), 0.01)

    def test_a_fill_of_what_shows_nowhere_is_laid_aside_and_comes_back(self) -> None:
        self.fill_the_red_one()
        around = {"radius": 0.07, "points": [[262 / 512, 244 / 512], [262 / 512, 244 / 512]]}
        self.edit({"tile.join.excluded": [around]})
        told = self.shown().recipe.settings("tile.repair")
        self.assertEqual((len(told.spots), len(told.aside)), (0, 1))
        self.assertEqual(describe_repeat_artifacts(self.shown())["aside"], 1)
        self.assertEqual(describe_repeat_artifacts(self.shown())["filled"], [])
        self.edit({"tile.join.excluded": None})
        told = self.shown().recipe.settings("tile.repair")
        self.assertEqual((len(told.spots), len(told.aside)), (1, 0))
        self.assertLess(red(self.tile()), 4e-4)

    def test_one_step_takes_both_back(self) -> None:
        self.fill_the_red_one()
        before = self.shown().recipe.settings("tile.repair")
        self.edit({"tile.join.overlap_x": 34.0})
        self.assertNotEqual(self.shown().recipe.settings("tile.repair"), before)
        self.library.undo(self.material, self.library.get(self.material).revision)
        self.assertEqual(self.shown().recipe.settings("tile.repair"), before)
        self.assertEqual(self.shown().recipe.settings("tile.join").overlap_x, 20.0)

    def test_strokes_of_the_repair_brush_go_along(self) -> None:
        places = [p for p in describe_repeat_artifacts(self.shown())["places"] if p["strength"] >= ALARM]
        x, y, radius = places[0]["x"], places[0]["y"], places[0]["radius"]
        touch = {"kind": "fill", "radius": 1.2 * radius, "points": [[x, y], [x + 0.002, y]]}
        self.edit({"tile.retouch.strokes": [touch]})
        self.assertLess(red(self.tile()), 4e-4)
        self.edit({"tile.join.overlap_x": 34.0})
        (moved,) = self.shown().recipe.settings("tile.retouch").strokes
        self.assertNotEqual(moved.points[0][0], x)
        self.assertLess(red(self.tile()), 4e-4)

    def test_nothing_moves_where_the_plan_stays(self) -> None:
        self.fill_the_red_one()
        before = self.shown().recipe.settings("tile.repair")
        self.edit({"relief.normal.strength": 2.0})
        self.assertEqual(self.shown().recipe.settings("tile.repair"), before)


if __name__ == "__main__":
    unittest.main()
