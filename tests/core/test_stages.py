"""Each operation does what its settings say."""

import unittest

import cv2
import numpy as np
from scipy.sparse import lil_matrix
from scipy.sparse.csgraph import dijkstra

from amber_thicket.core.check.figures import drift
from amber_thicket.core.even import light
from amber_thicket.core.gather.orient import orient
from amber_thicket.core.numeric.colour import linear_to_lab, luminance
from amber_thicket.core.raster import Raster
from amber_thicket.core.relief.bands import BANDS
from amber_thicket.core.square.crop import Settings as Crop
from amber_thicket.core.square.crop import fitted
from amber_thicket.core.synthesis.cut import _banded, closed_path, open_path
from amber_thicket.standins.capture_rig.camera import Shot, light_field
from amber_thicket.standins.capture_rig.lime_render import lime_render
from tests.support import evaluation, frame, linear_photograph, size_of


class SquareTest(unittest.TestCase):
    def test_orientation(self) -> None:
        picture = np.arange(6, dtype=np.float32).reshape(2, 3, 1).repeat(3, -1)
        turned = orient(Raster(picture), frame=frame(3, 2), turn="90", mirror=False).pixels[..., 0]
        np.testing.assert_array_equal(turned, [[3, 0], [4, 1], [5, 2]])
        mirrored = orient(Raster(picture), frame=frame(3, 2), turn="0", mirror=True).pixels[..., 0]
        np.testing.assert_array_equal(mirrored, [[2, 1, 0], [5, 4, 3]])

    def test_crop_never_stretches(self) -> None:
        left, top, right, bottom = fitted(Crop(left=10, right=90, top=0, bottom=100), (1000, 400), 1.0)
        self.assertAlmostEqual((right - left) / (bottom - top), 1.0)
        self.assertAlmostEqual((left + right) / 2, 500)
        self.assertEqual((top, bottom), (0, 400))


class EvenTest(unittest.TestCase):
    def test_fall_off_goes_and_texture_stays(self) -> None:
        """QUALITY §1: light fall-off: log error against the true albedo down by at least 70 %; contrast kept."""
        surface = lime_render(512, 5)
        truth = surface.albedo
        lit = truth * light_field(truth.shape[:2], Shot(fall_off=0.6, vignette=0.25))[..., None]
        place = frame(512, wraps=False)
        field = light.decide_light(Raster(lit), frame=place, amount=100, size=22)
        evened = light.light(Raster(lit), frame=place, decided=field, amount=100, size=22).pixels

        def slow_error(pixels: np.ndarray) -> float:
            ratio = np.log(np.maximum(luminance(pixels), 1e-4)) - np.log(luminance(truth))
            soft = cv2.GaussianBlur(ratio, (0, 0), 48)
            return float((soft - soft.mean()).std())

        self.assertLess(slow_error(evened), 0.3 * slow_error(lit))
        detail = [
            luminance(p) - cv2.GaussianBlur(luminance(p), (0, 0), 8)
            for p in (evened / evened.mean(), truth / truth.mean())
        ]
        self.assertGreater(float(detail[0].std() / detail[1].std()), 0.9)
        # The hue does not move: all three channels got the same gain.
        np.testing.assert_allclose(evened[..., 0] / evened[..., 2], lit[..., 0] / lit[..., 2], rtol=1e-4)

    def test_drift_falls(self) -> None:
        ramp = np.linspace(0.5, 1.5, 512, dtype=np.float32)[None, :, None]
        photo = linear_photograph("gravel") * ramp
        before = evaluation(photo, **size_of(256), even__light__amount=0).layer("base_color", (256, 256)).pixels
        after = evaluation(photo, **size_of(256), even__light__amount=100).layer("base_color", (256, 256)).pixels
        self.assertLess(drift(linear_to_lab(after)), drift(linear_to_lab(before)) / 3)

    def test_shadow_lifts_and_highlight_lowers(self) -> None:
        rng = np.random.default_rng(2)
        photo = np.repeat(0.3 + 0.02 * rng.standard_normal((256, 256, 1)).astype(np.float32), 3, -1)
        photo[60:90, 60:90] *= 0.4
        photo[160:190, 160:190] *= 2.2
        size = {**size_of(256), "even__light__amount": 0, "tile__join__method": "none"}
        plain = evaluation(photo, **size).layer("evened", (256, 256)).pixels
        lifted = (
            evaluation(photo, **size, even__shadow__amount=80, even__shadow__size=8.0)
            .layer("evened", (256, 256))
            .pixels
        )
        lowered = (
            evaluation(photo, **size, even__highlight__amount=80, even__highlight__size=8.0)
            .layer("evened", (256, 256))
            .pixels
        )
        self.assertGreater(float(lifted[70:80, 70:80].mean()), 1.3 * float(plain[70:80, 70:80].mean()))
        self.assertLess(float(lowered[170:180, 170:180].mean()), 0.85 * float(plain[170:180, 170:180].mean()))
        self.assertAlmostEqual(
            float(lifted[170:180, 170:180].mean()), float(plain[170:180, 170:180].mean()), delta=0.05
        )


class TileTest(unittest.TestCase):
    def test_path_finds_the_cheap_way(self) -> None:
        cost = np.full((60, 30), 1.0, np.float32)
        way = (15 + 5 * np.sin(np.arange(60) / 9)).round().astype(int)
        cost[np.arange(60), way] = 0.01
        cost[np.arange(60), way + 1] = 0.01
        found = open_path(cost, wander=1.0)
        self.assertLess(float(cost[np.arange(60), found].mean()), 0.05)

    def test_the_closed_path_is_the_cheapest_of_all_starts(self) -> None:
        """Against the shortest path from every start (scipy's Dijkstra on the same grid)."""
        rng = np.random.default_rng(0)
        for _ in range(6):
            cost = rng.random((int(rng.integers(14, 26)), int(rng.integers(12, 20)))).astype(np.float32)
            path = closed_path(cost, wander=1.0)
            self.assertLessEqual(max(np.abs(np.diff(np.append(path, path[0])))), 1)
            dear = _banded(cost, 1.0)
            length, width = dear.shape
            graph = lil_matrix((length * width, length * width))
            for y in range(length - 1):
                for x in range(width):
                    for to in range(max(x - 1, 0), min(x + 2, width)):
                        graph[y * width + x, (y + 1) * width + to] = dear[y + 1, to]
            reached = dijkstra(graph.tocsr(), indices=range(width))
            ends = reached[:, -width:]
            least = min(
                dear[0, x] + ends[x, to] for x in range(width) for to in range(max(x - 1, 0), min(x + 2, width))
            )
            self.assertAlmostEqual(float(dear[np.arange(length), path].sum()), least, delta=1e-3)

    def test_closed_path_closes(self) -> None:
        cost = np.random.default_rng(3).random((200, 40)).astype(np.float32)
        path = closed_path(cost, wander=1.0)
        self.assertLessEqual(int(np.abs(np.diff(np.append(path, path[0]))).max()), 1)

    def test_wander_keeps_to_the_middle(self) -> None:
        cost = np.random.default_rng(3).random((200, 61)).astype(np.float32)
        self.assertLessEqual(int(np.abs(open_path(cost, wander=0.0) - 30).max()), 2)


class ReliefTest(unittest.TestCase):
    def decided(self, **changes: object) -> Raster:
        return evaluation(linear_photograph("gravel"), **size_of(256), **changes).layer("height", (256, 256))

    def test_invert_turns_high_and_low(self) -> None:
        plain, inverted = self.decided().pixels, self.decided(relief__height__invert=True).pixels
        self.assertLess(float(np.corrcoef(plain.ravel(), inverted.ravel())[0, 1]), -0.95)

    def test_steepness_sets_the_slope(self) -> None:
        raster = self.decided(relief__height__steepness=0.3)
        gy, gx = np.gradient(raster.pixels * raster.span * 256)
        self.assertAlmostEqual(float(np.sqrt((gx**2 + gy**2).mean())), 0.3, delta=0.12)

    def test_strength_given_to_the_height_leaves_the_normal_as_it_is(self) -> None:
        def of(**told: float) -> tuple[np.ndarray, float]:
            made = evaluation(linear_photograph("gravel"), **size_of(256), **told)
            return made.layer("normal", (256, 256)).pixels, made.layer("height", (256, 256)).span

        strong, before = of(relief__height__steepness=0.4, relief__normal__strength=2.0)
        given, after = of(relief__height__steepness=0.8, relief__normal__strength=1.0)
        np.testing.assert_allclose(given, strong, atol=2e-3)
        self.assertAlmostEqual(after / before, 2, delta=0.01)

    def test_bands_take_their_sizes(self) -> None:
        silent = {f"relief__bands__{band}": 0.0 for band in BANDS}
        fine = self.decided(**{**silent, "relief__bands__finest": 1.0}).pixels
        coarse = self.decided(**{**silent, "relief__bands__large": 1.0}).pixels

        def coarseness(field: np.ndarray) -> float:
            return float(cv2.GaussianBlur(field - field.mean(), (0, 0), 4).std() / field.std())

        self.assertLess(coarseness(fine), 0.15)
        self.assertGreater(coarseness(coarse), 0.6)

    def test_roughness_centre_and_limits(self) -> None:
        values = evaluation(
            linear_photograph("gravel"), **size_of(256), response__roughness__centre=0.4, response__roughness__spread=0.1,
            response__roughness__low=0.2, response__roughness__high=0.6,
        ).layer("roughness", (256, 256)).pixels  # fmt: skip
        self.assertAlmostEqual(float(values.mean()), 0.4, delta=0.04)
        self.assertGreater(float(values.std()), 0.05)
        self.assertGreaterEqual(float(values.min()), 0.2)
        self.assertLessEqual(float(values.max()), 0.6001)
