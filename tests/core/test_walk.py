"""Height by parallax of a few handheld photographs, against the truth of the bench: poses unknown."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np

from amber_thicket.core.gather.walk import Held, Settings
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, luminance
from amber_thicket.core.square.lens import straight
from amber_thicket.core.walk.colour import common, sharpened
from amber_thicket.core.walk.fine import fine_relief, read_fine, sharper
from amber_thicket.core.walk.poses import Camera, Poses, find_poses, matched
from amber_thicket.core.walk.relief import find_height, how_alike, places_of
from amber_thicket.core.walk.source import WalkPart, walk_by
from amber_thicket.errors import UnreadableFile
from amber_thicket.service.incoming import Brought, take
from amber_thicket.service.walking import _doubts, walk_found
from amber_thicket.standins.capture_rig.camera import Shot
from amber_thicket.standins.capture_rig.handheld import Hand, View, hands, seen_by
from tests.support import ArraySource, encoded, rig_surface, temporary_library

SIZE = (560, 448)
LIGHT = Shot(bearing=120, elevation=50, sky=0.6, gloss=0.2)


@lru_cache(maxsize=4)
def walk(kind: str, seed: int, count: int) -> tuple[View, ...]:
    surface = rig_surface(kind, 768, seed)
    places = hands(count, np.random.default_rng(seed))
    return tuple(seen_by(surface, LIGHT, hand, SIZE, np.random.default_rng(k)) for k, hand in enumerate(places))


def level(height: np.ndarray) -> np.ndarray:
    """Without its plane: which way the surface leans belongs to the poses."""
    design = np.column_stack([places_of(height.shape), np.ones(height.size)])
    return height - (design @ np.linalg.lstsq(design, height.ravel(), rcond=None)[0]).reshape(height.shape)


def with_leaf(codes: np.ndarray, across: float) -> np.ndarray:
    """A photograph with a leaf on it, at a share of its width. codes: (H, W, 3) uint8."""
    out = codes.copy()
    place = (round(across * codes.shape[1]), codes.shape[0] // 2)
    return cv2.ellipse(out, place, (34, 16), 300 * across, 0, 360, (60, 140, 40), -1, cv2.LINE_AA)


def alike(one: np.ndarray, other: np.ndarray) -> float:
    inner = np.s_[24:-24, 24:-24]
    return float(np.corrcoef(one[inner].ravel(), other[inner].ravel())[0, 1])


class Parallax(unittest.TestCase):
    def test_five_views_tell_the_height_the_lens_and_what_is_up(self) -> None:
        views = walk("tide_pebbles", 7, 5)
        photographs = [decode_srgb(view.codes) for view in views]
        poses = find_poses(matched(photographs))
        found = find_height(photographs, poses, hold_focal=False)
        true = level(views[0].hit[..., 2])
        self.assertGreater(alike(found.height, true), 0.9)
        slopes = [np.concatenate([g.ravel() for g in np.gradient(cv2.GaussianBlur(one, (0, 0), 1.0))]) for one in
                  (np.ascontiguousarray(found.height), true.astype(np.float32))]  # fmt: skip
        self.assertGreater(float(np.corrcoef(*slopes)[0, 1]), 0.7)
        self.assertAlmostEqual(found.poses.focal, 1.15, delta=0.06)
        # And a lens that does not bend is not said to.
        self.assertAlmostEqual(found.poses.bend, 0, delta=0.012)
        # In units of the camera's distance to the plane; at so few px the flow sees a little less than there is.
        inner = np.s_[40:-40, 40:-40]
        made, wanted = (
            cv2.GaussianBlur(np.ascontiguousarray(one, np.float32), (0, 0), 8.0)[inner] for one in (found.height, true)
        )
        made, wanted = made - made.mean(), wanted - wanted.mean()
        distance = hands(5, np.random.default_rng(7))[0].place[2] - float(np.median(views[0].hit[..., 2]))
        self.assertAlmostEqual(float((made * wanted).sum() / (made**2).sum()) / distance, 1.05, delta=0.12)
        # And the cameras stood where they were found, to half a per cent.
        turn = hands(5, np.random.default_rng(7))
        for number in range(1, 5):
            camera = found.poses.cameras[number]
            place = -cv2.Rodrigues(camera.turn)[0].T @ camera.place
            moved = turn[0].turn() @ (np.array(turn[number].place) - np.array(turn[0].place)) / distance
            self.assertLess(float(np.linalg.norm(place - moved)), 0.006)

    def test_a_lens_that_bends_is_solved_with_the_rest(self) -> None:
        surface = rig_surface("tide_pebbles", 768, 7)
        places = hands(3, np.random.default_rng(7), k1=-0.06)
        seen = [seen_by(surface, LIGHT, hand, SIZE, np.random.default_rng(k)) for k, hand in enumerate(places)]
        photographs = [decode_srgb(view.codes) for view in seen]
        found = find_height(photographs, find_poses(matched(photographs), aspect=SIZE[0] / SIZE[1]), hold_focal=False)
        self.assertAlmostEqual(found.poses.bend, -0.06, delta=0.02)
        self.assertGreater(alike(found.height, level(seen[0].hit[..., 2])), 0.88)

    def test_places_straightened_and_bent_again_are_where_they_were(self) -> None:
        poses = Poses(np.array([0, 0, 1.0]), 1.1, (Camera(np.zeros(3), np.zeros(3)),), (), 0.0, -0.08, 0.64)
        places = np.random.default_rng(1).uniform(-0.4, 0.4, (50, 2))
        np.testing.assert_allclose(poses.seen(0, poses.points(places)), places, atol=1e-5)
        # As Square's lens has it.
        aspect = 1 / np.sqrt(4 * 0.64**2 - 1)
        unit = places * (1, aspect) + 0.5
        flat = straight(unit, aspect, k1=-0.08, k2=0.0, p1=0.0, p2=0.0)
        np.testing.assert_allclose(poses.rays(places)[:, :2] * 1.1, (flat - 0.5) / (1, aspect), atol=1e-5)

    def test_two_views_already_work(self) -> None:
        views = walk("tide_pebbles", 7, 5)[:2]
        photographs = [decode_srgb(view.codes) for view in views]
        found = find_height(photographs, find_poses(matched(photographs), 1.15), hold_focal=True)
        true = level(views[0].hit[..., 2])
        broad = [cv2.GaussianBlur(np.ascontiguousarray(one, np.float32), (0, 0), 3.0) for one in (found.height, true)]
        self.assertGreater(alike(*broad), 0.8)
        # The first pass is shown before the rest is worked out, at half size, and tells the broad relief.
        shown: list[np.ndarray] = []
        rough = find_height(
            photographs, find_poses(matched(photographs), 1.15), hold_focal=True, rough=True, show=shown.append
        )
        self.assertEqual([one.shape for one in shown], [(SIZE[1] // 2, SIZE[0] // 2)])
        self.assertGreater(float(np.abs(shown[0] - rough.height).max()), 0)
        self.assertGreater(alike(cv2.resize(shown[0], SIZE), true), 0.6)
        # One other photograph is all that can agree; it must count.
        self.assertGreater(found.share(), 0.5)
        self.assertEqual(found._replace(agree=np.full((4, 4), 0.5)).share(), 0.0)

    def test_glare_goes_and_the_parts_fit_together(self) -> None:
        views = walk("tide_pebbles", 7, 5)[:3]
        photographs = [decode_srgb(view.codes) for view in views]
        spoilt = photographs[0].copy()
        cv2.circle(spoilt, (280, 220), 14, (1.0, 1.0, 1.0), -1)
        poses = find_poses(matched(photographs), 1.15)
        names = [f"{k:016x}" for k in range(3)]
        frames = tuple(
            Held(file=name, turn=tuple(camera.turn), place=tuple(camera.place))
            for name, camera in zip(names, poses.cameras, strict=True)
        )
        settings = Settings(frames=frames, normal=tuple(poses.normal), focal=poses.focal)
        files = {n: ArraySource(p, n) for n, p in zip(names, [spoilt, *photographs[1:]], strict=True)}
        made = walk_by(settings, names[0], files, Memory(10**9))
        assert made is not None
        colour = WalkPart(made, "base_color").read(0).pixels
        spot = np.s_[212:228, 272:288]
        clean = float(luminance(photographs[0])[spot].mean())
        self.assertLess(abs(float(luminance(colour)[spot].mean()) - clean), 0.3 * clean)
        normal = WalkPart(made, "normal").read(0).pixels
        np.testing.assert_allclose(np.linalg.norm(normal, axis=-1), 1, atol=1e-4)
        half = WalkPart(made, "height").read(1).pixels
        self.assertEqual(half.shape, (SIZE[1] // 2, SIZE[0] // 2))
        # Fine relief comes to what movement tells, and goes with its setting.
        plain = walk_by(settings.model_copy(update={"fine": 0.0}), names[0], files, Memory(10**9))
        assert plain is not None
        self.assertNotEqual(plain.key, made.key)
        self.assertEqual(plain.place_key, made.place_key)
        np.testing.assert_array_equal(plain.told().broad, plain.told().parallax.height)
        true = [g[40:-40, 40:-40].ravel() for g in np.gradient(level(views[0].hit[..., 2]))]
        found = []
        for one in (plain, made):
            told = one.told()
            slopes = np.gradient(one.height(0) * (told.high - told.low))
            found.append(
                float(
                    np.corrcoef(np.concatenate([g[40:-40, 40:-40].ravel() for g in slopes]), np.concatenate(true))[0, 1]
                )
            )
        self.assertGreater(found[1], found[0] + 0.02)
        # Another photograph in the first's place, or too few, is no walk-by.
        self.assertIsNone(walk_by(settings, names[1], files, Memory(10**9)))
        self.assertIsNone(walk_by(Settings(frames=frames), names[0], files, Memory(10**9)))


class Merged(unittest.TestCase):
    """Colour of several views against what they show: fine tone, laid .35 px wrong, noisy as sensors are."""

    def setUp(self) -> None:
        noise = np.random.default_rng(3)
        tone = sum(cv2.GaussianBlur(noise.normal(size=(200, 240)), (0, 0), s) * s for s in (0.9, 2, 8))
        # Half of it is smooth: there noise can be told.
        tone[:, 130:] = cv2.GaussianBlur(tone, (0, 0), 6.0)[:, 130:]
        self.true = np.repeat((0.25 * np.exp(0.5 * tone / tone.std()))[..., None], 3, axis=2).astype(np.float32)

    def views(self, grain: float, count: int) -> np.ndarray:
        made = []
        for number in range(count):
            draw = np.random.default_rng(number)
            away = np.float32(draw.uniform(-0.35, 0.35, 2) * (number > 0))
            moved = cv2.warpAffine(
                self.true, np.float32([[1, 0, away[0]], [0, 1, away[1]]]), (240, 200), None, cv2.INTER_CUBIC, 2
            )
            made.append(moved + grain * np.sqrt(self.true) * draw.normal(size=self.true.shape).astype(np.float32))
        return np.stack(made)

    def error(self, colour: np.ndarray) -> tuple[float, float]:
        one, true = ((c - cv2.GaussianBlur(c, (0, 0), 1.2))[20:-20, 20:-20] for c in (colour, self.true))
        return float(((one - true) ** 2).mean() ** 0.5), float((one * true).sum() / (true * true).sum())

    def made(self, views: np.ndarray, reach: float = 1.0) -> np.ndarray:
        weights = np.ones(views.shape[:3], np.float32)
        return sharpened(views[0], common(views, weights), np.full(views.shape[1:3], reach, np.float32), len(views) - 1)

    def test_it_is_nearer_than_the_first_whatever_the_noise(self) -> None:
        for grain, most in ((0.004, 1.0), (0.012, 0.9), (0.04, 0.75)):
            views = self.views(grain, 5)
            first, plain = self.error(views[0])[0], self.error(common(views, np.ones(views.shape[:3])).colour)[0]
            error, kept = self.error(self.made(views))
            with self.subTest(grain=grain):
                self.assertLess(error, most * first)
                self.assertAlmostEqual(kept, 1, delta=0.03)
                if grain < 0.01:
                    self.assertLess(error, 0.6 * plain)

    def test_where_no_other_reaches_it_is_the_first(self) -> None:
        views = self.views(0.02, 3)
        made = self.made(views, reach=0.0)
        fine = [c - cv2.GaussianBlur(c, (0, 0), 1.2) for c in (made, views[0])]
        np.testing.assert_allclose(fine[0][20:-20, 20:-20], fine[1][20:-20, 20:-20], atol=0.004)

    def test_glare_and_sparkles_of_the_first_go(self) -> None:
        views = self.views(0.006, 5)
        clean = self.made(views)
        spoilt = views.copy()
        spoilt[0, 60:100, 60:100] *= 2.2
        spoilt[0, 150, 180] += 3.0
        made = self.made(spoilt)
        for place in (np.s_[70:90, 70:90], np.s_[148:153, 178:183]):
            off = float(np.abs(made[place] - clean[place]).mean())
            self.assertLess(off, 0.08 * float(np.abs(spoilt[0][place] - clean[place]).mean()))


class FineRelief(unittest.TestCase):
    """What movement blurs, from the first photograph: fitted to the movement, never guessed."""

    def setUp(self) -> None:
        """A height that flow would have blurred, and photographs of the sharp one in one light and paint."""
        rng = np.random.default_rng(5)
        noise = rng.standard_normal((300, 400)).astype(np.float32)
        self.true = sum(
            s * (cv2.GaussianBlur(noise, (0, 0), s) - cv2.GaussianBlur(noise, (0, 0), 2 * s))
            for s in (0.8, 1.6, 3.2, 6.4)
        )
        self.blurred = cv2.GaussianBlur(self.true, (0, 0), 2.5) + 0.004 * cv2.GaussianBlur(
            rng.standard_normal((300, 400)).astype(np.float32), (0, 0), 2
        )
        self.sure = np.full((300, 400), 3.0, np.float32)

    def photograph(self, right: float, down: float, tone: float) -> np.ndarray:
        slopes = np.gradient(self.true)
        lit = 0.3 + right * slopes[1] + down * slopes[0] + tone * self.true
        return np.repeat(lit[..., None].clip(0.02, 0.9), 3, -1).astype(np.float32)

    def gained(self, photograph: np.ndarray) -> tuple[float, float]:
        """Correlation of slopes with the true ones before and after."""
        reading = read_fine(photograph, self.blurred, self.sure)
        assert reading is not None
        made = self.blurred + sharper(self.blurred) + fine_relief(photograph, reading, 1.0)
        true = np.gradient(self.true)
        return tuple(float(np.corrcoef(np.concatenate([g[40:-40, 40:-40].ravel() for g in np.gradient(one)]),
                                       np.concatenate([g[40:-40, 40:-40].ravel() for g in true]))[0, 1])
                     for one in (self.blurred, made))  # fmt: skip

    def test_light_from_any_side_and_tone_of_either_sign_are_read_right(self) -> None:
        for right, down, tone in (
            (0.3, 0.0, 0.0),
            (-0.3, 0.0, 0.0),
            (0.0, 0.3, 0.0),
            (0.15, -0.2, 0.03),
            (0, 0, 0.1),
            (0, 0, -0.1),
        ):
            with self.subTest(right=right, down=down, tone=tone):
                before, after = self.gained(self.photograph(right, down, tone))
                self.assertGreater(after, before + 0.05)

    def test_a_picture_that_has_nothing_to_do_with_the_height_is_left_out(self) -> None:
        noise = np.random.default_rng(8).random((300, 400, 3)).astype(np.float32)
        reading = read_fine(noise, self.blurred, self.sure)
        assert reading is not None
        self.assertLess(reading.fit, 0.1)
        before, after = self.gained(noise)
        self.assertGreater(after, before - 0.02)

    def test_where_hardly_anything_is_sure_nothing_is_read(self) -> None:
        photograph = self.photograph(0.3, 0, 0)
        self.assertIsNone(read_fine(photograph, self.blurred, np.zeros_like(self.sure)))

    def test_twice_the_pixels_tell_the_same_relief(self) -> None:
        photograph = self.photograph(0.3, 0.1, 0.0)
        reading = read_fine(photograph, self.blurred, self.sure)
        assert reading is not None
        one = fine_relief(photograph, reading, 1.0)
        large = fine_relief(cv2.resize(photograph, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC), reading, 2.0)
        back = cv2.resize(large, (400, 300), interpolation=cv2.INTER_AREA)
        inner = np.s_[50:-50, 50:-50]
        self.assertGreater(float(np.corrcoef(one[inner].ravel(), back[inner].ravel())[0, 1]), 0.97)
        self.assertAlmostEqual(float(back[inner].std() / one[inner].std()), 1, delta=0.12)


class Doubts(unittest.TestCase):
    def test_a_blurred_photograph_is_named(self) -> None:
        photographs = [decode_srgb(view.codes) for view in walk("tide_pebbles", 7, 5)[:3]]
        photographs[2] = cv2.GaussianBlur(photographs[2], (0, 0), 3.5)
        found = find_height(photographs, find_poses(matched(photographs), 1.15), hold_focal=True)
        like = how_alike(photographs, found)
        self.assertGreater(like[0], 0.97)
        self.assertLess(like[1], 0.9)
        told = _doubts(like, ["two.jpg", "three.jpg"])
        self.assertEqual(len(told), 1)
        self.assertIn("three.jpg fits less than the others", told[0][1])

    def test_a_photograph_in_other_light_is_named(self) -> None:
        views = walk("tide_pebbles", 7, 5)
        photographs = [decode_srgb(view.codes) for view in views[:4]]
        hand = hands(5, np.random.default_rng(7))[2]
        turned = replace(LIGHT, bearing=LIGHT.bearing + 90)
        other = seen_by(rig_surface("tide_pebbles", 768, 7), turned, hand, SIZE, np.random.default_rng(2))
        photographs[2] = decode_srgb(other.codes)
        found = find_height(photographs, find_poses(matched(photographs), 1.15), hold_focal=True)
        like = how_alike(photographs, found)
        self.assertLess(like[1], 0.85)
        self.assertGreater(min(like[0], like[2]), 0.98)
        ((level_, said),) = _doubts(like, ["two.jpg", "three.jpg", "four.jpg"])
        self.assertEqual(level_, "attention")
        self.assertIn("three.jpg fits less than the others: blurred, lit differently", said)

    def test_slates_are_not_matched_one_repeat_off_and_it_would_be_named(self) -> None:
        views = walk("slate_shingles", 7, 5)[:4]
        photographs = [decode_srgb(view.codes) for view in views]
        found = find_height(photographs, find_poses(matched(photographs), 1.15), hold_focal=True)
        places = hands(5, np.random.default_rng(7))
        distance = places[0].place[2] - float(np.median(views[0].hit[..., 2]))
        for number in range(1, 4):
            camera = found.poses.cameras[number]
            place = -cv2.Rodrigues(camera.turn)[0].T @ camera.place
            moved = places[0].turn() @ (np.array(places[number].place) - np.array(places[0].place)) / distance
            self.assertLess(float(np.linalg.norm(place - moved)), 0.01)
        self.assertEqual(_doubts(how_alike(photographs, found), ["a", "b", "c"]), [])
        # As if one had been laid on the slate beside: a sixth of the width.
        second = found.poses.cameras[2]
        beside = replace(second, place=second.place + np.array([1 / 6 / found.poses.focal, 0, 0]))
        cameras = (*found.poses.cameras[:2], beside, *found.poses.cameras[3:])
        wrong = found._replace(poses=replace(found.poses, cameras=cameras))
        ((_, said),) = _doubts(how_alike(photographs, wrong), ["a.jpg", "b.jpg", "c.jpg"])
        self.assertIn("b.jpg fits less than the others", said)
        self.assertIn("one repeat off", said)

    def test_what_is_alike_is_not_doubted(self) -> None:
        self.assertEqual(_doubts((0.995, 0.99, 0.965), ["a", "b", "c"]), [])
        self.assertEqual(_doubts((0.97,), ["a"]), [])
        self.assertEqual(len(_doubts((0.99, 0.9, 0.99), ["a", "b", "c"])), 1)


class Passing(unittest.TestCase):
    def test_a_leaf_that_blew_on_is_in_neither_colour_nor_height(self) -> None:
        views = walk("tide_pebbles", 7, 5)
        clean = [decode_srgb(view.codes) for view in views]
        # It lies elsewhere in each, and half over where it lay before.
        photographs = [decode_srgb(with_leaf(view.codes, 0.3 + 0.1 * k)) for k, view in enumerate(views)]
        poses = find_poses(matched(photographs), 1.15)
        names = [f"{k:016x}" for k in range(5)]
        frames = tuple(
            Held(file=name, turn=tuple(camera.turn), place=tuple(camera.place))
            for name, camera in zip(names, poses.cameras, strict=True)
        )
        settings = Settings(frames=frames, normal=tuple(poses.normal), focal=poses.focal)
        made = walk_by(settings, names[0], {n: ArraySource(p, n) for n, p in zip(names, photographs, strict=True)},
                       Memory(10**9))  # fmt: skip
        assert made is not None
        covered = np.any(photographs[0] != clean[0], axis=-1)
        colour = WalkPart(made, "base_color").read(0).pixels
        off, was = (np.abs(one - clean[0])[covered].mean() for one in (colour, photographs[0]))
        self.assertLess(float(off), 0.25 * float(was))
        true = level(views[0].hit[..., 2])
        self.assertGreater(alike(made.told().parallax.height, true), 0.9)


class CannotWork(unittest.TestCase):
    def test_what_is_too_deep_is_said_to_be(self) -> None:
        surface = rig_surface("tide_pebbles", 768, 7)
        relief = float(np.subtract(*np.percentile(surface.height, (99.5, 0.5)))) / 768
        said = {}
        for deep in (0.05, 0.14):
            made = replace(surface, height=surface.height * np.float32(deep / relief))
            with temporary_library() as library:
                rows = []
                for number, hand in enumerate(hands(2, np.random.default_rng(7))):
                    codes = seen_by(made, LIGHT, hand, SIZE, np.random.default_rng(number)).codes
                    name = f"beach_{number}.png"
                    rows.append((Brought(library.blobs.put([encoded(codes)])[0], name), "walk"))
                (material,) = take(library, "walk_by", rows)
                said[deep] = [text for _, text in walk_found(library.evaluation(material), {})[1]]
        deeper = "It is deeper than what a walk-by is for"
        self.assertTrue(any(text.startswith(deeper) for text in said[0.14]), said)
        self.assertFalse(any(text.startswith(deeper) for text in said[0.05]), said)

    def test_other_surfaces_share_too_little(self) -> None:
        one = decode_srgb(walk("tide_pebbles", 7, 5)[0].codes)
        other = decode_srgb(
            seen_by(rig_surface("cork_board", 768, 5), LIGHT, Hand((0, 0, 1.2)), SIZE, np.random.default_rng(1)).codes
        )
        with self.assertRaisesRegex(UnreadableFile, "Photograph 2 shares too little"):
            find_poses(matched([one, other]))
        with self.assertRaisesRegex(UnreadableFile, "cork.png shares too little with shore.png"):
            find_poses([(np.zeros((0, 2)), np.zeros((0, 2)))], names=["shore.png", "cork.png"])

    def test_a_camera_that_only_turned_tells_no_height(self) -> None:
        surface = rig_surface("tide_pebbles", 768, 7)
        turned = (Hand((0, 0, 1.2)), Hand((0, 0, 1.2), (0.06, 0.03), 4.0))
        with temporary_library() as library:
            rows = []
            for number, hand in enumerate(turned):
                codes = seen_by(surface, LIGHT, hand, SIZE, np.random.default_rng(number)).codes
                name = f"beach_{number}.png"
                rows.append((Brought(library.blobs.put([encoded(codes)])[0], name), "walk"))
            (material,) = take(library, "walk_by", rows)
            with self.assertRaisesRegex(UnreadableFile, "only turned or zoomed"):
                walk_found(library.evaluation(material), {})


if __name__ == "__main__":
    unittest.main()
