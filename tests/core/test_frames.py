"""How any file of a material lies on any other, and whether it really does."""

from __future__ import annotations

import unittest

import numpy as np

from amber_thicket.core.align.fit import measure_fit
from amber_thicket.core.align.warp import warp_to
from amber_thicket.core.gather.frames import joined_files, lie_in, placed_with
from amber_thicket.core.gather.registration import RegisteredFile, Settings
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.kelp_frond import back_shot, front_shot, kelp_frond, placed

FIRST, SECOND, BACK, LIT, OTHER = (letter * 16 for letter in "abcde")


def row(file: str, on: str, matrix: np.ndarray) -> RegisteredFile:
    return RegisteredFile(file=file, on=on, matrix=tuple(matrix.ravel().tolist()))


class Frames(unittest.TestCase):
    def setUp(self) -> None:
        self.second = placed(2, (0.0, -0.4), 1.0, mirrored=False)
        self.back = placed(-9, (0.02, -0.01), 0.96, mirrored=True)
        self.settings = Settings(
            files=(row(BACK, "", self.back),),
            joined=(row(SECOND, FIRST, self.second),),
        )

    def test_any_file_lies_on_any_other(self) -> None:
        files = [FIRST, SECOND, BACK, LIT]
        lies = lie_in(self.settings, SECOND, FIRST, files)
        wanted = self.back @ np.linalg.inv(self.second)
        np.testing.assert_allclose(lies[BACK], wanted / wanted[2, 2], atol=1e-12)
        # What was never laid lies as the first file does.
        np.testing.assert_allclose(lies[LIT], lies[FIRST], atol=1e-12)
        np.testing.assert_allclose(lies[FIRST] @ self.second, np.eye(3), atol=1e-12)
        self.assertEqual(placed_with(self.settings, BACK, FIRST), {FIRST, SECOND, BACK})

    def test_a_photograph_nobody_compared_is_taken_to_lie_as_the_first(self) -> None:
        lies = lie_in(self.settings, OTHER, FIRST, [FIRST, SECOND, BACK, OTHER])
        np.testing.assert_allclose(lies[BACK], self.back, atol=1e-12)
        self.assertEqual(placed_with(self.settings, OTHER, FIRST), {OTHER})

    def test_what_is_joined_stays_joined_whichever_is_the_photograph(self) -> None:
        self.assertEqual(joined_files(self.settings, FIRST, FIRST), (SECOND,))
        self.assertEqual(joined_files(self.settings, SECOND, FIRST), (FIRST,))
        self.assertEqual(joined_files(self.settings, BACK, FIRST), ())


class Fits(unittest.TestCase):
    def test_the_outline_of_a_frond_says_how_far_it_lies_aside(self) -> None:
        frond, rng = kelp_frond(640, 6), np.random.default_rng(3)
        matrix = placed(-7, (0.01, 0.02), 0.98, mirrored=True)
        front, back = decode_srgb(front_shot(frond, rng)), decode_srgb(back_shot(frond, matrix, rng))
        outline = silhouette(back)
        assert outline is not None
        for aside, level in ((0.0, "pass"), (2.5, "attention"), (12.0, "blocked")):
            shift = np.array([[1, 0, aside / 1024], [0, 1, 0], [0, 0, 1.0]])
            laid, covered, seen = (
                warp_to(one, matrix @ shift, (640, 640), beyond=0)
                for one in (back, np.ones((640, 640), np.float32), outline)
            )
            fit = measure_fit(front, laid, covered > 0.99, seen)
            self.assertEqual((fit.by, fit.level), ("outline", level), fit)
            self.assertLess(fit.overlap, 1 - 0.002 * aside)
        # Laid by the wrong matrix it overlaps by three quarters, which is far from enough.
        plain = measure_fit(front, back, np.ones((640, 640), bool), outline)
        self.assertEqual(plain.level, "blocked")
        self.assertLess(plain.overlap, 0.9)

    def test_detail_tells_where_there_is_no_outline(self) -> None:
        picture = decode_srgb(photograph(cork_board(512, 3), Shot(), np.random.default_rng(1)))
        other = decode_srgb(photograph(cork_board(512, 3), Shot(sun=0.7), np.random.default_rng(4)))
        every = np.ones((512, 512), bool)
        for aside in (0.0, 3.0, 20.0):
            fit = measure_fit(
                picture, warp_to(other, np.array([[1, 0, aside / 512], [0, 1, 0], [0, 0, 1]]), (512, 512)), every
            )
            self.assertEqual(fit.by, "detail")
            self.assertAlmostEqual(fit.apart, 2 * aside, delta=0.7)

    def test_an_empty_card_has_no_outline(self) -> None:
        self.assertIsNone(silhouette(np.full((96, 96, 3), 0.4, np.float32)))

    def test_nothing_in_common_cannot_be_told(self) -> None:
        one, other = (
            decode_srgb(photograph(cork_board(384, seed), Shot(), np.random.default_rng(seed))) for seed in (3, 8)
        )
        fit = measure_fit(one, other, np.ones((384, 384), bool))
        self.assertEqual((fit.level, fit.by, fit.apart), ("unknown", "nothing", None))
        self.assertIn("Cannot tell", fit.told)
        # A pattern that repeats fits one period aside as well: it is not believed either.
        x = np.arange(384)
        stripes = (
            0.5
            + 0.3
            * np.sign(np.sin(2 * np.pi * x / 12))[None, :, None]
            * np.sign(np.sin(2 * np.pi * x / 12))[:, None, None]
        )
        stripes = np.repeat(stripes.astype(np.float32), 3, -1)
        self.assertEqual(measure_fit(stripes, stripes, np.ones((384, 384), bool)).level, "unknown")


if __name__ == "__main__":
    unittest.main()
