"""The proposed corners, against cameras of the bench whose stand is known."""

import unittest

import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.square.propose import propose
from amber_thicket.core.square.view import true_shape
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph
from amber_thicket.standins.capture_rig.lime_render import lime_render
from amber_thicket.standins.capture_rig.slate_shingles import slate_shingles

TILTED = (
    Stand(tilt=-32, pan=12, roll=4, picture=(1200, 900), distance=1.35),
    Stand(tilt=20, pan=-20, roll=-3, picture=(1000, 1000), distance=1.4),
)


def off(corners: tuple[tuple[float, float], ...], stand: Stand) -> float:
    """Largest distance of the corners from an upright rectangle on the true surface, as a share of its longer side."""
    points = np.concatenate([np.array(corners) / 100, np.ones((4, 1))], 1) @ np.linalg.inv(stand.homography()).T
    seen = points[:, :2] / points[:, 2:]
    left, right = (seen[0, 0] + seen[3, 0]) / 2, (seen[1, 0] + seen[2, 0]) / 2
    top, bottom = (seen[0, 1] + seen[1, 1]) / 2, (seen[2, 1] + seen[3, 1]) / 2
    upright = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    return float(np.abs(seen - upright).max() / max(right - left, bottom - top))


class ProposeTest(unittest.TestCase):
    def test_courses_seen_askew(self) -> None:
        surface = slate_shingles(1024, 7)
        for stand in TILTED:
            codes = photograph(surface, Shot(bearing=118, elevation=38), np.random.default_rng(1), stand)
            found = propose(decode_srgb(codes))
            self.assertTrue(found.accepted, found.reason)
            self.assertGreater(found.confidence, 0.6)
            self.assertLess(off(found.corners, stand), 0.01)
            whole = ((0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0))
            self.assertGreater(off(whole, stand), 0.1, "the picture as it is is far from flat")
            corners = np.array(found.corners)
            self.assertTrue((corners > -0.5).all() and (corners < 100.5).all(), "within the picture")

    def test_nothing_is_offered_where_nothing_is_square_or_all_is(self) -> None:
        shot = Shot(bearing=118, elevation=38)
        lime = propose(decode_srgb(photograph(lime_render(768, 5), shot, np.random.default_rng(1), TILTED[0])))
        self.assertFalse(lime.accepted)
        self.assertLess(lime.confidence, 0.4)
        straight_on = Stand(tilt=0, distance=1.3, picture=(1000, 1000))
        slate = propose(decode_srgb(photograph(slate_shingles(1024, 3), shot, np.random.default_rng(1), straight_on)))
        self.assertFalse(slate.accepted)

    def test_the_focal_length_the_camera_told_makes_the_shape_right(self) -> None:
        stand = Stand(tilt=28, pan=8, roll=3, focal=0.72, distance=0.83, picture=(900, 900))
        pixels = decode_srgb(photograph(slate_shingles(1024, 5), Shot(), np.random.default_rng(1), stand))
        back = np.linalg.inv(stand.homography())
        off = []
        for focal_35 in (None, 0.72 * 43.27 / 2**0.5):
            corners = np.array(propose(pixels, focal_35).corners) / 100
            flat = np.concatenate([corners, np.ones((4, 1))], 1) @ back.T
            sides = np.diff(flat[:, :2] / flat[:, 2:], axis=0)
            told = true_shape((corners - 0.5) * 900)
            off.append(abs(told / (np.linalg.norm(sides[0]) / np.linalg.norm(sides[1])) - 1))
        self.assertLess(off[1], 0.02)
        self.assertLess(off[1], 0.5 * off[0])
