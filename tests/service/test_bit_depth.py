"""Fine sources stay fine: 16-bit and float captures end as 16-bit height without steps."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenEXR
import tifffile

from amber_thicket.core.files.encode import quantised
from amber_thicket.core.memory import Memory
from amber_thicket.service.from_paths import load_material_from_paths
from tests.support import bumps

SIDE = 512
SETTINGS = {"square.size.width": SIDE, "square.size.height": SIDE, "tile.join.method": "none"}


class BitDepthTest(unittest.TestCase):
    def height_of(self, **files: np.ndarray) -> np.ndarray:
        """16-bit codes of the finished height; files by the end of their names."""
        with tempfile.TemporaryDirectory() as name:
            for end, pixels in files.items():
                if pixels.dtype.kind == "f":
                    OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {"Y": pixels}).write(f"{name}/s_{end}.exr")  # fmt: skip
                else:
                    tifffile.imwrite(f"{name}/s_{end}.tif", pixels)
            made = load_material_from_paths([Path(name)], None, SETTINGS, Memory(400_000_000)).evaluation
            return quantised(made.layer("height", (SIDE, SIDE)).pixels, 16)

    def test_an_existing_height_keeps_every_level(self) -> None:
        field = bumps(SIDE)
        grey = np.full((SIDE, SIDE, 3), 120, np.uint8)
        fine = np.rint(field * 65535).astype(np.uint16)
        made = self.height_of(color=grey, height=fine)
        self.assertEqual(np.unique(made).size, np.unique(fine).size)
        np.testing.assert_allclose(made, fine, atol=1)
        floating = self.height_of(color=grey, height=field.astype(np.float32))
        np.testing.assert_allclose(floating, fine, atol=1)
        coarse = self.height_of(color=grey, height=(fine >> 8).astype(np.uint8))
        self.assertLessEqual(np.unique(coarse).size, 256, "eight bits are not dressed up as sixteen")

    def test_height_from_a_fine_photograph_has_no_steps(self) -> None:
        # A slope so gentle that eight bits show it as terraces.
        y, x = np.mgrid[0:SIDE, 0:SIDE] / SIDE
        tone = (0.5 + 0.04 * np.sin(2 * np.pi * x) * np.cos(2 * np.pi * y)).astype(np.float32)
        runs = {}
        for name, pixels in (
            ("sixteen", np.rint(tone * 65535).astype(np.uint16)),
            ("float", tone**2.2),
        ):
            colour = np.repeat(pixels[..., None], 3, -1) if pixels.dtype.kind != "f" else pixels
            made = self.height_of(color=colour).astype(np.int64)
            # How many neighbours along a row are the very same code: a terrace.
            runs[name] = float((np.diff(made, axis=1) == 0).mean())
            self.assertGreater(np.unique(made).size, 20_000, name)
        self.assertLess(max(runs["sixteen"], runs["float"]), 0.05, runs)
