"""What the page is told about a tile: seams of every map, drift, and what stood out before it was repaired."""

import unittest

import numpy as np

from amber_thicket.service.preview import figures, histogram
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts, fill_places
from tests.service.test_check import planted
from tests.support import evaluation, linear_photograph, size_of

SIDE = 512


class FiguresTest(unittest.TestCase):
    def test_every_map_has_its_seams_and_none_is_seen(self) -> None:
        found = figures(evaluation(linear_photograph("gravel"), **size_of(SIDE)))
        self.assertEqual(set(found["maps"]), {"height", "normal", "roughness", "ambient_occlusion"})
        for role, seams in found["maps"].items():
            self.assertEqual([seam["level"] for seam in seams], ["pass", "pass"], role)
        self.assertGreater(max(seam["border"] for seam in found["seam_before"]), 8)

    def test_drift_falls_from_before_to_after(self) -> None:
        pixels = linear_photograph("gravel").copy()
        pixels *= (0.5 + 0.5 * pixels.shape[1] ** -1.0 * np.arange(pixels.shape[1]))[None, :, None]
        found = figures(evaluation(pixels, **size_of(SIDE), even__drift__amount=100))
        self.assertLess(found["drift"], found["drift_before"] / 3)

    def test_histogram_against_a_known_spread(self) -> None:
        """A quarter black, a quarter burnt out, the rest sRGB code 128 (IEC 61966-2-1: linear 0.2159, from memory)."""
        grey = np.full((256, 256), 0.2159, np.float32)
        grey[:, :64], grey[:, 64:128] = 0.0, 1.5
        plain = {"even__light__amount": 0.0, "tile__join__method": "none"}
        told = histogram(evaluation(np.repeat(grey[..., None], 3, -1), **size_of(256), **plain), "evened")
        self.assertEqual([row["channel"] for row in told["channels"]], ["red", "green", "blue"])
        for row in told["channels"]:
            self.assertAlmostEqual(row["under"], 0.25, delta=0.02)
            self.assertAlmostEqual(row["over"], 0.25, delta=0.02)
            self.assertAlmostEqual(row["middle"] * 255, 128, delta=0.6)
            self.assertEqual(sum(row["counts"]), 256**2)
            self.assertEqual(int(np.argmax(row["counts"])), 64)
        normal = histogram(evaluation(linear_photograph("gravel"), **size_of(256)), "normal")
        self.assertEqual((normal["first"], normal["last"]), (-1.0, 1.0))
        self.assertGreater(normal["channels"][2]["low"], 0)

    def test_what_stood_out_is_told_beside_what_does(self) -> None:
        pixels = planted(linear_photograph("gravel"))
        plain = evaluation(pixels, **size_of(SIDE))
        told = describe_repeat_artifacts(plain)
        self.assertIsNone(told["before"], "nothing was repaired yet")
        first = told["places"][0]
        spots = fill_places(plain, [(first["x"], first["y"], first["radius"])])["tile.repair.spots"]
        after = describe_repeat_artifacts(evaluation(pixels, **size_of(SIDE), tile__repair__spots=spots))
        self.assertAlmostEqual(after["before"], first["strength"])
        self.assertLess(after["places"][0]["strength"], 0.7 * after["before"])


if __name__ == "__main__":
    unittest.main()
