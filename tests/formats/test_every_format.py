"""Every format and profile: written, read back by the program and by independent readers."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from typing import Any

import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from amber_thicket.core.files.encode import stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.convert import DIELECTRIC, to_specular
from amber_thicket.errors import BadSetting
from amber_thicket.formats.picture import read_picture
from amber_thicket.formats.write import encoded, stored_codes
from amber_thicket.service.bake import pack
from tests.support import evaluation, linear_photograph, size_of

RNG = np.random.default_rng(5)


def packed(**changes: Any) -> dict[str, bytes]:
    named = {f"pack.files.{name}": value for name, value in changes.items()}
    ready = evaluation(linear_photograph("gravel"), **size_of(256), **named)
    return {written.name: written.data for written in pack(ready, "m", lambda *_: None)}


class FormatTest(unittest.TestCase):
    def test_lossless_formats_hold_the_very_numbers(self) -> None:
        for format, kinds in {
            "png": (np.uint8, np.uint16), "tiff": (np.uint8, np.uint16, np.float32), "exr": (np.float16, np.float32),
            "webp": (np.uint8,), "tga": (np.uint8,),
        }.items():  # fmt: skip
            for kind in kinds:
                for shape in ((33, 47), (33, 47, 3), (33, 47, 4)):
                    if format == "png" and kind is np.uint16 and len(shape) == 2:
                        pass
                    with self.subTest(format=format, kind=kind.__name__, shape=shape):
                        floats = np.issubdtype(kind, np.floating)
                        codes = RNG.random(shape).astype(kind) if floats else RNG.integers(0, np.iinfo(kind).max, shape).astype(kind)  # fmt: skip
                        back = stored_codes(encoded(codes, format=format, encoding="linear"))
                        back = back[..., 0] if back.ndim > codes.ndim else back
                        np.testing.assert_array_equal(back, codes)

    def test_independent_readers_see_the_same(self) -> None:
        codes = RNG.integers(0, 65535, (16, 24, 3)).astype(np.uint16)
        np.testing.assert_array_equal(
            tifffile.imread(io.BytesIO(encoded(codes, format="tiff", encoding="linear"))), codes
        )
        small = (codes >> 8).astype(np.uint8)
        for format in ("png", "webp", "tga"):
            with Image.open(io.BytesIO(encoded(small, format=format, encoding="srgb"))) as picture:
                np.testing.assert_array_equal(np.asarray(picture.convert("RGB")), small)
        light = RNG.random((16, 24, 3)).astype(np.float32)
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            file.write(encoded(light, format="exr", encoding="linear"))
            file.flush()
            with OpenEXR.File(file.name) as picture:
                np.testing.assert_array_equal(picture.channels()["RGB"].pixels, light)

    def test_a_set_in_every_format(self) -> None:
        for format, ending in (("tiff", "tif"), ("exr", "exr"), ("jpeg", "jpg"), ("webp", "webp"), ("tga", "tga")):
            with self.subTest(format=format):
                files = packed(format=format)
                manifest = json.loads(files["m_manifest.json"])
                self.assertIn(f"m_base_color.{ending}", files)
                self.assertEqual(len([row for row in manifest["files"] if row.get("read_back")]), 5)
                if format == "exr":
                    light = read_picture(files["m_base_color.exr"], "m.exr").pixels
                    plain = read_picture(packed()["m_base_color.png"], "m.png").pixels
                    self.assertLess(float(np.abs(light - plain).mean()), 0.003)
                    self.assertTrue(all(row["floating"] for row in manifest["files"]))

    def test_several_sizes_in_folders(self) -> None:
        files = packed(sizes="quarter")
        for folder, side in (("", 256), ("128x128/", 128), ("64x64/", 64)):
            with Image.open(io.BytesIO(files[f"{folder}m_normal.png"])) as picture:
                self.assertEqual(picture.size, (side, side))

    def test_names_and_folders_by_a_pattern(self) -> None:
        files = packed(pattern="{map}/{name}_{size}", sizes="half", materialx=True)
        for name, side in (("normal/m_256.png", 256), ("128x128/normal/m_128.png", 128)):
            with Image.open(io.BytesIO(files[name])) as picture:
                self.assertEqual(picture.size, (side, side))
        self.assertIn('value="normal/m_256.png"', files["m.mtlx"].decode())
        told = {row["file"] for row in json.loads(files["m_manifest.json"])["files"]}
        self.assertIn("128x128/normal/m_128.png", told)
        self.assertIn("m.glb", packed(pattern="{map}/{name}", profile="gltf"))


class ProfileTest(unittest.TestCase):
    def test_every_shipped_profile_packs_and_reads_back(self) -> None:
        for id, profile in PROFILES.items():
            with self.subTest(profile=id):
                files = packed(profile=id)
                manifest = json.loads(files["m_manifest.json"])
                self.assertEqual(manifest["profile"], id)
                self.assertTrue(all(row["read_back"] == "equal" for row in manifest["files"] if "bits" in row))
                self.assertFalse(
                    [c for c in manifest["checks"] if c["rule"].startswith("files.") and c["level"] == "blocked"]
                )
                own = (
                    Recipe()
                    .with_changes({"pack.files.own": profile.model_dump(mode="json")})
                    .settings("pack.files")
                    .own
                )
                self.assertEqual((own.files, own.y, own.id, own.glb), (profile.files, profile.y, "own", False))

    def test_channels_hold_what_the_profile_says(self) -> None:
        """Trade facts: smoothness is one minus roughness and lies in alpha (common practice, no source)."""
        maps = {"base_color": RNG.random((8, 8, 3)).astype(np.float32)}
        for role in ("roughness", "metallic", "ambient_occlusion", "height"):
            maps[role] = RNG.random((8, 8)).astype(np.float32)
        recipe = Recipe().with_changes({"pack.files.profile": "mask_packed", "response.metallic.level": 1.0})
        mask = stored(next(f for f in planned(recipe, "m").files if "mask" in f.name), maps)
        for channel, wanted in enumerate(
            (maps["metallic"], maps["ambient_occlusion"], np.ones((8, 8)), 1 - maps["roughness"])
        ):
            np.testing.assert_allclose(mask[..., channel] / 255, wanted, atol=0.51 / 255)
        recipe = Recipe().with_changes({"pack.files.profile": "albedo_smoothness"})
        colour = stored(next(f for f in planned(recipe, "m").files if "albedo" in f.name), maps)
        np.testing.assert_array_equal(colour[..., :3], encode_srgb8(maps["base_color"]))
        np.testing.assert_allclose(colour[..., 3] / 255, 1 - maps["roughness"], atol=0.51 / 255)

    def test_a_profile_of_ones_own(self) -> None:
        own = {"label": "Ours", "y": "minus", "files": [
            {"suffix": "C", "channels": ["base_color"], "format": "webp"},
            {"suffix": "NH", "channels": ["normal", "height"], "format": "tiff", "depth": "16"},
            {"suffix": "P", "channels": ["1-roughness", "black", "ambient_occlusion"]},
        ]}  # fmt: skip
        files = packed(profile="own", own=own)
        self.assertEqual({name for name in files if not name.endswith("json")}, {"m_C.webp", "m_NH.tif", "m_P.png"})
        both = tifffile.imread(io.BytesIO(files["m_NH.tif"]))
        self.assertEqual((both.shape, both.dtype), ((256, 256, 4), np.uint16))
        self.assertEqual(int(stored_codes(files["m_P.png"])[..., 1].max()), 0)

    def test_bad_profiles_are_refused_in_words(self) -> None:
        good = {"label": "x", "y": "plus", "files": [{"suffix": "a", "channels": ["height"]}]}
        for change, word in (
            ({"y": "up"}, "'plus' or 'minus'"), ({"files": []}, "at least 1"), ({"files": [{"suffix": "a/b", "channels": ["height"]}]}, "suffix"),
            ({"files": [{"suffix": "a", "channels": ["hight"]}]}, "no map"), ({"more": 1}, "not permitted"),
            ({"files": [{"suffix": "a", "channels": ["height", "base_color", "height"]}]}, "three channels"),
            ({"files": [{"suffix": "a", "channels": ["height"], "format": "jpeg", "depth": "16"}]}, "jpeg has"),
        ):  # fmt: skip
            with self.subTest(word=word), self.assertRaisesRegex(BadSetting, word):
                Recipe().with_changes({"pack.files.own": {**good, **change}})


class ConversionTest(unittest.TestCase):
    """Khronos, KHR_materials_pbrSpecularGlossiness, appendix on converting between workflows."""

    def test_worked_values(self) -> None:
        base = np.array([[[0.5, 0.25, 0.1], [0.95, 0.64, 0.54]]], np.float32)
        metal = np.array([[0.0, 1.0]], np.float32)
        diffuse, specular = to_specular(base, metal)
        np.testing.assert_allclose(diffuse[0], [base[0, 0], [0, 0, 0]], atol=1e-6)
        np.testing.assert_allclose(specular[0], [[DIELECTRIC] * 3, base[0, 1]], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
