"""White from a neutral patch, and how a RAW is developed."""

import unittest

import numpy as np

from amber_thicket.core.gather import white
from amber_thicket.errors import BadSetting
from amber_thicket.service.gather import neutral_patch
from tests.support import evaluation


class NeutralTest(unittest.TestCase):
    def picture(self) -> np.ndarray:
        """A grey card under orange light on the left, leaf green on the right."""
        pixels = np.full((200, 300, 3), 0.4, np.float32)
        pixels[:, 150:] = [0.05, 0.3, 0.06]
        return pixels * np.array([1.0, 0.7, 0.45], np.float32)

    def test_the_patch_becomes_grey_and_keeps_its_brightness(self) -> None:
        picture = self.picture()
        changes = neutral_patch(evaluation(picture), 0.2, 0.5, 0.02)
        made = evaluation(picture, **{name.replace(".", "__"): value for name, value in changes.items()})
        card = made.gathered(768).pixels[100, 50]
        np.testing.assert_allclose(card / card.mean(), 1, atol=2e-3)
        # BT.709 luminance stays.
        weights = np.array([0.2126, 0.7152, 0.0722])
        self.assertAlmostEqual(float(card @ weights), float(picture[100, 50] @ weights), delta=1e-3)
        again = neutral_patch(made, 0.2, 0.5, 0.02)
        for name, value in again.items():
            self.assertAlmostEqual(value, changes[name], delta=2e-3)

    def test_no_lamp_explains_it(self) -> None:
        with self.assertRaises(BadSetting):
            neutral_patch(evaluation(self.picture()), 0.8, 0.5, 0.02)
        for value in (0.0, 1.0):
            with self.assertRaises(BadSetting):
                white.neutral(np.full((4, 4, 3), value, np.float32))
