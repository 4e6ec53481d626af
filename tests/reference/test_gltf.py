"""Our .glb against the Khronos validator (npm package gltf-validator) and another reader (trimesh)."""

import io
import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from amber_thicket.formats.glb import glb_bytes
from amber_thicket.formats.write import encoded

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
