"""Light sets: normals against the truth, and every mistake somebody makes when taking one."""

from __future__ import annotations

import unittest
from unittest import mock

import cv2
import numpy as np

from amber_thicket.core.gather.lamps import bearings, directions_of
from amber_thicket.core.gather.lights import Lamp, Settings, directions, standing
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.lightset import ring
from amber_thicket.core.lightset.find import analyze_light_set, check_light_set
from amber_thicket.core.lightset.solve import _median, solve_light_set
from amber_thicket.core.lightset.source import light_set, unbent
from amber_thicket.core.lightset.stabilize import Stabilization, apply_stabilization, moved_by, stabilize
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.square.lens import straight
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.camera import ring as ring_of_lamps
from tests.lightset import RELIEFS, angles, relief, shot
from tests.support import ArraySource

LAMPS = directions_of(bearings(8, first=37.0), 45.0)
NAMES = [f"p{number}.jpg" for number in range(8)]


def asked(**settings) -> Settings:
    frames = tuple(Lamp(file=f"{number:016x}") for number in range(settings.pop("count", 8)))
    return Settings(frames=frames, **settings)


def fixed(photos, **how):
    wanted = {"align": False, "exposure": False, "lamp_light": False} | how
    steady = stabilize(photos, LAMPS[: len(photos)], **wanted)
    return np.stack([apply_stabilization(photo, k, steady) for k, photo in enumerate(photos)]), steady


def no_stabilization(count: int) -> Stabilization:
    """Nothing to put right."""
    return Stabilization(np.zeros((count, 2)), np.ones(count), np.zeros((count, 6)))


class Normals(unittest.TestCase):
    def test_three_lamps_on_a_matt_plane_are_woodhams_closed_form(self) -> None:
        # Woodham 1980: I = ρ N·L; with three lamps N and ρ follow exactly.
        normal, albedo = np.array([0.3, -0.2, np.sqrt(1 - 0.13)]), np.array([0.5, 0.3, 0.2])
        lamps = directions_of(bearings(3, first=20.0), 50.0)
        light = (lamps @ normal)[:, None, None, None] / lamps[0, 2] * albedo
        made = solve_light_set(np.broadcast_to(light, (3, 4, 4, 3)).astype(np.float32), lamps)
        np.testing.assert_allclose(made.normal, np.broadcast_to(normal, (4, 4, 3)), atol=1e-5)
        np.testing.assert_allclose(made.albedo, np.broadcast_to(albedo, (4, 4, 3)), rtol=1e-4)
        self.assertLess(float(made.residual.max()), 1e-4)

    def test_medians_as_sorting_gives_them(self) -> None:
        choose = np.random.default_rng(4)
        for count in range(1, 26):
            for values in (
                choose.normal(size=count),
                choose.integers(0, 3, count).astype(float),
                np.arange(count, 0.0, -1),
            ):
                self.assertEqual(_median(values.copy()), np.median(values), values)

    def test_a_shadow_and_a_glint_are_set_aside(self) -> None:
        normal = np.array([0.25, 0.1, 0.0])
        normal[2] = np.sqrt(1 - normal @ normal)
        light = np.repeat((LAMPS @ normal)[:, None, None, None] * 0.5, 3, -1).astype(np.float32)
        spoilt = light.copy()
        spoilt[5] *= 0.1
        spoilt[1] += 0.6
        made = solve_light_set(spoilt, LAMPS)
        self.assertLess(float(angles(made.normal[0, 0], normal)), 0.5)
        self.assertGreater(float(made.glint[0, 0]), 0.55)

    def test_bench_surfaces_with_shadow_glare_and_noise(self) -> None:
        # QUALITY §1: median 2.5°, mean 3.5° with eight lamps at 45°; the truth is as sharp as the camera.
        # The last three served for none of the method's numbers.
        kinds = (
            "lime_render embossed_hide tide_pebbles tarred_felt verdigris_copper rippled_sand rusted_plate sail_canvas"
        )
        for kind in kinds.split():
            photos, truth = shot(kind)
            off = angles(solve_light_set(photos, LAMPS).normal, truth)
            with self.subTest(kind):
                self.assertLessEqual(float(np.median(off)), 2.5)
                self.assertLessEqual(float(off.mean()), 3.5)
        # Steps, which the camera sees as a mixture of both sides, carry two thirds of what slates are off.
        photos, truth = shot("slate_shingles")
        off = angles(solve_light_set(photos, LAMPS).normal, truth)
        self.assertLessEqual(float(np.median(off)), 2.5)
        self.assertLessEqual(float(off.mean()), 4.0)

    def test_bending_goes_and_relief_stays(self) -> None:
        y, x = np.mgrid[0:256, 0:256].astype(np.float32)
        slope = 0.3 * np.sin(2 * np.pi * x / 16)
        bent = np.stack([-(slope + 0.4 * (x - 128) / 128), 0 * x, np.ones_like(x)], -1)
        flat = unbent((bent / np.linalg.norm(bent, axis=-1, keepdims=True)).astype(np.float32), 64)
        seen = -flat[..., 0] / flat[..., 2]
        self.assertLess(abs(float(np.mean(seen[:, 48:80])) - float(np.mean(seen[:, 176:208]))), 0.06)
        self.assertGreater(float(np.std(seen[:, 64:192])), 0.19)


class Found(unittest.TestCase):
    def test_bearing_and_direction_and_which_is_a_bump(self) -> None:
        for kind, first, clockwise in (
            ("embossed_hide", 37.0, False),
            ("tide_pebbles", 200.0, True),
            ("cork_board", 301.0, True),
        ):
            photos, _ = shot(kind, first=first, clockwise=clockwise)
            seen = ring.found(photos[:, :400, :400], elevation=45.0)
            with self.subTest(kind):
                self.assertEqual(seen.clockwise, clockwise)
                self.assertTrue(seen.certain)
                self.assertLess(abs((seen.first - first + 180) % 360 - 180), 1.0)

    def test_a_wrong_bearing_is_told_from_the_right_one(self) -> None:
        photos, truth = shot("embossed_hide")
        report = analyze_light_set(photos, asked(first=127.0, direction="cw"), no_stabilization(8), NAMES)
        self.assertAlmostEqual(report.changes["gather.lights.first"], 37.0, delta=1.0)
        self.assertEqual(report.changes["gather.lights.direction"], "ccw")
        self.assertGreater(report.confidence, 0.8)
        right = solve_light_set(photos, directions(asked(first=report.changes["gather.lights.first"])))
        self.assertLess(float(np.median(angles(right.normal, truth))), 2.6)
        # Half a turn off, bumps are dents: common practice, no source.
        dents = solve_light_set(photos, directions(asked(first=217.0)))
        np.testing.assert_allclose(dents.normal[..., :2], -solve_light_set(photos, LAMPS).normal[..., :2], atol=2e-3)

    def test_where_nothing_tells_bumps_from_dents_it_asks(self) -> None:
        flat = np.full((96, 96), 0.5, np.float32)
        noise = np.random.default_rng(1).normal(0, 0.004, (8, 96, 96)).astype(np.float32)
        photos = np.repeat((flat + noise)[..., None], 3, -1)
        report = analyze_light_set(photos, asked(), no_stabilization(8), NAMES)
        self.assertFalse(report.certain)
        self.assertIn("say on which side the first lamp stood", " ".join(text for _, text in report.told))

    def test_shadows_tell_and_slopes_do_not(self) -> None:
        """Twelve reliefs, half of them others inside out: certain where they cast shadows, never certain and wrong."""
        certain = asked_for = 0
        for name in RELIEFS:
            surface = relief(name, 240, 303, steep=1.8)
            photos = np.stack(
                [
                    decode_srgb(photograph(surface, one, np.random.default_rng(k)))
                    for k, one in enumerate(ring_of_lamps(8, first=50))
                ]
            )
            cues = ring.half_turn(photos, directions_of(bearings(8, first=50.0), 45.0))
            if abs(cues.shadows) > 0.005:
                asked_for, certain = asked_for + 1, certain + cues.certain
            self.assertFalse(cues.certain and cues.best < 0, (name, cues))
        self.assertGreaterEqual(asked_for, 8)
        self.assertGreaterEqual(certain, 0.85 * asked_for)
        # Shallow bowls cast none: their flanks are dark under the lamps behind them, as those of domes are.
        for name in ("bowls", "domes"):
            surface = relief(name, 240, 5, steep=0.4)
            photos = np.stack(
                [
                    decode_srgb(photograph(surface, one, np.random.default_rng(k)))
                    for k, one in enumerate(ring_of_lamps(8, first=50))
                ]
            )
            every = decode_srgb(photograph(surface, Shot(sun=0.0, sky=1.0, white=1.1), np.random.default_rng(9)))
            lit_from = directions_of(bearings(8, first=50.0), 45.0)
            self.assertFalse(ring.half_turn(photos, lit_from).certain, name)
            self.assertGreater(ring.half_turn(photos, lit_from, every).best, 0, name)

    def test_two_photographs_out_of_order(self) -> None:
        photos, _ = shot("embossed_hide")
        swapped = photos.copy()
        swapped[[2, 5]] = swapped[[5, 2]]
        self.assertIsNone(ring.order(photos).swapped)
        self.assertEqual(ring.order(swapped).swapped, (2, 5))
        report = analyze_light_set(swapped, asked(), no_stabilization(8), NAMES)
        order = [int(lamp["file"], 16) for lamp in report.changes["gather.lights.frames"]]
        self.assertEqual(order, [0, 1, 5, 3, 4, 2, 6, 7])

    def test_a_missing_photograph(self) -> None:
        photos, truth = shot("embossed_hide")
        for missing in (2, 5):
            fewer = np.delete(photos, missing, 0)
            report = analyze_light_set(fewer, asked(count=7), no_stabilization(7), NAMES[:7])
            self.assertEqual(report.changes["gather.lights.gap"], missing)
            settings = asked(count=7, gap=missing, first=report.changes["gather.lights.first"])
            self.assertLess(float(np.median(angles(solve_light_set(fewer, directions(settings)).normal, truth))), 3.0)

    def test_a_gap_goes_once_the_missing_photograph_is_there(self) -> None:
        photos, _ = shot("embossed_hide")
        self.assertEqual(
            analyze_light_set(photos, asked(gap=2), no_stabilization(8), NAMES).changes["gather.lights.gap"], 0
        )
        fewer = np.delete(photos, 2, 0)
        self.assertEqual(
            analyze_light_set(fewer, asked(count=7, gap=2), no_stabilization(7), NAMES[:7]).changes[
                "gather.lights.gap"
            ],
            2,
        )


class Steadied(unittest.TestCase):
    def test_it_is_the_same_however_the_ring_is_turned(self) -> None:
        photos, _ = shot("embossed_hide")
        files = {f"{k:016x}": ArraySource(p, f"turned{k}") for k, p in enumerate(photos)}
        made = [
            light_set(asked(first=first, direction=way), files, Memory(10**8))
            for first, way in ((0.0, "ccw"), (77.3, "ccw"), (211.9, "cw"))
        ]
        one = made[0].steady()
        for other in made[1:]:
            for part, meant in zip(other.steady(), one, strict=True):
                np.testing.assert_array_equal(part, meant)

    def test_the_camera_moved(self) -> None:
        for kind in ("embossed_hide", "lime_render"):
            photos, _ = shot(kind)
            moved = photos.copy()
            moved[3], moved[6] = moved_by(photos[3], (-5.3, -2.65)), moved_by(photos[6], (0.7, -0.5))
            found = stabilize(moved, LAMPS, align=True, exposure=False, lamp_light=False).shifts * photos.shape[2]
            with self.subTest(kind):
                np.testing.assert_allclose(found[3], (-5.3, -2.65), atol=0.15)
                np.testing.assert_allclose(found[6], (0.7, -0.5), atol=0.15)
                self.assertFalse(np.any(np.delete(found, (3, 6), 0)))

    def test_nothing_moved(self) -> None:
        photos, _ = shot("verdigris_copper")
        self.assertFalse(np.any(stabilize(photos, LAMPS, align=True, exposure=True, lamp_light=False).shifts))

    def test_exposure_changed(self) -> None:
        photos, truth = shot("lime_render")
        spoilt = photos.copy()
        spoilt[4] *= 1.4
        spoilt[1] *= 0.8
        mended, steady = fixed(spoilt, exposure=True)
        np.testing.assert_allclose(steady.gains[[4, 1]] * (1.4, 0.8), 1, atol=0.05)
        before, after = (float(np.median(angles(solve_light_set(p, LAMPS).normal, truth))) for p in (spoilt, mended))
        self.assertLess(after, before / 2)

    def test_near_lamps_light_their_own_side_more(self) -> None:
        photos, truth = shot("lime_render")
        y, x = np.mgrid[-1 : 1 : photos.shape[1] * 1j, -1 : 1 : photos.shape[2] * 1j]
        near = [1 + 0.35 * (x * lamp[0] - y * lamp[1]) / np.hypot(*lamp[:2]) for lamp in LAMPS]
        spoilt = (photos * np.stack(near)[..., None]).astype(np.float32)
        mended, _ = fixed(spoilt, lamp_light=True)
        corner = slice(0, 96)
        before, after = (
            float(np.median(angles(solve_light_set(p, LAMPS).normal, truth)[corner, corner])) for p in (spoilt, mended)
        )
        self.assertGreater(before, 6.0)
        self.assertLess(after, before / 3)


class Large(unittest.TestCase):
    def test_band_by_band_is_the_same(self) -> None:
        photos, _ = shot("embossed_hide")
        files = {f"{k:016x}": ArraySource(p, f"large{k}") for k, p in enumerate(photos)}
        one, other = (light_set(asked(first=37.0, align=False), files, Memory(10**9)) for _ in range(2))
        with mock.patch("amber_thicket.core.lightset.source._WHOLE", 1000):
            bands = other.solved(0)
        whole = one.solved(0)
        self.assertLess(float(np.percentile(angles(whole.normal, bands.normal), 99)), 0.2)
        self.assertLess(float(np.abs(whole.albedo - bands.albedo).mean()), 1e-4)


class Bent(unittest.TestCase):
    def test_a_bent_lens_is_put_right_in_square_with_the_normals(self) -> None:
        # Brown 1971: photographs of a lens with k1; Square's lens setting makes them straight again, and normals with them.
        photos, truth = shot("embossed_hide", part=512)
        side, k1 = photos.shape[1], -0.12
        y, x = np.mgrid[0:side, 0:side]
        places = np.stack([(x + 0.5) / side, (y + 0.5) / side], -1)
        at = (straight(places, 1.0, k1=k1, k2=0.0, p1=0.0, p2=0.0) * side - 0.5).astype(np.float32)
        bent = [cv2.remap(p, at[..., 0], at[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT) for p in photos]
        files = {f"{k:016x}": ArraySource(p, f"bent{k}") for k, p in enumerate(bent)}
        recipe = Recipe().with_changes({
            "gather.lights.frames": asked().frames, "gather.lights.first": 37.0, "gather.lights.align": False,
            "gather.lights.lamp_light": False, "tile.join.method": "none", "even.light.amount": 0.0,
            "square.size.width": 512, "square.size.height": 512,
        })  # fmt: skip
        off = []
        for k in (0.0, k1):
            made = Evaluation(recipe.with_changes({"square.lens.k1": k}), files["0" * 16], Memory(10**9), files=files)
            normal = made.layer("squared.normal", (512, 512)).pixels
            box = made.sample_box(made.sizes((512, 512)).work)
            self.assertEqual(normal.shape, truth.shape)
            off.append((float(np.median(angles(normal, truth)[96:-96, 96:-96])), box))
        self.assertGreater(off[0][0], 8.0)
        self.assertLess(off[1][0], off[0][0] / 2)


class Asked(unittest.TestCase):
    def test_bearings_run_counter_clockwise_from_the_right(self) -> None:
        lamps = directions(asked(count=4, first=0.0, elevation=45.0))
        half = np.sqrt(0.5)
        np.testing.assert_allclose(
            lamps, [[half, 0, half], [0, half, half], [-half, 0, half], [0, -half, half]], atol=1e-12
        )
        np.testing.assert_allclose(standing(asked(count=4, direction="cw"))[0], [0, 270, 180, 90])

    def test_a_lamp_may_stand_out_of_the_ring(self) -> None:
        frames = (Lamp(file="0" * 16), Lamp(file="1" * 16, bearing=100.0, elevation=30.0), Lamp(file="2" * 16))
        degrees, high = standing(Settings(frames=frames))
        np.testing.assert_allclose(degrees, [0, 100, 240])
        np.testing.assert_allclose(high, [45, 30, 45])

    def test_what_cannot_be_a_light_set_is_named(self) -> None:
        grey = [np.full((8, 8, 3), 0.2 + 0.05 * k, np.float32) for k in range(4)]
        names, sizes = [f"p{k}.jpg" for k in range(4)], [(64, 64)] * 4
        check_light_set(names, sizes, grey)
        for wrong, says in (
            ((names[:2], sizes[:2], grey[:2]), "3 to 32"),
            ((names, [*sizes[:3], (64, 48)], grey), "p3.jpg is 64 × 48"),
            ((names, sizes, [*grey[:2], grey[2] * 0, grey[3]]), "p2.jpg is black"),
            ((names, sizes, [*grey[:3], grey[1]]), "p3.jpg shows the same as p1.jpg"),
        ):
            with self.assertRaises(UnreadableFile) as caught:
                check_light_set(*wrong)
            self.assertIn(says, caught.exception.message)

    def test_bad_settings_are_refused_in_words(self) -> None:
        lamp = {"file": "0" * 16}
        for frames, says in (
            ([1], "an object"),
            ([{"file": "x"}], "file"),
            ([lamp, lamp], "share a file"),
            ([{**lamp, "bearing": 360}], "less than 360"),
        ):
            with self.assertRaisesRegex(BadSetting, says):
                Recipe().with_changes({"gather.lights.frames": frames})


if __name__ == "__main__":
    unittest.main()
