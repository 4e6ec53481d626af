"""One material in three scene files: what each says, evaluated from the files alone, is the same channel by channel.

glTF 2.0 with KHR_materials_specular; UsdPreviewSurface 2.6 as OpenUSD reads it; MaterialX 1.39 (standard surface, OpenPBR,
glTF surface), whose nodes are evaluated here by their specification.
"""

from __future__ import annotations

import json
import struct
import tempfile
import unittest
import xml.etree.ElementTree as ET
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pxr import Usd, UsdShade, UsdValidation

from amber_thicket.core.numeric.colour import srgb_to_linear
from amber_thicket.service.bake import pack
from tests.support import evaluation, linear_photograph, size_of, stroke

Array = NDArray[Any]
SIZE = 256
SPOT = [stroke(0.3, 0.5, 0.5, kind="set", value=0.1, strength=1, soft=0)]
# Five materials: metal that glows, one with holes, one whose specular differs, and two packed otherwise.
MATERIALS: dict[str, dict[str, Any]] = {
    "gltf": {"response.metallic.level": 0.9, "response.emissive.colour": "#331100"},
    "cut_out": {"response.on_opacity.strokes": SPOT, "response.opacity.level": 0.9},
    "separate_y_minus": {"response.specular.colour": "#606060", "response.metallic.level": 0.3},
    "mask_packed": {"response.metallic.level": 0.7, "response.specular.colour": "#202020"},
    "albedo_smoothness": {"response.metallic.level": 0.5},
}


def picture(data: bytes, colour: str) -> Array:
    """(H, W, C) of a picture's numbers, RGB, decoded where they are sRGB."""
    codes = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    whole = {np.dtype(np.uint8): 255, np.dtype(np.uint16): 65535}.get(codes.dtype, 1)
    values = codes.astype(np.float32) / whole
    values = values[..., None] if values.ndim == 2 else values
    values = values[..., [2, 1, 0, *range(3, values.shape[2])]] if values.shape[2] >= 3 else values
    if colour == "srgb":
        values[..., :3] = srgb_to_linear(np.ascontiguousarray(values[..., :3]))
    return values


def grey(values: Any) -> Array:
    return np.asarray(values)[..., 0] if np.ndim(values) == 3 else np.asarray(values, np.float32)


def as_colour(values: Any) -> Array:
    """(H, W, 3) of a colour with or without alpha, or of grey."""
    if np.ndim(values) == 3 and values.shape[2] > 2:
        return np.asarray(values)[..., :3]
    return np.repeat(grey(values)[..., None], 3, -1)


def of_materialx(place: Path, kind: str) -> dict[str, Any]:
    """Inputs of one surface of a document, with the displacement."""
    root = ET.parse(place / "quay.mtlx").getroot()
    graph = root.find("nodegraph")
    shader, moved = root.find(kind), root.find("displacement")
    assert graph is not None
    assert shader is not None
    assert moved is not None
    nodes = {node.get("name"): node for node in graph}

    def given(node: ET.Element, name: str) -> Any:
        found = node.find(f"input[@name='{name}']")
        if found is None:
            return None
        if found.get("value") is not None:
            return float(found.get("value", "0"))
        if found.get("output"):
            return value(nodes[nodes[found.get("output")].get("nodename")])
        return value(nodes[found.get("nodename")])

    def value(node: ET.Element) -> Any:
        if node.tag == "image":
            file = node.find("input[@name='file']")
            assert file is not None
            colour = "srgb" if file.get("colorspace") == "srgb_texture" else "raw"
            return picture((place / file.get("value", "")).read_bytes(), colour)
        tags: dict[str, Callable[[], Any]] = {
            "extract": lambda: given(node, "in")[..., int(given(node, "index"))],
            "invert": lambda: 1 - grey(given(node, "in")),
            "convert": lambda: as_colour(given(node, "in")),
            "multiply": lambda: given(node, "in1") * given(node, "in2"),
            "subtract": lambda: grey(given(node, "in1")) - given(node, "in2"),
            "combine3": lambda: np.stack([grey(given(node, f"in{number}")) for number in (1, 2, 3)], -1),
            "normalmap": lambda: given(node, "in")[..., :3] * 2 - 1,
        }
        return tags[node.tag]()

    names = {
        "standard_surface": ("base_color", "specular_roughness", "metalness", "normal", "opacity", "emission_color", "specular_color"),
        "open_pbr_surface": ("base_color", "specular_roughness", "base_metalness", "geometry_normal", "geometry_opacity", "emission_color", "specular_color"),
        "gltf_pbr": ("base_color", "roughness", "metallic", "normal", "alpha", "emissive", "specular_color"),
    }[kind]  # fmt: skip
    found = dict(zip(("base_color", "roughness", "metallic", "normal", "opacity", "emissive", "f0"), (given(shader, name) for name in names), strict=True))  # fmt: skip
    if found["f0"] is not None:
        # What n = 1.5 mirrors straight on (Fresnel).
        found["f0"] = found["f0"] * 0.04
    return {**found, "displacement": given(moved, "displacement") * given(moved, "scale")}


def of_usd(stage: Usd.Stage, read: Callable[[str], bytes]) -> dict[str, Any]:
    """Inputs of the preview surface."""
    shader = UsdShade.Shader.Get(stage, "/Tile/Look/Surface")

    def given(name: str) -> Any:
        source = shader.GetInput(name) and shader.GetInput(name).GetConnectedSource()
        if not source:
            return None
        texture, output = UsdShade.Shader(source[0]), source[1]
        file, space = texture.GetInput("file").Get().path, texture.GetInput("sourceColorSpace").Get()
        values = picture(read(file.removeprefix("./")), "srgb" if space == "sRGB" else "raw")
        scale, bias = (np.array(texture.GetInput(what).Get(), np.float32) for what in ("scale", "bias"))
        values = values * scale[: values.shape[2]] + bias[: values.shape[2]]
        if output == "rgb":
            return values[..., :3] if values.shape[2] >= 3 else np.repeat(values[..., :1], 3, -1)
        return values[..., min("rgba".index(output), values.shape[2] - 1)]

    names = {"base_color": "diffuseColor", "roughness": "roughness", "metallic": "metallic", "normal": "normal",
             "opacity": "opacity", "emissive": "emissiveColor", "displacement": "displacement"}  # fmt: skip
    return {role: given(name) for role, name in names.items()}


def of_gltf(data: bytes) -> dict[str, Any]:
    """Inputs of the one material of a binary glTF."""
    length = struct.unpack_from("<I", data, 12)[0]
    told, binary = json.loads(data[20 : 20 + length]), data[28 + length :]
    material = told["materials"][0]
    metal = material["pbrMetallicRoughness"]

    def image(texture: dict[str, Any] | None, colour: str) -> Array | None:
        if texture is None:
            return None
        view = told["bufferViews"][told["images"][told["textures"][texture["index"]]["source"]]["bufferView"]]
        begin = view.get("byteOffset", 0)
        return picture(binary[begin : begin + view["byteLength"]], colour)

    base = image(metal["baseColorTexture"], "srgb")
    packed = image(metal["metallicRoughnessTexture"], "raw")
    normal, glow = image(material["normalTexture"], "raw"), image(material.get("emissiveTexture"), "srgb")
    assert base is not None
    assert packed is not None
    assert normal is not None
    return {
        "base_color": base[..., :3],
        "roughness": packed[..., 1] * metal.get("roughnessFactor", 1),
        "metallic": packed[..., 2] * metal.get("metallicFactor", 1),
        "normal": normal[..., :3] * 2 - 1,
        "emissive": None if glow is None else glow[..., :3] * material.get("emissiveFactor", [0, 0, 0]),
    }


class OneMaterial(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.places: dict[str, Path] = {}
        for profile, changes in MATERIALS.items():
            place = cls.places[profile] = Path(held.name) / profile
            place.mkdir()
            scenes = {f"pack.files.{scene}": True for scene in ("materialx", "usd", "usdz")}
            ready = evaluation(
                linear_photograph("gravel"), **size_of(SIZE), **scenes, **changes,
                **{"pack.files.profile": profile, "square.size.sample_mm": 300.0},
            )  # fmt: skip
            for written in pack(ready, "quay", lambda *_: None):
                (place / written.name).write_bytes(written.data)

    def alike(self, one: dict[str, Any], other: dict[str, Any], least: set[str], told: str) -> None:
        compared = set()
        for role in one.keys() & other.keys():
            a, b = one[role], other[role]
            if a is None or b is None:
                continue
            a, b = (grey(v) if role in ("roughness", "metallic", "opacity", "displacement") else v for v in (a, b))
            # Within a code of 8 bits, of a displacement within a thousandth of its range.
            limit = 1e-3 * float(np.ptp(a)) if role == "displacement" else 1.01 / 255
            off = float(np.abs(np.asarray(a, np.float64) - np.asarray(b, np.float64)).max())
            self.assertLess(off, limit, f"{told}: {role}")
            compared.add(role)
        self.assertLessEqual(least, compared, told)

    def test_materialx_and_usd_say_the_same(self) -> None:
        plain = {"base_color", "roughness", "normal"}
        for profile, place in self.places.items():
            usd = of_usd(
                Usd.Stage.Open(str(place / "quay.usda")), lambda file, place=place: (place / file).read_bytes()
            )
            least = (
                plain
                | {
                    "gltf": {"metallic", "emissive"},
                    "cut_out": {"opacity"},
                    "separate_y_minus": {"metallic", "displacement"},
                    "mask_packed": {"metallic"},
                    "albedo_smoothness": {"metallic"},
                }[profile]
            )
            first = of_materialx(place, "standard_surface")
            self.alike(usd, first, least, f"{profile}: USD and MaterialX")
            for kind in ("open_pbr_surface", "gltf_pbr"):
                same = {name for name, value in first.items() if value is not None}
                self.alike(first, of_materialx(place, kind), same, f"{profile}: {kind}")

    def test_displacement_goes_to_either_side_of_the_surface(self) -> None:
        moved = of_materialx(self.places["separate_y_minus"], "standard_surface")["displacement"]
        self.assertLess(float(moved.min()), 0)
        self.assertGreater(float(moved.max()), 0)
        depth = json.loads((self.places["separate_y_minus"] / "quay_manifest.json").read_text())["height_depth"]["mm"]
        self.assertAlmostEqual(float(np.ptp(moved)) * 1000, depth, delta=0.02 * depth)

    def test_specular_is_what_was_set(self) -> None:
        """F0 of the map's colour: #606060 is .117, #202020 .0144 (IEC 61966-2-1)."""
        for profile, wanted in (("separate_y_minus", 0.117), ("mask_packed", 0.0144)):
            for kind in ("standard_surface", "open_pbr_surface", "gltf_pbr"):
                found = of_materialx(self.places[profile], kind)["f0"]
                if found is not None:
                    self.assertAlmostEqual(float(np.mean(found)), wanted, delta=0.002, msg=f"{profile} {kind}")

    def test_the_scene_file_of_gltf_says_it_too(self) -> None:
        place = self.places["gltf"]
        found = of_gltf((place / "quay.glb").read_bytes())
        least = {"base_color", "roughness", "metallic", "normal", "emissive"}
        self.alike(found, of_materialx(place, "gltf_pbr"), least, "glTF and MaterialX")

    def test_a_package_holds_all_of_it(self) -> None:
        """Usdz File Format Specification 1.3; all of OpenUSD's own validators."""
        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        context = UsdValidation.ValidationContext(validators)
        for profile, place in self.places.items():
            path = place / "quay.usdz"
            with zipfile.ZipFile(path) as archive:
                names = archive.namelist()
                self.assertEqual(names[0], "quay.usda")
                for entry in archive.infolist():
                    self.assertEqual(entry.compress_type, zipfile.ZIP_STORED)
                    with path.open("rb") as file:
                        file.seek(entry.header_offset + 26)
                        name, extra = struct.unpack("<HH", file.read(4))
                    self.assertEqual((entry.header_offset + 30 + name + extra) % 64, 0, entry.filename)
            stage = Usd.Stage.Open(str(path))
            wrong = [error.GetMessage() for error in context.Validate(stage)]
            # This build of OpenUSD brings no MaterialX definitions.
            self.assertEqual([line for line in wrong if "mtlx" not in line and "ND_" not in line], [], profile)
            with zipfile.ZipFile(path) as archive:
                packed = of_usd(stage, lambda file, archive=archive: archive.read(file.split("[")[-1].rstrip("]")))
            beside = of_usd(
                Usd.Stage.Open(str(place / "quay.usda")), lambda file, place=place: (place / file).read_bytes()
            )
            same = {name for name, value in beside.items() if value is not None}
            self.alike(beside, packed, same, f"{profile}: the package")

    def test_a_package_turns_what_it_cannot_hold_into_png(self) -> None:
        """Usdz File Format Specification 1.3: PNG, JPEG, OpenEXR and AVIF only; a profile may ask for TIFF."""
        own = {
            "label": "Floats", "y": "plus",
            "files": [
                {"suffix": "basecolor", "channels": ["base_color"]}, {"suffix": "roughness", "channels": ["roughness"]},
                {"suffix": "normal", "channels": ["normal"]},
                {"suffix": "height", "channels": ["height"], "format": "tiff", "depth": "float"},
            ],
        }  # fmt: skip
        for profile in ("separate_y_plus", "own"):
            ready = evaluation(
                linear_photograph("gravel"), **size_of(SIZE),
                **{"pack.files.usd": True, "pack.files.usdz": True, "pack.files.format": "tiff", "pack.files.own": own,
                   "pack.files.profile": profile, "square.size.sample_mm": 300.0},
            )  # fmt: skip
            files = {written.name: written.data for written in pack(ready, "quay", lambda *_: None)}
            with tempfile.TemporaryDirectory() as held:
                for name, data in files.items():
                    (Path(held) / name).write_bytes(data)
                with zipfile.ZipFile(Path(held) / "quay.usdz") as archive:
                    inside = {name: archive.read(name) for name in archive.namelist()}
                packed = of_usd(Usd.Stage.Open(str(Path(held) / "quay.usdz")), lambda file, inside=inside: inside[file.split("[")[-1].rstrip("]")])  # fmt: skip
                beside = of_usd(Usd.Stage.Open(str(Path(held) / "quay.usda")), lambda file, files=files: files[file])
            self.assertEqual({name.rsplit(".", 1)[-1] for name in inside}, {"usda", "png"})
            self.assertTrue(any(name.endswith(".tif") for name in files))
            same = {name for name, value in beside.items() if value is not None}
            self.assertLessEqual({"base_color", "roughness", "normal", "displacement"}, same)
            self.alike(beside, packed, same, f"TIFF by {profile} in a package")
