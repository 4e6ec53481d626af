"""One view in two lights: slopes without colour, which side is which, and a colour without shading, shadow and glint."""

from __future__ import annotations

import unittest
from functools import cache

import cv2
import numpy as np

from amber_thicket.core.align.sorting import Item, sort_files
from amber_thicket.core.even.both_lights import both_lights, change_of_first
from amber_thicket.core.gather.roles import Guess, named
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.shading.two_lights import axis_of_two, difference_of_lights, log_ratio
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from tests.support import ArraySource, frame, rig_surface

SIDE = 512
ONE, TWO = "a" * 16, "b" * 16
PLAIN = {"tile.join.method": "none", "square.size.width": SIDE, "square.size.height": SIDE}


@cache
def pair(kind: str, first: float, second: float | None) -> tuple[np.ndarray, np.ndarray]:
    """Photographs lit from two bearings; None is a flash from where the camera is."""
    shots = [Shot(bearing=first, elevation=38, sky=0.5)]
    shots.append(
        Shot(elevation=88, sky=0.1, fall_off=0.2) if second is None else Shot(bearing=second, elevation=38, sky=0.5)
    )
    surface = rig_surface(kind, SIDE, 8)
    return tuple(decode_srgb(photograph(surface, shot, np.random.default_rng(k))) for k, shot in enumerate(shots))


def material(kind: str, first: float, second: float | None, *, two: bool = True) -> Evaluation:
    photographs = pair(kind, first, second)
    files = {key: ArraySource(pixels, key) for key, pixels in zip((ONE, TWO), photographs, strict=True)}
    changes = PLAIN | ({"gather.maps.other_light": TWO} if two else {})
    return Evaluation(Recipe().with_changes(changes), files[ONE], Memory(10**9), files=files)


def slopes_alike(made: np.ndarray, true: np.ndarray) -> float:
    fields = [np.stack(np.gradient(cv2.GaussianBlur(np.asarray(one, np.float32), (0, 0), 1.0))) for one in (made, true)]
    return float(np.corrcoef(fields[0][:, 8:-8, 8:-8].ravel(), fields[1][:, 8:-8, 8:-8].ravel())[0, 1])


class SlopesTest(unittest.TestCase):
    def test_colour_cancels(self) -> None:
        rng = np.random.default_rng(3)
        paint = rng.uniform(0.05, 0.9, (64, 64, 3)).astype(np.float32)
        light = [np.full((64, 64, 1), value, np.float32) for value in (0.7, 0.3)]
        light[0][30:33] *= 1.5
        ratio = log_ratio(paint * light[0], paint * light[1], 200.0)
        # Exposure and white go with what is slow; what is left is the light alone, whatever is painted.
        self.assertLess(float(ratio.std(axis=1).max()), 1e-3)
        self.assertGreater(float(ratio[30:33].mean() - ratio[50:].mean()), 0.3)

    def test_height_is_truer_than_from_either_alone(self) -> None:
        for kind, first, second, least in (
            ("embossed_hide", 120.0, 300.0, 0.75), ("tarred_felt", 150.0, 30.0, 0.6), ("slate_shingles", 10.0, 190.0, 0.6),
        ):  # fmt: skip
            with self.subTest(kind):
                true = rig_surface(kind, SIDE, 8).height
                alone = slopes_alike(
                    material(kind, first, second, two=False).layer("formed", (SIDE, SIDE)).pixels, true
                )
                layer = material(kind, first, second).layer("formed", (SIDE, SIDE))
                both = slopes_alike(layer.pixels, true)
                self.assertGreater(both, least)
                self.assertGreater(both, alone + 0.1)
                self.assertEqual(layer.evidence["two_lights"], 1.0)
                # Seen from the second light the first one lies where the difference of both bearings says.
                x, y = (np.cos(np.radians([first, second])), np.sin(np.radians([first, second])))
                true_bearing = np.degrees(np.arctan2(y[0] - y[1], x[0] - x[1])) % 360
                apart = (layer.evidence["bearing"] - true_bearing + 180) % 360 - 180
                self.assertLess(abs(apart), 12)

    def test_files_the_other_way_round_give_the_same_height(self) -> None:
        true = rig_surface("embossed_hide", SIDE, 8).height
        self.assertGreater(
            slopes_alike(material("embossed_hide", 300.0, 120.0).layer("formed", (SIDE, SIDE)).pixels, true), 0.7
        )

    def test_with_and_without_flash(self) -> None:
        for kind in ("cork_board", "tide_pebbles"):
            true = rig_surface(kind, SIDE, 8).height
            self.assertGreater(slopes_alike(material(kind, 60.0, None).layer("formed", (SIDE, SIDE)).pixels, true), 0.7)

    def test_other_sizes_and_tiles_hold_the_same_relief(self) -> None:
        one = material("embossed_hide", 120.0, 300.0)
        small = (
            one.with_changes({"square.size.width": 256, "square.size.height": 256}).layer("formed", (256, 256)).pixels
        )
        large = cv2.resize(
            np.asarray(one.layer("formed", (SIDE, SIDE)).pixels), (256, 256), interpolation=cv2.INTER_AREA
        )
        self.assertGreater(np.corrcoef(small.ravel(), large.ravel())[0, 1], 0.97)
        cut = one.with_changes({"tile.join.method": "cut"}).layer("formed", (SIDE, SIDE))
        self.assertEqual(cut.evidence["two_lights"], 1.0)

    def test_twice_the_same_photograph_tells_nothing(self) -> None:
        same = pair("embossed_hide", 120.0, 300.0)[0]
        self.assertEqual(axis_of_two(difference_of_lights(same, same, SIDE)).weight, 0.0)


class ColourTest(unittest.TestCase):
    def albedo_error(self, one: Evaluation, kind: str) -> float:
        made, true = one.layer("evened", (SIDE, SIDE)).pixels, rig_surface(kind, SIDE, 8).albedo
        off = np.log(np.maximum(made, 0.01)) - np.log(np.maximum(true, 0.01))
        return float(np.sqrt(((off - np.median(off, axis=(0, 1))) ** 2).mean()))

    def test_shading_and_shadow_go(self) -> None:
        for kind in ("tide_pebbles", "deck_planks"):
            before = self.albedo_error(material(kind, 120.0, 300.0, two=False), kind)
            after = self.albedo_error(material(kind, 120.0, 300.0), kind)
            self.assertLess(after, 0.7 * before, kind)
            off = material(kind, 120.0, 300.0).with_changes({"even.both_lights.amount": 0.0})
            self.assertAlmostEqual(self.albedo_error(off, kind), before, delta=1e-6)

    def test_a_glint_and_a_shadow_give_way_whichever_photograph_they_are_in(self) -> None:
        rng = np.random.default_rng(1)
        plain = (0.3 + 0.02 * rng.standard_normal((128, 128, 1))).astype(np.float32).repeat(3, -1)
        for spot, value in (("glint", 0.95), ("shadow", 0.08)):
            spoilt = plain.copy()
            spoilt[60:66, 60:66] = value
            for one, other in ((spoilt, plain), (plain, spoilt)):
                made = both_lights(Raster(one), Raster(other), frame=frame(128), amount=100.0).pixels
                off = abs(float(made[61:65, 61:65].mean()) - 0.3)
                self.assertLess(off, 0.05, f"{spot}, in the {'first' if one is spoilt else 'second'}")

    def test_half_of_a_small_difference_is_taken(self) -> None:
        base = np.full((64, 64, 3), 0.3, np.float32)
        other = base.copy()
        other[:, 30:34] *= np.float32(1.2)
        change = change_of_first(base, other, 64.0)
        np.testing.assert_allclose(change, -0.5 * log_ratio(base, other, 64.0, wraps=False), atol=1e-6)

    def test_without_a_second_photograph_nothing_changes(self) -> None:
        pixels = np.random.default_rng(2).random((32, 32, 3)).astype(np.float32)
        self.assertIs(both_lights(Raster(pixels), None, frame=frame(32), amount=100.0).pixels, pixels)


class SortingTest(unittest.TestCase):
    def test_two_photographs_of_one_view_in_two_lights_are_seen(self) -> None:
        small = [
            cv2.resize(pixels, (256, 256), interpolation=cv2.INTER_AREA)
            for pixels in pair("embossed_hide", 120.0, 300.0)
        ]
        items = [Item(f"DSC_{n}.jpg", pixels, (SIDE, SIDE), Guess("photo", "")) for n, pixels in enumerate(small)]
        found = sort_files(items)
        self.assertEqual((found.kind, found.sure), ("two_lights", False))
        self.assertEqual([row.role for row in found.rows], ["photo", "other_light"])
        # The one that is called so is the other, in whatever order they come.
        named_so = [items[0]._replace(name="hide_flash.jpg"), items[1]._replace(name="hide.jpg")]
        self.assertEqual(
            [(row.at, row.role) for row in sort_files(named_so, "two_lights").rows], [(1, "photo"), (0, "other_light")]
        )
        self.assertEqual(named("hide_flash.jpg").role, "other_light")


if __name__ == "__main__":
    unittest.main()
