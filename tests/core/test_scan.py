"""Scans projected onto their plane, against the surfaces of the bench they were made of."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np

from amber_thicket.core.scan.elevation import mend
from amber_thicket.core.scan.plane import find_plane, largest_rectangle, through_points
from amber_thicket.core.scan.project import own_resolution, project_cloud, project_mesh, vertex_normals
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.formats.elevation import Elevation
from amber_thicket.formats.scan import Scan
from amber_thicket.service.scanning import Asked, look, make
from amber_thicket.standins.capture_rig.scanned import Scanned, scanned
from amber_thicket.standins.capture_rig.surface import Surface
from tests.support import rig_surface

WHOLE = (0.0, 0.0, 1.0, 1.0)
NO_TEXTURE = np.zeros((0, 0, 3), np.uint8)


@lru_cache(maxsize=4)
def surface(kind: str) -> Surface:
    """255 × 255 samples, so that 127 px hold two steps each. One sample is a millimetre."""
    whole = rig_surface(kind, 256, 4)
    part = np.s_[:255, :255]
    return replace(whole, height=whole.height[part], albedo=whole.albedo[part], width_mm=255.0)


def as_scan(of: Scanned, *, faces: bool = True) -> Scan:
    return Scan(of.points, of.faces if faces else np.zeros((0, 3), np.int32), of.colours, NO_TEXTURE)


def scan_without_colour(of: Scan) -> Scan:
    return replace(of, colours=np.zeros((0, 3), np.uint8))


def level(height: np.ndarray) -> np.ndarray:
    y, x = np.mgrid[0 : height.shape[0], 0 : height.shape[1]]
    design = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)])
    return height - (design @ np.linalg.lstsq(design, height.ravel(), rcond=None)[0]).reshape(height.shape)


def true_maps(of: Surface) -> tuple[np.ndarray, np.ndarray]:
    """(height in mm, unit normals) of 127 × 127 px: means of the triangles in each."""
    s = of.height.astype(np.float64)
    cell = (s[:-1, :-1] + 2 * s[1:, :-1] + 2 * s[:-1, 1:] + s[1:, 1:]) / 6
    upper = np.stack([s[:-1, :-1] - s[:-1, 1:], s[1:, :-1] - s[:-1, :-1], np.ones_like(cell)], -1)
    lower = np.stack([s[1:, :-1] - s[1:, 1:], s[1:, 1:] - s[:-1, 1:], np.ones_like(cell)], -1)
    normals = sum(n / np.linalg.norm(n, axis=-1, keepdims=True) for n in (upper, lower))
    normals = normals.reshape(127, 2, 127, 2, 3).sum((1, 3))
    return cell.reshape(127, 2, 127, 2).mean((1, 3)), normals / np.linalg.norm(normals, axis=-1, keepdims=True)


def lying(x: float, y: float, z: float) -> np.ndarray:
    return cv2.Rodrigues(np.array([x, y, z]))[0]


class MeshTest(unittest.TestCase):
    def test_surfaces_come_back_as_they_were(self) -> None:
        # A thousandth of the range and a degree are what is asked for (QUALITY.md, scanned mesh).
        for kind in ("tide_pebbles", "slate_shingles", "coir_matting"):
            with self.subTest(kind):
                of = surface(kind)
                made = make(as_scan(scanned(of, 255)), Asked(unit="mm", patch=WHOLE, width=127))
                height, normals = true_maps(of)
                self.assertAlmostEqual(made.width_mm, 254, delta=0.2)
                off = level(made.height * made.depth * made.width_mm - height)
                self.assertLess(float(off.std()), 1e-3 * float(np.ptp(height)))
                angle = np.degrees(np.arccos((normals * made.normal).sum(-1).clip(-1, 1)))
                self.assertLess(float(np.median(angle)), 0.5)
                self.assertLess(float(np.percentile(angle, 95)), 1.0)
                light = of.albedo.astype(np.float64)
                cell = (light[:-1, :-1] + light[1:, :-1] + light[:-1, 1:] + light[1:, 1:]) / 4
                cell = cell.reshape(127, 2, 127, 2, 3).mean((1, 3))
                self.assertLess(float(np.abs(made.color - cell).mean()), 0.006)

    def test_anyhow_in_space_and_mirrored_by_nothing(self) -> None:
        of = surface("slate_shingles")
        straight = make(as_scan(scanned(of, 255)), Asked(unit="mm", patch=WHOLE, width=127))
        for turn in (lying(0.4, -0.3, 0.06), lying(1.3, 0.2, 0.1), lying(0, 0.5, 0)):
            made = make(as_scan(scanned(of, 255, turn)), Asked(unit="mm", patch=WHOLE, width=127))
            self.assertAlmostEqual(made.depth, straight.depth, delta=0.03 * straight.depth)
            found = [np.corrcoef(made.height.ravel(), np.rot90(straight.height, k).ravel())[0, 1] for k in range(4)]
            self.assertGreater(max(found), 0.98)

    def test_bumps_stay_up_and_turning_over_exchanges_them(self) -> None:
        y, x = np.mgrid[-1:1:81j, -1:1:81j]
        points = np.stack([x, y, 0.2 * np.exp(-6 * (x**2 + y**2))], -1).reshape(-1, 3)
        index = np.arange(81 * 81, dtype=np.int32).reshape(81, 81)
        a, b, c, d = (p.ravel() for p in (index[:-1, :-1], index[1:, :-1], index[:-1, 1:], index[1:, 1:]))
        faces = np.concatenate([np.stack([a, c, b], 1), np.stack([c, d, b], 1)])
        none = np.zeros((0, 3), np.uint8)
        made = make(Scan(points, faces, none, NO_TEXTURE), Asked(width=80))
        self.assertGreater(made.height[40, 40], 0.9)
        self.assertTrue(made.facts["up_told"])
        self.assertIsNone(made.color)
        self.assertAlmostEqual(made.depth, 0.1, delta=0.005)
        over = make(Scan(points, faces, none, NO_TEXTURE), Asked(width=80, turned_over=True))
        self.assertLess(over.height[40, 40], 0.1)
        # Triangles the other way round look down: the same surface from behind.
        behind = make(Scan(points, faces[:, ::-1].copy(), none, NO_TEXTURE), Asked(width=80))
        self.assertLess(behind.height[40, 40], 0.1)

    def test_the_upper_one_wins_and_is_told(self) -> None:
        y, x = np.mgrid[0:1:41j, 0:1:41j]
        ground = np.stack([x, -y, np.zeros_like(x)], -1).reshape(-1, 3)
        index = np.arange(41 * 41, dtype=np.int32).reshape(41, 41)
        a, b, c, d = (p.ravel() for p in (index[:-1, :-1], index[1:, :-1], index[:-1, 1:], index[1:, 1:]))
        faces = np.concatenate([np.stack([a, b, c], 1), np.stack([c, b, d], 1)])
        roof = np.array([[0.25, -0.25, 0.1], [0.75, -0.25, 0.1], [0.25, -0.75, 0.1], [0.75, -0.75, 0.1]])
        points = np.concatenate([ground, roof])
        n = len(ground)
        more = np.array([[n, n + 2, n + 1], [n + 1, n + 2, n + 3]], np.int32)
        for order in (np.concatenate([faces, more]), np.concatenate([more, faces])):
            none = np.zeros((0, 3), np.uint8)
            made = make(Scan(points, order, none, NO_TEXTURE), Asked(width=100, patch=WHOLE))
            self.assertGreater(made.height[50, 50], 0.9)
            self.assertLess(made.height[5, 5], 0.1)
            self.assertAlmostEqual(made.facts["overhang_share"], 0.25, delta=0.02)
            self.assertTrue(any("lies under something else" in text for _, text in made.told))

    def test_holes_are_filled_marked_and_left_out_of_the_patch(self) -> None:
        of = scanned(surface("tide_pebbles"), 255)
        middle = of.points[of.faces].mean(1)
        right = (middle[:, 0] > 200) | (np.hypot(middle[:, 0] - 60, middle[:, 1] + 60) < 6)
        scan = Scan(of.points, of.faces[~right], of.colours, NO_TEXTURE)
        whole = make(scan, Asked(unit="mm", patch=WHOLE, width=128))
        self.assertTrue(np.isfinite(whole.height).all())
        # Only what is there counts for the extent, so the right part is not a hole but gone.
        self.assertAlmostEqual(whole.width_mm, 200, delta=1.5)
        self.assertGreater(float(whole.holes[38, 38]), 0.5)
        self.assertAlmostEqual(float(whole.holes.mean()), np.pi * 36 / (200 * 254), delta=0.0015)
        self.assertTrue(any("holes" in text for _, text in whole.told))
        found = look(scan, Asked())
        left, top, right_end, bottom = found.patch
        inside = left * 200 < 60 < right_end * 200 and top * 254 < 60 < bottom * 254
        self.assertFalse(inside)
        self.assertGreater((right_end - left) * (bottom - top), 0.55)

    def test_a_plane_of_three_places(self) -> None:
        of = scanned(surface("slate_shingles"), 255)
        plane = find_plane(of.points, of.faces)
        self.assertLess(float(np.degrees(np.arccos(plane.up[2]))), 2.0)
        three = np.array([[0.0, 0, 0], [200, 0, 20.0], [0, -200, 0]])
        other = through_points(plane, three, of.points)
        self.assertAlmostEqual(float(np.degrees(np.arctan(-other.up[0] / other.up[2]))), 5.71, delta=0.05)
        with self.assertRaisesRegex(UnreadableFile, "lie in a line"):
            through_points(plane, np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0]]), of.points)

    def test_what_is_asked_wrongly(self) -> None:
        scan = as_scan(scanned(surface("slate_shingles"), 64))
        for asked, words in (
            (Asked(patch=(0.5, 0, 0.2, 1)), "rectangle"),
            (Asked(width=10), "px wide"),
            (Asked(three=((0.1, 0.1),)), "three places"),
        ):
            with self.assertRaisesRegex(BadSetting, words):
                make(scan, asked)
        narrow = Scan(scan.points * (0.05, 1, 0.05), scan.faces, scan.colours, NO_TEXTURE)
        with self.assertRaisesRegex(BadSetting, "px high"):
            make(narrow, Asked(width=2000, patch=WHOLE))
        self.assertLessEqual(look(narrow, Asked()).width, 8192 // 16)
        line = np.stack([np.linspace(0, 1, 99), np.zeros(99), np.zeros(99)], 1)
        with self.assertRaisesRegex(UnreadableFile, "narrow as a line"):
            find_plane(line, np.zeros((0, 3), np.int32))

    def test_resolution_is_that_of_the_texture_or_the_samples(self) -> None:
        of = scanned(surface("slate_shingles"), 128)
        plane = find_plane(of.points, of.faces)
        none = np.zeros((0, 0, 3), np.uint8)
        # 127 steps over 254 mm.
        self.assertAlmostEqual(own_resolution(of.points, of.faces, of.colours, none, plane), 0.5, delta=0.01)
        texture = np.zeros((1020, 1020, 3), np.uint8)
        self.assertAlmostEqual(own_resolution(of.points, of.faces, of.uv, texture, plane), 4.0, delta=0.1)

    def test_a_texture_is_seen_where_it_lies(self) -> None:
        of = scanned(surface("slate_shingles"), 64)
        texture = np.zeros((255, 255, 3), np.uint8)
        texture[:128, :128] = (255, 0, 0)
        texture[128:, 128:] = (0, 255, 0)
        plane = find_plane(of.points, of.faces)
        seen = project_mesh(of.points, of.faces, of.uv.astype(np.float32), texture, plane, WHOLE, 200)
        np.testing.assert_allclose(seen.color[40, 40], (1, 0, 0), atol=1e-3)
        np.testing.assert_allclose(seen.color[160, 160], (0, 1, 0), atol=1e-3)
        np.testing.assert_allclose(seen.color[40, 160], (0, 0, 0), atol=1e-3)

    def test_normals_do_not_break_at_cuts_of_the_texture(self) -> None:
        points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0.5], [1, 0, 0], [0, 1, 0.5], [1, 1, 2]])
        faces = np.array([[0, 1, 2], [3, 5, 4]], np.int32)
        normals = vertex_normals(points, faces)
        np.testing.assert_allclose(normals[1], normals[3])
        np.testing.assert_allclose(normals[2], normals[4])


class CloudTest(unittest.TestCase):
    def test_points_become_a_surface(self) -> None:
        of = surface("tide_pebbles")
        some = scanned(of, 255)
        scan = as_scan(some, faces=False)
        made = make(scan, Asked(unit="mm", patch=WHOLE))
        self.assertEqual(made.height.shape[1], 254)
        s = of.height.astype(np.float64)
        truth = (s[:-1, :-1] + s[1:, :-1] + s[:-1, 1:] + s[1:, 1:]) / 4
        found = np.corrcoef(level(made.height.astype(np.float64))[4:-4, 4:-4].ravel(), truth[4:-4, 4:-4].ravel())[0, 1]
        self.assertGreater(found, 0.985)
        self.assertFalse(made.facts["up_told"])
        plain = make(scan_without_colour(scan), Asked(unit="mm", patch=WHOLE, width=100))
        self.assertIsNone(plain.color)
        self.assertEqual(plain.height.shape, (100, 100))

    def test_half_of_the_points_and_a_hole(self) -> None:
        of = scanned(surface("tide_pebbles"), 255)
        keep = np.random.default_rng(1).random(len(of.points)) < 0.5
        keep &= np.hypot(of.points[:, 0] - 120, of.points[:, 1] + 120) > 14
        plane = find_plane(of.points, np.zeros((0, 3), np.int32))
        seen = project_cloud(of.points[keep], of.colours[keep], plane, WHOLE, 254)
        self.assertGreater(float(seen.holes[115:125, 115:125].min()), 0.9)
        # Between points that lie as far apart as usual there are no holes.
        self.assertLess(float(seen.holes[160:, 160:].mean()), 0.002)


class RectangleTest(unittest.TestCase):
    def test_against_trying_all(self) -> None:
        rng = np.random.default_rng(2)
        for _ in range(12):
            covered = rng.random((9, 11)) > 0.25
            best = 0
            for top in range(9):
                for left in range(11):
                    for bottom in range(top + 1, 10):
                        for right in range(left + 1, 12):
                            if covered[top:bottom, left:right].all():
                                best = max(best, (bottom - top) * (right - left))
            left, top, right, bottom = largest_rectangle(covered)
            part = covered[round(top * 9) : round(bottom * 9), round(left * 11) : round(right * 11)]
            self.assertTrue(part.all())
            self.assertEqual(part.size, best)


class ElevationTest(unittest.TestCase):
    def relief(self) -> np.ndarray:
        field = cv2.GaussianBlur(np.random.default_rng(4).standard_normal((120, 160)), (0, 0), 5) * 3
        return field - field.mean()

    def test_outliers_and_holes_are_mended_and_the_plane_goes(self) -> None:
        true = self.relief()
        y, x = np.mgrid[0:120, 0:160]
        values = true + 1200 + 0.2 * x - 0.05 * y
        spoilt = values.copy()
        spoilt[30, 40], spoilt[80, 100] = 5000, -900
        spoilt[60:64, 60:66] = -9999
        spoilt[10, 10] = np.nan
        found = mend(spoilt, missing=-9999, pixel=0.5)
        self.assertEqual(found.outliers, 2)
        self.assertEqual(int(found.holes.sum()), 2 + 24 + 1)
        self.assertAlmostEqual(found.lean, float(np.degrees(np.arctan(np.hypot(0.2, 0.05) / 0.5))), delta=0.4)
        self.assertLess(float(np.abs(level(found.height) - level(true)).max()), 0.25 * float(np.ptp(true)))
        self.assertLess(float((level(found.height) - level(true)).std()), 0.02 * float(np.ptp(true)))

    def test_steps_are_no_outliers(self) -> None:
        field = np.zeros((60, 60)) + self.relief()[:60, :60] * 0.01
        field[20:40, 20:24] += 5
        self.assertEqual(mend(field).outliers, 0)

    def test_depth_in_real_units(self) -> None:
        true = self.relief()
        made = make(Elevation(true, pixel=0.25), Asked(width=160))
        self.assertEqual(made.width_mm, 160 * 250)
        # Which plane it leans along is part of the answer, and a little of the depth.
        self.assertAlmostEqual(made.depth * made.width_mm, float(np.ptp(true)) * 1000, delta=70)
        dents = make(Elevation(true, pixel=0.25), Asked(width=160, turned_over=True))
        np.testing.assert_allclose(dents.height, 1 - made.height, atol=0.02)
        unknown = make(Elevation(true), Asked())
        self.assertIsNone(unknown.normal)
        self.assertTrue(any("nobody said" in text for _, text in unknown.told))
        by_hand = make(Elevation(true), Asked(unit="mm", width_mm=80))
        self.assertAlmostEqual(by_hand.depth, float(np.ptp(true)) / 80, delta=0.002)

    def test_nothing_there(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "Hardly anything"):
            mend(np.full((50, 50), np.nan))
        with self.assertRaisesRegex(UnreadableFile, "same everywhere"):
            make(Elevation(np.full((100, 100), 3.0)), Asked())


if __name__ == "__main__":
    unittest.main()
