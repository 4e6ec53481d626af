"""What is given back to the height from the normal: the same normals, now those of a height."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from amber_thicket.core.raster import Raster
from amber_thicket.core.relief.held import decide_held, held
from amber_thicket.core.relief.normal import from_height, normal
from amber_thicket.core.shading.slope import integrated, slopes
from tests.support import evaluation, frame, linear_photograph, size_of

SIDE = 128
Y, X = np.mgrid[0:SIDE, 0:SIDE] / SIDE * 2 * np.pi
FIELD = (0.5 + 0.2 * np.sin(2 * X) * np.cos(Y) + 0.02 * np.sin(30 * X + 7 * Y)).astype(np.float32)
GROUND = Raster(FIELD, span=6.0 / SIDE)
DETAIL = (0.5 * np.sin(11 * X) * np.sin(9 * Y)).astype(np.float32)
NONE = {"crispness": 0.0, "crisp_size": 3.0, "detail": 0.0}
ALONE = {"strength": 1.0, "kernel": "even", "crispness": 0.0, "crisp_size": 3.0, "detail": 0.0}


def made(brought: np.ndarray | None = None, **settings: Any) -> Raster:
    laid = None if brought is None else Raster(brought, vectors=True)
    how = {**NONE, **settings}
    return held(GROUND, laid, frame=frame(SIDE), decided=decide_held(GROUND, laid, frame=frame(SIDE), **how), **how)


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """Mean angle between normals, degrees."""
    return float(np.degrees(np.arccos(np.clip((one * other).sum(-1), -1, 1))).mean())


class Held(unittest.TestCase):
    def test_crispness_gives_the_very_normals_the_normal_map_had(self) -> None:
        for crispness in (-60.0, 80.0):
            wanted = normal(GROUND, None, frame=frame(SIDE), **{**ALONE, "crispness": crispness}).pixels
            found = made(crispness=crispness)
            kept = normal(found, None, frame=frame(SIDE), **ALONE).pixels
            with self.subTest(crispness=crispness):
                self.assertLess(apart(kept, wanted), 0.02)
                self.assertGreater(apart(wanted, normal(GROUND, None, frame=frame(SIDE), **ALONE).pixels), 1.0)
                self.assertTrue(found.pixels.min() >= 0 and found.pixels.max() <= 1)

    def test_a_detail_of_a_height_is_held_whole(self) -> None:
        vectors = from_height(DETAIL, depth=1.0)
        found = made(vectors, detail=1.0)
        self.assertLess(found.evidence["unheld"], 0.1)
        # The height is the ground and the detail, in px.
        pixels = found.pixels * np.float32(found.span * SIDE)
        wanted = FIELD * np.float32(6.0) + DETAIL
        np.testing.assert_allclose(pixels - pixels.mean(), wanted - wanted.mean(), atol=0.004)
        twice = made(vectors, detail=2.0)
        twice_up = twice.pixels * np.float32(twice.span * SIDE)
        twice_up -= twice_up.mean() - (wanted + DETAIL).mean()
        np.testing.assert_allclose(twice_up, wanted + DETAIL, atol=0.01)
        # And its normals are those it had as a map on the surface, but for the detail being turned with it.
        laid = normal(GROUND, Raster(vectors, vectors=True), frame=frame(SIDE), **{**ALONE, "detail": 1.0}).pixels
        self.assertLess(apart(normal(found, None, frame=frame(SIDE), **ALONE).pixels, laid), 0.6)
        self.assertGreater(apart(normal(GROUND, None, frame=frame(SIDE), **ALONE).pixels, laid), 8)

    def test_what_turns_in_circles_is_not_held_and_is_said(self) -> None:
        # Slopes across their own gradient: round every hill, and up none.
        right, up = slopes(DETAIL, wraps=True)
        around = np.stack([up, -right, np.ones_like(up)], -1).astype(np.float32)
        around /= np.linalg.norm(around, axis=-1, keepdims=True)
        found = made(around, detail=1.0)
        self.assertGreater(found.evidence["unheld"], 97)
        self.assertLess(float(np.abs(integrated(around)).max()), 0.002)
        np.testing.assert_allclose(found.pixels, FIELD, atol=0.004)

    def test_the_chain_gives_it_to_every_map(self) -> None:
        changes = {**size_of(256), "tile__join__method": "none"}
        crisp = evaluation(linear_photograph("gravel"), relief__normal__crispness=100.0, **changes)
        given = evaluation(linear_photograph("gravel"), relief__held__crispness=100.0, **changes)
        plain = evaluation(linear_photograph("gravel"), **changes)
        size = (256, 256)
        self.assertLess(apart(given.layer("normal", size).pixels, crisp.layer("normal", size).pixels), 0.1)
        self.assertGreater(apart(given.layer("normal", size).pixels, plain.layer("normal", size).pixels), 1.5)
        # The height, and what is made of it, did not know of the crispness of the normal alone.
        np.testing.assert_array_equal(crisp.layer("height", size).pixels, plain.layer("height", size).pixels)
        heights = [one.layer("height", size) for one in (given, plain)]
        self.assertGreater(
            float(np.abs(heights[0].pixels * heights[0].span - heights[1].pixels * heights[1].span).max()), 0.002
        )
        self.assertGreater(
            float(
                np.abs(
                    given.layer("ambient_occlusion", size).pixels - plain.layer("ambient_occlusion", size).pixels
                ).max()
            ),
            0.01,
        )


if __name__ == "__main__":
    unittest.main()
