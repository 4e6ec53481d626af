"""Slate shot at an angle in sun: found, flattened, and the bench's truth maps still true after it."""

import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
import tifffile

from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb, luminance
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.square.propose import propose
from amber_thicket.service.from_paths import load_material_from_paths
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph, seen_from
from amber_thicket.standins.capture_rig.slate_shingles import slate_shingles
from amber_thicket.standins.capture_rig.truth import truth_seen

SIDE = 1024
SHOT = Shot(bearing=60, elevation=36, sky=0.45, fall_off=0.1)
STAND = Stand(tilt=-30, pan=11, roll=3.5, distance=1.35, picture=(1800, 1350))


def accepted(found) -> dict[str, float]:
    names = ("upper_left", "upper_right", "lower_right", "lower_left")
    corners = zip(names, found.corners, strict=True)
    flat = {f"square.flat.{name}_{axis}": v for name, c in corners for axis, v in zip("xy", c, strict=True)}
    return {**flat, "square.lens.k1": found.k1}


class AtAnAngleTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.surface = slate_shingles(1536, 23)
        codes = photograph(cls.surface, SHOT, np.random.default_rng(24), STAND)
        found = propose(decode_srgb(codes))
        assert found.accepted, found.reason
        # Where each place of the surface lies, photographed like the maps.
        y, x = np.mgrid[0:1536, 0:1536].astype(np.float32) / 1536
        maps = truth_seen(cls.surface, STAND)
        where = [np.rint(seen_from(p, STAND) * 65535).astype(np.uint16) for p in (x, y)]
        cls.folder = tempfile.TemporaryDirectory()
        folder = Path(cls.folder.name)
        files = {"slate.tif": codes, "slate_ao.tif": where[0], "slate_opacity.tif": where[1]}
        files |= {f"slate_{role}.tif": codes for role, codes in maps.items() if role in ("height", "normal")}
        for name, pixels in files.items():
            tifffile.imwrite(folder / name, pixels)
        changes = {**accepted(found), "square.size.width": SIDE, "square.size.height": SIDE, "tile.join.method": "none"}
        made = load_material_from_paths([folder], None, changes, Memory(2_000_000_000)).evaluation
        cls.layer = staticmethod(lambda name: made.layer(name, (SIDE, SIDE)).pixels)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.folder.cleanup()

    def test_courses_are_straight(self) -> None:
        inner = slice(16, -16)
        for name, axis in (("squared.ambient_occlusion", 0), ("squared.opacity", 1)):
            where = self.layer(name)[inner, inner].astype(float)
            per_pixel = np.abs(np.gradient(where, axis=1 - axis)).mean()
            lines = where if axis else where.T
            # Along a course the true place must not leave its straight line, in pixels of the sample.
            x = np.arange(lines.shape[1])
            fits = np.polynomial.polynomial.polyfit(x, lines.T, 1)
            off = (lines - (fits[0][:, None] + fits[1][:, None] * x)) / per_pixel
            self.assertLess(float(np.abs(off).max()), 1.0, name)
            level = np.abs(fits[1]).max() * SIDE / per_pixel
            self.assertLess(float(level), 0.01 * SIDE, f"{name}: from one side to the other")

    def test_truth_lines_up_with_the_photograph(self) -> None:
        where = np.stack([self.layer("squared.ambient_occlusion"), self.layer("squared.opacity")], -1) * 1536
        # The same sun, seen straight on: shading lies where it lies in the photograph.
        lit = luminance(decode_srgb(photograph(self.surface, SHOT, np.random.default_rng(5))))
        true = cv2.remap(lit, where[..., 0], where[..., 1], cv2.INTER_CUBIC)
        height = cv2.remap(self.surface.height, where[..., 0], where[..., 1], cv2.INTER_CUBIC)
        for name, other in (("squared", true), ("squared.height", height)):
            seen = self.layer(name)
            seen = luminance(seen) if seen.ndim == 3 else seen
            window = cv2.createHanningWindow((SIDE, SIDE), cv2.CV_32F)
            (dx, dy), _ = cv2.phaseCorrelate(seen, np.float32(other), window)
            self.assertLess(float(np.hypot(dx, dy)), 1.0, name)

    def test_normals_stay_true(self) -> None:
        x, y = self.layer("squared.ambient_occlusion") * 1536, self.layer("squared.opacity") * 1536
        true = from_height(self.surface.height, depth=1.0, wraps=False)
        wanted = cv2.remap(np.ascontiguousarray(true), x, y, cv2.INTER_LINEAR)
        wanted = cv2.GaussianBlur(wanted, (0, 0), 1.2)
        have = cv2.GaussianBlur(self.layer("squared.normal"), (0, 0), 1.2)
        cosine = (wanted * have).sum(-1) / np.linalg.norm(wanted, axis=-1) / np.linalg.norm(have, axis=-1)
        off = np.degrees(np.arccos(np.clip(cosine, -1, 1)))[16:-16, 16:-16]
        self.assertLess(float(np.median(off)), 2.0)
        self.assertLess(float(np.mean(off)), 2.0)
