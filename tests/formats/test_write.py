"""Written files read by independent readers: exact numbers, right tags."""

import io
import tempfile
import unittest
from typing import Any

import cv2
import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms

from amber_thicket.core.files.encode import quantised, stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief import normal
from amber_thicket.formats.write import encoded, stored_codes
from tests.support import bumps, photograph

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

    def test_rows_of_every_kind_go_through_every_band(self) -> None:
        """Sizes around the bands (1 MiB) and the rows that are tried (16, 48), every number of channels; read by libpng
        and by Pillow."""
        for shape, dtype in (
            ((1, 1), np.uint8), ((1, 700, 4), np.uint16), ((47, 5, 2), np.uint8), ((48, 9), np.uint16), ((49, 9, 4), np.uint8),
            ((3000, 700), np.uint8), ((400, 900, 3), np.uint16), ((2, 400_000, 3), np.uint8),
        ):  # fmt: skip
            # Neighbours are alike, so that every one of the predictor's three is the nearest somewhere.
            codes = np.cumsum(RNG.integers(0, 3, shape), axis=1).astype(dtype)
            codes += RNG.integers(0, 40, shape, dtype) * (RNG.random(shape) < 0.2)
            for layout in (codes, np.asfortranarray(codes)):
                with self.subTest(shape=shape, dtype=dtype):
                    data = encoded(layout, format="png", encoding="linear")
                    np.testing.assert_array_equal(imagecodecs.png_decode(data).reshape(shape), codes)
                    with Image.open(io.BytesIO(data)) as picture:
                        picture.load()
                        if dtype is np.uint8 and len(shape) == 3:
                            np.testing.assert_array_equal(np.asarray(picture), codes)

    def test_what_no_png_holds_is_refused(self) -> None:
        for codes in (
            np.zeros((4, 4), np.float32),
            np.zeros((4, 4, 5), np.uint8),
            np.zeros(4, np.uint8),
            np.zeros((0, 4), np.uint8),
        ):
            with self.assertRaisesRegex(ValueError, "1 to 4 channels"):
                encoded(codes, format="png", encoding="linear")

    def test_what_packs_a_picture_is_chosen_by_what_is_in_it(self) -> None:
        """Never more than 3 % over deflate's plain search for matches (RFC 1951, zlib level 1), on surfaces under it."""
        wide = cv2.resize(photograph("gravel"), (768, 768), interpolation=cv2.INTER_CUBIC) // 2
        wide += RNG.integers(0, 5, wide.shape, np.uint8)
        height = (bumps(768) * 65535).astype(np.uint16)
        ramp = (np.add.outer(np.arange(512), np.arange(512)) * 16).astype(np.uint16)
        pattern = np.tile(RNG.integers(0, 256, (64, 64, 3), np.uint8), (8, 8, 1))
        mask = np.kron(RNG.integers(0, 2, (16, 16)), np.ones((32, 32))).astype(np.uint8) * 255
        for name, codes, most in (
            ("surface", wide, 0.93), ("height", height, 0.95), ("ramp", ramp, 0.9), ("pattern", pattern, 1.03), ("mask", mask, 0.6),
            ("shades", wide // 16 * 16, 0.85),
        ):  # fmt: skip
            with self.subTest(name):
                data = encoded(codes, format="png", encoding="linear")
                plain = imagecodecs.png_encode(np.ascontiguousarray(codes), level=1)
                self.assertLessEqual(len(data), most * len(plain))
                read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                np.testing.assert_array_equal(read[..., ::-1] if read.ndim == 3 else read, codes)

    def test_colour_is_tagged_and_data_is_not(self) -> None:
        # PNG third edition, 11.3.2.5: an sRGB chunk says that the samples are sRGB; gAMA 45455 goes with it.
        codes = RNG.integers(0, 256, (8, 8, 3), np.uint8)
        colour = Image.open(io.BytesIO(encoded(codes, format="png", encoding="srgb")))
        data = Image.open(io.BytesIO(encoded(codes, format="png", encoding="linear")))
        self.assertEqual((colour.info["srgb"], round(colour.info["gamma"], 5)), (0, 0.45455))
        self.assertNotIn("srgb", data.info)


class SaidTest(unittest.TestCase):
    """What files say of themselves, as independent readers find it (Pillow, tifffile, OpenEXR, Little CMS)."""

    codes = np.random.default_rng(2).integers(0, 255, (32, 48, 3), dtype=np.uint8)

    def said(self, format: str, encoding: str, per_metre: float = 2560.0) -> tuple[bytes, Any]:
        data = encoded(self.codes, format=format, encoding=encoding, per_metre=per_metre)  # type: ignore[arg-type]
        return data, Image.open(io.BytesIO(data))

    def test_pixels_to_a_metre(self) -> None:
        # 2560 to a metre are 65.024 to an inch of 25.4 mm.
        for format, delta in (("png", 0.01), ("tiff", 0.01), ("jpeg", 2.6)):
            _, picture = self.said(format, "srgb")
            self.assertAlmostEqual(float(picture.info["dpi"][0]), 65.024, delta=delta, msg=format)
            self.assertEqual(*picture.info["dpi"])
        with tifffile.TiffFile(io.BytesIO(self.said("tiff", "linear")[0])) as file:
            self.assertEqual(file.pages[0].resolutionunit, 3)
            self.assertAlmostEqual(file.pages[0].resolution[0], 25.6, delta=0.001)
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            file.write(encoded(self.codes.astype(np.float32), format="exr", encoding="linear", per_metre=2560.0))
            file.flush()
            with OpenEXR.File(file.name) as picture:
                self.assertAlmostEqual(picture.header()["xDensity"], 65.024, delta=1e-3)
                self.assertNotIn("chromaticities", picture.header())
        # Where nobody knows, nothing is said.
        for format in ("png", "tiff"):
            data, picture = self.said(format, "linear", 0.0)
            self.assertNotIn(b"pHYs", data)
            self.assertIn(picture.info.get("dpi"), (None, (1, 1), (1.0, 1.0)))

    def test_what_colours_are(self) -> None:
        """PNG third edition 11.3.2: cICP 1, 13, 0, 1 is sRGB (ITU-T H.273); cHRM of BT.709; IEC 61966-2-1."""
        data, picture = self.said("png", "srgb")
        at = data.index(b"cICP")
        self.assertEqual(data[at + 4 : at + 8], bytes((1, 13, 0, 1)))
        self.assertLess(at, data.index(b"IDAT"))
        wanted = (0.3127, 0.329, 0.64, 0.33, 0.3, 0.6, 0.15, 0.06)
        np.testing.assert_allclose(picture.info["chromaticity"], wanted, atol=1e-5)
        for format in ("tiff", "jpeg"):
            profile = ImageCms.ImageCmsProfile(io.BytesIO(self.said(format, "srgb")[1].info["icc_profile"]))
            self.assertIn("sRGB", ImageCms.getProfileDescription(profile))
            # It says what sRGB says: mid grey stays where it is.
            grey = Image.new("RGB", (1, 1), (118, 118, 118))
            same = ImageCms.profileToProfile(grey, profile, ImageCms.createProfile("sRGB"))
            assert same is not None
            self.assertLessEqual(max(abs(value - 118) for value in same.getpixel((0, 0))), 1)
        # Maps of numbers say nothing of colours.
        for format in ("png", "tiff", "jpeg"):
            data, picture = self.said(format, "linear")
            self.assertIsNone(picture.info.get("icc_profile"))
            for word in (b"cICP", b"sRGB", b"iCCP", b"gAMA"):
                self.assertNotIn(word, data)

    def test_bytes_are_the_same_every_time_and_numbers_stay(self) -> None:
        for format in ("png", "tiff"):
            data, _ = self.said(format, "srgb")
            self.assertEqual(data, self.said(format, "srgb")[0])
            np.testing.assert_array_equal(stored_codes(data), self.codes)


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
