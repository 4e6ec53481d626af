"""Our .glb against the Khronos validator (npm package gltf-validator) and another reader (trimesh)."""

import io
import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image

from amber_thicket.core.numeric.colour import srgb_to_linear
from amber_thicket.formats.glb import glb_bytes
from amber_thicket.formats.write import encoded
from amber_thicket.service.bake import pack
from tests.support import evaluation, linear_photograph, size_of

FRONTEND = Path(__file__).parents[2] / "frontend"
VALIDATE = """
const validator = require('gltf-validator'); const fs = require('fs');
validator.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])))
  .then((report) => console.log(JSON.stringify(report.issues)));
"""


def validated(data: bytes) -> dict:
    """Issues the Khronos validator finds in a .glb."""
    with tempfile.NamedTemporaryFile(suffix=".glb") as file:
        file.write(data)
        file.flush()
        done = subprocess.run(
            ["node", "-e", VALIDATE, file.name], cwd=FRONTEND, capture_output=True, text=True, check=True
        )
    return json.loads(done.stdout)


def scene(**changes: object) -> bytes:
    codes = np.random.default_rng(0).integers(0, 256, (16, 16, 3), np.uint8)
    options: dict = {
        "name": "coir",
        "base_color": encoded(codes, format="png", encoding="srgb"),
        "normal": encoded(codes, format="png", encoding="linear"),
        "packed": encoded(codes, format="png", encoding="linear"),
        "size_m": (0.3, 0.15),
        "metallic": False,
    }
    return glb_bytes(**{**options, **changes})


class GlbTest(unittest.TestCase):
    def test_no_errors_no_warnings(self) -> None:
        for metallic in (False, True):
            issues = validated(scene(metallic=metallic))
            self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])

    def test_extensions_are_valid(self) -> None:
        codes = np.random.default_rng(1).integers(0, 256, (16, 16, 4), np.uint8)
        clear, solid = (
            encoded(np.ascontiguousarray(part), format="png", encoding="srgb") for part in (codes, codes[..., :3])
        )
        data = scene(base_color=clear, cut_out=True, specular=solid, transmission=clear)
        issues = validated(data)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])
        # What the validator does not know it says, and lets pass.
        unknown = {message["message"] for message in issues["messages"] if message["code"] == "UNSUPPORTED_EXTENSION"}
        self.assertTrue(all("KHR_materials_diffuse_transmission" in message for message in unknown), unknown)
        loaded = trimesh.load(io.BytesIO(data), file_type="glb")
        material = next(iter(loaded.geometry.values())).visual.material
        self.assertEqual((material.alphaMode, material.alphaCutoff, material.doubleSided), ("MASK", 0.5, True))
        self.assertEqual(material.baseColorTexture.mode, "RGBA")

    def test_a_material_is_packed_with_what_it_has(self) -> None:
        """KHR_materials_specular: F0 of what is no metal is 0.04 × specularColorFactor × specularColorTexture (linear)."""
        made = evaluation(
            linear_photograph("gravel"),
            **size_of(256),
            pack__files__profile="gltf",
            response__specular__colour="#707070",
            response__translucency__colour="#804020",
            response__opacity__level=0.8,
        )
        files = {one.name: one.data for one in pack(made, "leaf", lambda _share, _text: None)}
        document = json.loads(files["leaf.glb"][20 : 20 + int.from_bytes(files["leaf.glb"][12:16], "little")])
        material = document["materials"][0]
        self.assertEqual(material["alphaMode"], "MASK")
        self.assertEqual(set(document["extensionsUsed"]), set(material["extensions"]))
        specular = material["extensions"]["KHR_materials_specular"]
        with Image.open(io.BytesIO(files["leaf_specular.png"])) as picture:
            self.assertEqual(tuple(np.asarray(picture)[0, 0]), (0x70, 0x70, 0x70))
        self.assertAlmostEqual(0.04 * specular["specularColorFactor"][0], 1.0)
        with Image.open(io.BytesIO(files["leaf_transmission.png"])) as picture:
            *colour, share = np.asarray(picture)[0, 0] / 255
        np.testing.assert_allclose(
            srgb_to_linear(np.array(colour)) * share, srgb_to_linear(np.array([0x80, 0x40, 0x20]) / 255), atol=0.004
        )
        with Image.open(io.BytesIO(files["leaf_base_color.png"])) as picture:
            self.assertEqual(np.asarray(picture)[0, 0, 3], round(0.8 * 255))
        issues = validated(files["leaf.glb"])
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])

    def test_the_validator_can_fail(self) -> None:
        self.assertGreater(validated(scene().replace(b'"version":"2.0"', b'"version":"9.0"'))["numErrors"], 0)

    def test_another_reader_sees_the_same(self) -> None:
        loaded = trimesh.load(io.BytesIO(scene()), file_type="glb")
        mesh = next(iter(loaded.geometry.values()))
        np.testing.assert_allclose(mesh.extents, [0.3, 0.15, 0], atol=1e-6)
        material = mesh.visual.material
        self.assertIsNotNone(material.baseColorTexture)
        self.assertIsNotNone(material.normalTexture)
        self.assertEqual(material.metallicRoughnessTexture.size, (16, 16))
