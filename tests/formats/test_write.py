"""Written files read by independent readers: exact numbers, right tags."""

import io
import unittest

import cv2
import numpy as np
import tifffile
from PIL import Image

from amber_thicket.core.files.encode import quantised, stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief import normal
from amber_thicket.formats.write import encoded, stored_codes
from tests.support import bumps

RNG = np.random.default_rng(7)


class PngTest(unittest.TestCase):
    def test_numbers_are_exact(self) -> None:
        for shape, dtype in (
            ((17, 23), np.uint8),
            ((17, 23, 3), np.uint8),
            ((17, 23), np.uint16),
            ((17, 23, 3), np.uint16),
        ):
            codes = RNG.integers(0, np.iinfo(dtype).max + 1, shape, dtype)
            for format in ("png", "tiff"):
                data = encoded(codes, format=format, encoding="linear")
                np.testing.assert_array_equal(stored_codes(data), codes)
                other = (
                    tifffile.imread(io.BytesIO(data))
                    if format == "tiff"
                    else cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                )
                other = other[..., ::-1] if format == "png" and other.ndim == 3 else other
                np.testing.assert_array_equal(other, codes)

    def test_colour_is_tagged_and_data_is_not(self) -> None:
        # PNG third edition, 11.3.2.5: an sRGB chunk says that the samples are sRGB; gAMA 45455 goes with it.
        codes = RNG.integers(0, 256, (8, 8, 3), np.uint8)
        colour = Image.open(io.BytesIO(encoded(codes, format="png", encoding="srgb")))
        data = Image.open(io.BytesIO(encoded(codes, format="png", encoding="linear")))
        self.assertEqual((colour.info["srgb"], round(colour.info["gamma"], 5)), (0, 0.45455))
        self.assertNotIn("srgb", data.info)


class ConventionTest(unittest.TestCase):
    def test_y_minus_is_the_inverted_green(self) -> None:
        # Common practice, no source: Y+ and Y− differ in the green channel only, and inverting it gives the other exactly.
        vectors = normal.from_height(bumps(), depth=10)
        files = {
            y: next(
                f
                for f in planned(Recipe().with_changes({"pack.files.profile": f"separate_y_{y}"}), "m").files
                if f.roles == ("normal",)
            )
            for y in ("plus", "minus")
        }
        plus, minus = (stored(files[y], {"normal": vectors}) for y in ("plus", "minus"))
        np.testing.assert_array_equal(plus[..., 1], 255 - minus[..., 1])
        np.testing.assert_array_equal(plus[..., [0, 2]], minus[..., [0, 2]])
        self.assertGreater(int(np.abs(plus[..., 1].astype(int) - minus[..., 1]).max()), 50)

    def test_flat_normal(self) -> None:
        flat = np.zeros((2, 2, 3), np.float32)
        flat[..., 2] = 1
        np.testing.assert_array_equal(quantised(flat, 8, scale=0.5, offset=0.5)[0, 0], [128, 128, 255])

    def test_gltf_channels(self) -> None:
        # glTF 2.0, 3.9.2 and 3.9.3: occlusion in R, roughness in G, metallic in B.
        plan = planned(Recipe().with_changes({"pack.files.profile": "gltf"}), "m")
        packed = next(f for f in plan.files if len(f.roles) == 3)
        maps = {
            role: np.full((4, 4), value, np.float32)
            for role, value in (("ambient_occlusion", 0.2), ("roughness", 0.4), ("metallic", 0.6))
        }
        np.testing.assert_array_equal(stored(packed, maps)[0, 0], [51, 102, 153])
        self.assertEqual((plan.profile.y, packed.encoding, packed.format), ("plus", "linear", "png"))

    def test_height_is_sixteen_bit_unless_asked(self) -> None:
        for profile in PROFILES:
            plan = planned(Recipe().with_changes({"pack.files.profile": profile}), "m")
            self.assertEqual(next(f.bits for f in plan.files if f.roles == ("height",)), 16)

    def test_names_are_portable_and_unique(self) -> None:
        for name in ("Shell-lime render, boiling house", "../../etc/passwd", "Ölfarbe / Grün", "", "a" * 300):
            plan = planned(Recipe(), name)
            names = [file.name for file in plan.files]
            self.assertEqual(len(set(names)), len(names))
            for file in names:
                self.assertRegex(file, r"^[A-Za-z0-9_-]+\.png$")
