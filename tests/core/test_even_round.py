"""What tiles already stays a tile: every operation of Even works round the edges."""

import unittest
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.check.figures import coded, seams
from amber_thicket.core.even._round import with_margin, without_margin
from amber_thicket.core.even.known_shading import remove_known_shading
from amber_thicket.core.even.sun import Ground, sun
from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.filters import blur, enlarge
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.shading.raking import raking
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from tests.support import decode_srgb, evaluation, linear_photograph, rig_surface, size_of

SIDE = 512
PLAIN = {"even__light__amount": 0.0, "tile__join__method": "none", **size_of(SIDE)}
EVERYTHING: dict[str, dict[str, Any]] = {
    "large-scale light": {"even__light__amount": 100.0},
    "relief shading": {"even__raking__amount": 100.0},
    "shadow": {"even__shadow__amount": 100.0},
    "highlight": {"even__highlight__amount": 100.0},
    "glare": {"even__glare__amount": 100.0},
    "blotches": {"even__blotches__dark": 100.0, "even__blotches__bright": 100.0},
    "drift": {"even__drift__amount": 100.0},
}


def lit_tile() -> np.ndarray:
    """A surface lit from one side, uneven besides, with a mirrored lamp on its edge, whose edges meet."""
    surface = rig_surface("lime_render", 640, 3)
    lit = decode_srgb(photograph(surface, Shot(bearing=100, elevation=25, sky=0.3), np.random.default_rng(1)))
    joined = evaluation(lit, **size_of(SIDE), even__light__amount=0.0).layer("base_color", (SIDE, SIDE)).pixels
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32) * (2 * np.pi / SIDE)
    uneven = joined * (1 + 0.35 * np.sin(x + 0.6) + 0.2 * np.cos(y))[..., None]
    glint = np.exp(-(np.sin(x / 2) ** 2 + np.sin(y / 2 - 1) ** 2) / 0.0015)[..., None]
    return np.ascontiguousarray(uneven * (1 - glint) + 0.98 * glint, np.float32)


class RoundTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.tile = lit_tile()

    def made(self, **changes: Any) -> np.ndarray:
        ready = evaluation(self.tile, **{**PLAIN, **changes})
        return ready.layer("base_color", (SIDE, SIDE)).pixels

    def test_edges_still_meet_and_the_middle_is_where_it_was(self) -> None:
        before = [figure.border for figure in seams(coded(self.tile, "base_color"))]
        self.assertLess(max(before), 4)
        for name, changes in EVERYTHING.items():
            whole = self.made(tile__join__tiles=True, **changes)
            after = [figure.border for figure in seams(coded(whole, "base_color"))]
            with self.subTest(name):
                self.assertGreater(float(np.abs(whole - self.tile).max()), 0.01, "it does something")
                self.assertLess(max(after), 4)
                if name == "glare":
                    # What is rebuilt is taken from other places.
                    continue
                # Rolled before or after is the same, but for grids that lie elsewhere.
                rolled = evaluation(
                    np.roll(self.tile, (192, 128), (0, 1)), **{**PLAIN, "tile__join__tiles": True, **changes}
                )
                back = np.roll(rolled.layer("base_color", (SIDE, SIDE)).pixels, (-192, -128), (0, 1))
                self.assertLess(float(np.percentile(np.abs(back - whole), 99)), 0.02)

    def test_relief_shading_opened_a_seam_where_edges_were_not_known_to_meet(self) -> None:
        apart = self.made(even__raking__amount=100.0)
        round_ = self.made(even__raking__amount=100.0, tile__join__tiles=True)
        across, down = (max(f.border for f in seams(coded(p, "base_color"))) for p in (apart, round_))
        self.assertGreater(across, down + 1)
        # And what runs along the light is less.
        a = np.radians(raking(self.tile).bearing)
        along = []
        for pixels in (self.tile, round_):
            gy, gx = np.gradient(blur(np.ascontiguousarray(coded_luminance(pixels)), 1.0, wraps=True))
            along.append(float(np.median(np.abs(gx * np.cos(a) - gy * np.sin(a)))))
        self.assertLess(along[1], 0.75 * along[0])

    def test_light_on_a_known_relief_falls_across_the_edges(self) -> None:
        # Bumps that go on round the edges, their shadows across them; tone by Lambert's law and cast shadow.
        points = np.random.default_rng(4).random((60, 2)) * SIDE
        y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
        height = np.zeros((SIDE, SIDE), np.float32)
        for py, px in points:
            dy, dx = ((d + SIDE / 2) % SIDE - SIDE / 2 for d in (y - np.float32(py), x - np.float32(px)))
            height = np.maximum(height, np.exp(-(dx * dx + dy * dy) / np.float32(2 * 17**2)))
        frame = Frame(SIDE, SIDE, float(SIDE), True)
        wide, around = with_margin(Raster(height), frame)
        light = Ground(wide.pixels, 0.05, around.tile_width).light(1.0, 1.0, sky=0.25, soft=1.0, blur=0.6)
        lit = Raster(np.repeat(0.3 * without_margin(Raster(light), frame).pixels[..., None], 3, -1))
        seam, off = {}, {}
        for wraps in (True, False):
            known = replace(frame, wraps=wraps)
            made = remove_known_shading(lit, sun(lit, Raster(height), frame=known), known)
            seam[wraps] = max(figure.border for figure in seams(coded(made.pixels, "base_color")))
            tone = np.log(np.maximum(made.pixels[..., 0], 1e-3))
            rim = np.concatenate([tone[:24].ravel(), tone[:, :24].ravel()])
            off[wraps] = float(np.abs(rim - np.median(tone)).mean())
        self.assertLess(seam[True], 4)
        self.assertGreater(seam[False], 2 * seam[True])
        self.assertLess(off[True], 0.75 * off[False])

    def test_a_cropped_picture_is_no_tile(self) -> None:
        cropped = {"square__crop__right": 80.0, "even__drift__amount": 100.0}
        one, other = self.made(tile__join__tiles=True, **cropped), self.made(**cropped)
        np.testing.assert_array_equal(one, other)

    def test_enlarging_by_any_factor_round_the_edges(self) -> None:
        small = cv2.GaussianBlur(np.random.default_rng(1).random((96, 96, 3)).astype(np.float32), (0, 0), 2)
        for side in (192, 250, 384):
            for cubic in (False, True):
                large = enlarge(small, side, side, wraps=True, cubic=cubic)
                thrice = enlarge(np.tile(small, (3, 3, 1)), 3 * side, 3 * side, wraps=False, cubic=cubic)
                with self.subTest(side=side, cubic=cubic):
                    np.testing.assert_allclose(large, thrice[side : 2 * side, side : 2 * side], atol=2e-3)

    def test_a_plain_photograph_is_evened_as_before(self) -> None:
        ready = evaluation(linear_photograph("gravel"), **{**PLAIN, "even__light__amount": 100.0})
        self.assertFalse(ready.sizes((SIDE, SIDE)).work.wraps)


if __name__ == "__main__":
    unittest.main()
