"""Written material files against the standards' own libraries and validators: MaterialX, OpenUSD."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import MaterialX
import numpy as np
from pxr import Usd, UsdGeom, UsdShade, UsdValidation

from amber_thicket.core.graph import Evaluation
from amber_thicket.service.bake import pack
from tests.support import evaluation, linear_photograph, size_of

PROFILES = ("separate_y_plus", "separate_y_minus", "gltf", "mask_packed", "albedo_smoothness", "cut_out")

# Surfaces of a MaterialX document, the first for readers of one; inputs that are connected in every set.
SURFACES = {
    "standard_surface": ("base_color", "specular_roughness", "metalness", "normal"),
    "open_pbr_surface": ("base_color", "specular_roughness", "base_metalness", "geometry_normal"),
    "gltf_pbr": ("base_color", "roughness", "metallic", "normal"),
}


def ready(profile: str, **changes: object) -> Evaluation:
    options = {"pack.files.profile": profile, "pack.files.materialx": True, "pack.files.usd": True, **size_of(256)}
    return evaluation(
        linear_photograph("gravel"),
        **options,
        **{"response.metallic.level": 0.9, "response.emissive.colour": "#331100", "square.size.sample_mm": 300.0},
        **changes,
    )


class SceneTest(unittest.TestCase):
    """Every profile's set as it lies in a folder, read by the reference libraries."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = tempfile.TemporaryDirectory()
        cls.made = {}
        for profile in PROFILES:
            place = Path(cls.folder.name) / profile
            place.mkdir()
            for written in pack(ready(profile), "quay wall", lambda *_: None):
                (place / written.name).write_bytes(written.data)
            cls.made[profile] = place

    @classmethod
    def tearDownClass(cls) -> None:
        cls.folder.cleanup()

    def test_materialx_is_valid_and_names_every_file(self) -> None:
        """MaterialX 1.39: Document.validate(), with the standard libraries loaded."""
        library = MaterialX.createDocument()
        MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
        for profile, place in self.made.items():
            with self.subTest(profile=profile):
                document = MaterialX.createDocument()
                MaterialX.readFromXmlFile(document, str(place / "quay_wall.mtlx"))
                document.importLibrary(library)
                valid, message = document.validate()
                self.assertTrue(valid, message)
                kinds = []
                for material in document.getMaterialNodes():
                    (shader,) = MaterialX.getShaderNodes(material)
                    kinds.append(shader.getCategory())
                    self.assertIsNotNone(shader.getNodeDef(), kinds[-1])
                    for name in SURFACES[kinds[-1]]:
                        if profile == "cut_out" and "metal" in name:
                            continue
                        self.assertIsNotNone(shader.getInput(name), name)
                        self.assertIsNotNone(shader.getInput(name).getConnectedOutput(), name)
                    moved = MaterialX.getShaderNodes(material, "displacementshader")
                    self.assertEqual(len(moved), 1)
                self.assertEqual(kinds, list(SURFACES))
                files = {image.getInput("file").getValueString() for graph in document.getNodeGraphs() for image in graph.getNodes("image") if graph.getName().startswith("NG_quay")}  # fmt: skip
                self.assertTrue(files)
                for file in files:
                    self.assertTrue((place / file).exists(), file)
                colour = next(i for g in document.getNodeGraphs() if g.getName().startswith("NG_quay") for i in g.getNodes("image") if i.getType().startswith("color"))  # fmt: skip
                self.assertEqual(colour.getInput("file").getColorSpace(), "srgb_texture")

    def test_usd_opens_complies_and_reads_every_map(self) -> None:
        """All of OpenUSD's own validators; UsdPreviewSurface inputs connected to textures that exist."""
        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        context = UsdValidation.ValidationContext(validators)
        for profile, place in self.made.items():
            with self.subTest(profile=profile):
                stage = Usd.Stage.Open(str(place / "quay_wall.usda"))
                found = [error.GetMessage() for error in context.Validate(stage)]
                # This build of OpenUSD brings no MaterialX definitions; the test below looks them up in MaterialX itself.
                found = [text for text in found if "'ND_" not in text or "sdrRegistry" not in text]
                self.assertEqual(found, [])
                self.assertEqual(UsdGeom.GetStageMetersPerUnit(stage), 1.0)
                mesh = UsdGeom.Mesh.Get(stage, "/Tile/Surface")
                wide = np.ptp(np.array(mesh.GetPointsAttr().Get())[:, 0])
                self.assertAlmostEqual(float(wide), 0.25, delta=0.01)
                shader = UsdShade.Shader.Get(stage, "/Tile/Look/Surface")
                for name in ("diffuseColor", "roughness", "normal", "occlusion"):
                    source, _, _ = shader.GetInput(name).GetConnectedSource()
                    texture = UsdShade.Shader(source)
                    path = texture.GetInput("file").Get().path
                    self.assertTrue((place / path).exists(), path)
                    wanted = "sRGB" if name == "diffuseColor" else "raw"
                    self.assertEqual(texture.GetInput("sourceColorSpace").Get(), wanted, name)
                normal = UsdShade.Shader(shader.GetInput("normal").GetConnectedSource()[0])
                self.assertEqual(tuple(normal.GetInput("scale").Get()), (2, 2, 2, 1))
                self.assertEqual(tuple(normal.GetInput("bias").Get()), (-1, -1, -1, 0))
                if profile == "separate_y_minus":
                    self.assertIn("y_plus", normal.GetInput("file").Get().path)

    def test_usd_carries_the_materialx_network_with_nodes_of_the_standard_library(self) -> None:
        """Every shader is a node definition of MaterialX 1.39, every input one of its inputs, of its type."""
        library = MaterialX.createDocument()
        MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
        alike = {
            "color3f": "color3",
            "color4f": "color4",
            "float3": "vector3",
            "float4": "vector4",
            "asset": "filename",
            "int": "integer",
            "bool": "boolean",
        }
        for profile, place in self.made.items():
            with self.subTest(profile=profile):
                stage = Usd.Stage.Open(str(place / "quay_wall.usda"))
                material = UsdShade.Material.Get(stage, "/Tile/Look")
                surface, _, _ = material.GetSurfaceOutput("mtlx").GetConnectedSource()
                self.assertEqual(UsdShade.Shader(surface).GetIdAttr().Get(), "ND_standard_surface_surfaceshader")
                reached, waiting = (
                    set(),
                    [surface.GetPrim(), material.GetDisplacementOutput("mtlx").GetConnectedSource()[0].GetPrim()],
                )
                while waiting:
                    shader = UsdShade.Shader(waiting.pop())
                    if shader.GetPath() in reached:
                        continue
                    reached.add(shader.GetPath())
                    meant = library.getNodeDef(shader.GetIdAttr().Get())
                    self.assertIsNotNone(meant, shader.GetIdAttr().Get())
                    for given in shader.GetInputs():
                        name = given.GetBaseName()
                        self.assertIsNotNone(meant.getActiveInput(name), f"{shader.GetIdAttr().Get()}.{name}")
                        kind = str(given.GetTypeName())
                        self.assertEqual(meant.getActiveInput(name).getType(), alike.get(kind, kind), name)
                        if given.HasConnectedSource():
                            waiting.append(given.GetConnectedSource()[0].GetPrim())
                        elif name == "file":
                            self.assertTrue((place / given.Get().path).exists())
                images = [UsdShade.Shader(stage.GetPrimAtPath(p)) for p in reached if "image" in str(p)]
                spaces = {i.GetInput("file").GetAttr().GetColorSpace() for i in images}
                self.assertEqual(spaces, {"srgb_texture", ""})


if __name__ == "__main__":
    unittest.main()
