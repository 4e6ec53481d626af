"""Stills of materials: their maps at the size that shows, their look, and the one that goes into a pack."""

import hashlib
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import cv2
import numpy as np

from amber_thicket.core.lit.still import Look
from amber_thicket.core.progress import progress_to
from amber_thicket.errors import Cancelled, NotFound
from amber_thicket.service import bake
from amber_thicket.service.still import card_of, look_of, maps_of, still
from amber_thicket.service.surroundings import own_surroundings, radiance_of
from amber_thicket.store.work import StillLook
from tests.support import encoded, evaluation, linear_photograph, size_of

SMALL = StillLook(width=96, height=72, lamp=0.0)


class StillTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.ready = evaluation(linear_photograph("gravel"), **size_of(512))

    def pixels(self, look: StillLook, paths: int = 4) -> np.ndarray:
        *_, last = still(self.ready, look, self.folder, paths)
        return cv2.imdecode(np.frombuffer(last.png, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(float)

    def test_a_look_that_says_nothing_is_the_usual_one(self) -> None:
        self.assertEqual(look_of(StillLook(width=640, height=480)), Look())

    def test_maps_are_as_large_as_they_show(self) -> None:
        look = look_of(StillLook(width=400, height=300, repeat=2))
        self.assertEqual(maps_of(self.ready, look).base_color.shape, (300, 300, 3))
        # Nearer there is more to see, and never more than the finished set has.
        near = look_of(StillLook(width=400, height=300, repeat=2, distance=0.25))
        self.assertEqual(maps_of(self.ready, near).base_color.shape, (512, 512, 3))
        # Where relief keeps no light away, the map of occlusion does.
        flat = look_of(StillLook(width=400, height=300, repeat=2, displacement=0.0))
        shaded, plain = maps_of(self.ready, flat).base_color, maps_of(self.ready, look).base_color
        occlusion = self.ready.layer("ambient_occlusion", (300, 300)).pixels
        np.testing.assert_allclose(shaded, plain * occlusion[..., None], atol=1e-6)

    def test_light_comes_from_the_surroundings_it_is_told(self) -> None:
        panorama = np.zeros((64, 128, 3), np.uint8)
        panorama[..., 2] = 200
        name = own_surroundings(self.folder, encoded(panorama), "blue.png")
        self.assertEqual(radiance_of(self.folder, name).shape, (64, 128, 3))
        blue = self.pixels(SMALL.model_copy(update={"surroundings": name}))[36, 48]
        grey = self.pixels(SMALL)[36, 48]
        self.assertGreater(blue[2], 3 * blue[0])
        self.assertLess(grey[2], 1.5 * grey[0])
        with self.assertRaises(NotFound):
            self.pixels(SMALL.model_copy(update={"surroundings": "own-0123456789abcdef"}))

    def test_a_lamp_is_bright_and_twice_the_exposure_brighter(self) -> None:
        dark, lit, over = (
            self.pixels(SMALL.model_copy(update=more))[20:60, 30:70].mean()
            for more in ({}, {"lamp": 2.0}, {"exposure": 0.6})
        )
        self.assertGreater(lit, dark + 15)
        self.assertGreater(over, dark + 15)

    def test_it_is_called_off_between_two_paths(self) -> None:
        seen: list[float] = []

        def told(share: float, _: str) -> None:
            seen.append(share)
            if share >= 0.5:
                raise Cancelled("Enough.")

        with progress_to(told), self.assertRaises(Cancelled):
            list(still(self.ready, SMALL, self.folder, 8))
        self.assertEqual(seen, [0.125, 0.25, 0.375, 0.5])

    def test_the_card_is_its_middle(self) -> None:
        wide = np.zeros((60, 120, 3), np.uint8)
        wide[:, 30:90] = (40, 160, 80)
        card = cv2.imdecode(np.frombuffer(card_of(encoded(wide)), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
        self.assertEqual(card.shape, (320, 320, 3))
        np.testing.assert_allclose(card.reshape(-1, 3).mean(0), (40, 160, 80), atol=3)

    def test_a_pack_holds_one_when_asked(self) -> None:
        asked = evaluation(linear_photograph("gravel"), **size_of(256), pack__files__still=True)
        with mock.patch.object(bake, "_PATHS", 1):
            written = {one.name: one for one in bake.pack(asked, "quay", lambda *_: None)}
        one = written["quay_still.png"]
        self.assertEqual(cv2.imdecode(np.frombuffer(one.data, np.uint8), cv2.IMREAD_COLOR).shape, (540, 720, 3))
        self.assertEqual(one.facts["sha256"], hashlib.sha256(one.data).hexdigest())
        self.assertIn(b'"quay_still.png"', written["quay_manifest.json"].data)
        plain = [one.name for one in bake.pack(self.ready, "quay", lambda *_: None)]
        self.assertNotIn("quay_still.png", plain)


if __name__ == "__main__":
    unittest.main()
