"""A place that catches the eye, left out on the sample by one press: no method that plans shows it again."""

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.tile.repeat_artifacts import ALARM
from amber_thicket.errors import BadSetting
from amber_thicket.service.left_out import leave_out
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts, fill_places
from tests.support import evaluation, linear_photograph, size_of

RED = np.float32([0.6, 0.05, 0.03])


def spotted() -> np.ndarray:
    """Gravel with one red stone in its middle."""
    pixels = linear_photograph("gravel").copy()
    y, x = np.mgrid[0 : pixels.shape[0], 0 : pixels.shape[1]]
    pixels[np.hypot(x - 262, y - 244) < 17] = RED
    return pixels


class LineTest(unittest.TestCase):
    def test_a_crack_is_filled_along_its_length_or_left_out_on_the_sample(self) -> None:
        pixels = linear_photograph("gravel") * 0 + np.float32([0.3, 0.29, 0.27])
        rng = np.random.default_rng(2)
        pixels = pixels * (
            1 + 0.2 * blur(rng.normal(size=pixels.shape[:2]).astype(np.float32), 2, wraps=False)[..., None]
        )
        v, u = np.mgrid[0 : pixels.shape[0], 0 : pixels.shape[1]]
        crack = np.exp(-0.5 * ((v - 240 - 0.4 * (u - 230)) / 2.0) ** 2) * (np.abs(u - 230) < 100)
        pixels = (pixels * (1 - 0.6 * crack[..., None])).astype(np.float32)
        one = evaluation(pixels, **size_of(512), tile__join__method="cut", even__light__amount=0.0)
        (line, *_) = [place for place in describe_repeat_artifacts(one)["places"] if place["points"]]
        filled = one.with_changes(fill_places(one, [], [(line["points"], line["radius"])]))
        out = leave_out(one, [(x, y, line["radius"]) for x, y in line["points"]])
        for changed in (filled, one.with_changes(out)):
            left = [place for place in describe_repeat_artifacts(changed)["places"] if place["points"]]
            self.assertEqual(left, [])


class LeftOutTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.pixels = spotted()

    def red(self, one: Any) -> float:
        """Share of the tile that is red."""
        tile = one.layer("base_color", (256, 256)).pixels
        return float((tile[..., 0] > 3 * tile[..., 1]).mean())

    def test_gone_from_the_tile_by_every_method_that_plans(self) -> None:
        for method in ("cut", "joints", "regrow", "strew"):
            settings = {**size_of(256), "tile__join__method": method, "even__light__amount": 0.0}
            before = evaluation(self.pixels, **settings)
            with self.subTest(method):
                places = [p for p in describe_repeat_artifacts(before)["places"] if p["strength"] >= ALARM]
                self.assertGreater(self.red(before), 0.001)
                at = places[0]["x"], places[0]["y"], places[0]["radius"]
                tile = before.layer("base_color", (256, 256)).pixels
                there = tile[int(at[1] * 256), int(at[0] * 256)]
                self.assertGreater(there[0], 2 * there[1], "the red stone is first")
                changes = leave_out(before, [at])
                after = evaluation(self.pixels, **settings, tile__join__excluded=changes["tile.join.excluded"])
                self.assertLess(self.red(after), 1e-4)

    def test_what_was_left_out_stays_beside_the_new(self) -> None:
        one = evaluation(self.pixels, **size_of(256))
        first = leave_out(one, [(0.2, 0.3, 0.03)])
        again = evaluation(self.pixels, **size_of(256), tile__join__excluded=first["tile.join.excluded"])
        both = leave_out(again, [(0.6, 0.7, 0.03)])["tile.join.excluded"]
        self.assertEqual(both[: len(first["tile.join.excluded"])], first["tile.join.excluded"])
        self.assertGreater(len(both), len(first["tile.join.excluded"]))

    def test_a_place_on_a_join_is_left_out_on_both_its_sides(self) -> None:
        # Round the tile's corner a join runs nearly everywhere: what shows there comes from several places.
        one = evaluation(self.pixels, **size_of(256))
        counts = {
            len(leave_out(one, [(x, y, 0.08)])["tile.join.excluded"])
            for x in (0.05, 0.1, 0.15)
            for y in (0.05, 0.1, 0.5)
        }
        self.assertGreaterEqual(max(counts), 2)

    def test_left_out_by_colour(self) -> None:
        for method in ("cut", "strew"):
            settings = {**size_of(256), "tile__join__method": method, "even__light__amount": 0.0}
            with self.subTest(method):
                picked = evaluation(self.pixels, **settings, tile__join__excluded_colours=("#cd402f",))
                self.assertLess(self.red(picked), 3e-4)
        # As far as a colour may lie: at the narrowest the stone, whose tone is even, still goes; another colour does
        # not touch it.
        settings = {**size_of(256), "even__light__amount": 0.0}
        other = evaluation(self.pixels, **settings, tile__join__excluded_colours=("#2f40cd",))
        self.assertGreater(self.red(other), 0.001)

    def test_where_hardly_anything_is_left_it_says_so(self) -> None:
        grey = [f"#{v:02x}{v:02x}{v:02x}" for v in range(20, 250, 21)]
        settings = {**size_of(256), "tile__join__excluded_colours": grey, "tile__join__excluded_tolerance": 40.0}
        with self.assertRaisesRegex(BadSetting, "cover 100 % of the sample"):
            evaluation(self.pixels, **settings).layer("base_color", (256, 256))

    def test_nothing_to_plan_round(self) -> None:
        for method in ("none", "blend", "stochastic"):
            with self.subTest(method), self.assertRaises(BadSetting):
                leave_out(evaluation(self.pixels, **size_of(256), tile__join__method=method), [(0.5, 0.5, 0.03)])


if __name__ == "__main__":
    unittest.main()
