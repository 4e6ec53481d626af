"""A binary glTF scene: one tile as a flat slab with all maps connected.

Source: Khronos glTF 2.0 specification (chunks: section 4; materials: 3.9; images: 3.8.2), KHR_materials_specular,
KHR_materials_diffuse_transmission.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.response.convert import DIELECTRIC

_MAGIC, _JSON, _BIN = 0x46546C67, 0x4E4F534A, 0x004E4942
# Constants of the specification's property tables (section 5).
_ARRAY_BUFFER, _ELEMENT_ARRAY_BUFFER = 34962, 34963
_FLOAT, _UNSIGNED_SHORT = 5126, 5123
_LINEAR, _MIPMAPS, _REPEAT = 9729, 9987, 10497


def _padded(data: bytes, filler: bytes) -> bytes:
    return data + filler * (-len(data) % 4)


def glb_bytes(
    *,
    name: str,
    base_color: bytes,
    normal: bytes,
    packed: bytes,
    size_m: tuple[float, float],
    metallic: bool,
    emissive: bytes | None = None,
    specular: bytes | None = None,
    transmission: bytes | None = None,
    cut_out: bool = False,
) -> bytes:
    """A .glb with one quad in the XY plane facing +Z and its material.

    base_color, normal, packed: PNG file bytes (packed holds occlusion, roughness, metallic in R, G, B).
    size_m: width and height in metres. metallic: False when that channel is blank. emissive: PNG, where it shines.
    specular: PNG, sRGB: reflectance of what is no metal. transmission: PNG of the colour of light that comes through,
    how much does in its alpha. cut_out: base_color's alpha says where the surface is.
    """
    corners, geometry = _quad(size_m)
    images = {"base_color": base_color, "normal": normal, "occlusion_roughness_metallic": packed}
    more = {"emissive": emissive, "specular": specular, "transmission": transmission}
    images |= {label: data for label, data in more.items() if data}
    at = {label: {"index": number} for number, label in enumerate(images)}
    extensions = _extensions(at)
    views, body = _views([*geometry, *images.values()])
    for view in range(4):
        views[view]["target"] = _ARRAY_BUFFER
    views[4]["target"] = _ELEMENT_ARRAY_BUFFER
    attributes = {"POSITION": 0, "NORMAL": 1, "TANGENT": 2, "TEXCOORD_0": 3}
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Amber Thicket"},
        **({"extensionsUsed": sorted(extensions)} if extensions else {}),
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": name}],
        "meshes": [{"name": name, "primitives": [{"attributes": attributes, "indices": 4, "material": 0}]}],
        "materials": [_material(name, at, metallic, cut_out, extensions)],
        "textures": [{"source": index, "sampler": 0} for index in range(len(images))],
        "samplers": [{"magFilter": _LINEAR, "minFilter": _MIPMAPS, "wrapS": _REPEAT, "wrapT": _REPEAT}],
        "images": [
            {"bufferView": 5 + index, "mimeType": "image/png", "name": label} for index, label in enumerate(images)
        ],
        "accessors": _accessors(corners),
        "bufferViews": views,
        "buffers": [{"byteLength": len(body)}],
    }
    text = _padded(json.dumps(document, separators=(",", ":")).encode(), b" ")
    chunks = struct.pack("<II", len(text), _JSON) + text + struct.pack("<II", len(body), _BIN) + body
    return struct.pack("<III", _MAGIC, 2, 12 + len(chunks)) + chunks


def _quad(size_m: tuple[float, float]) -> tuple[NDArray[np.float32], list[bytes]]:
    """The corners (4, 3) in metres; corners, normals, tangents, texture places and triangles as bytes."""
    half_x, half_y = size_m[0] / 2, size_m[1] / 2
    corners = np.array([[-half_x, -half_y, 0], [half_x, -half_y, 0], [half_x, half_y, 0], [-half_x, half_y, 0]], "<f4")
    normals = np.tile(np.array([0, 0, 1], "<f4"), (4, 1))
    tangents = np.tile(np.array([1, 0, 0, 1], "<f4"), (4, 1))
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], "<f4")
    indices = np.array([0, 1, 2, 0, 2, 3], "<u2")
    return corners, [corners.tobytes(), normals.tobytes(), tangents.tobytes(), uv.tobytes(), indices.tobytes()]


def _accessors(corners: NDArray[np.float32]) -> list[dict[str, Any]]:
    """How the first five views are read."""
    bounds = {"min": corners.min(axis=0).tolist(), "max": corners.max(axis=0).tolist()}
    return [
        {"bufferView": 0, "componentType": _FLOAT, "count": 4, "type": "VEC3", **bounds},
        {"bufferView": 1, "componentType": _FLOAT, "count": 4, "type": "VEC3"},
        {"bufferView": 2, "componentType": _FLOAT, "count": 4, "type": "VEC4"},
        {"bufferView": 3, "componentType": _FLOAT, "count": 4, "type": "VEC2"},
        {"bufferView": 4, "componentType": _UNSIGNED_SHORT, "count": 6, "type": "SCALAR"},
    ]


def _material(
    name: str, at: dict[str, dict[str, int]], metallic: bool, cut_out: bool, extensions: dict[str, Any]
) -> dict[str, Any]:
    """The material. at: the texture of each image by its label."""
    return {
        "name": name,
        "pbrMetallicRoughness": {
            "baseColorTexture": at["base_color"],
            "metallicRoughnessTexture": at["occlusion_roughness_metallic"],
            "metallicFactor": 1.0 if metallic else 0.0,
        },
        "normalTexture": at["normal"],
        "occlusionTexture": at["occlusion_roughness_metallic"],
        **({"emissiveTexture": at["emissive"], "emissiveFactor": [1, 1, 1]} if "emissive" in at else {}),
        **({"alphaMode": "MASK", "alphaCutoff": 0.5, "doubleSided": True} if cut_out else {}),
        **({"extensions": extensions} if extensions else {}),
    }


def _extensions(at: dict[str, dict[str, int]]) -> dict[str, Any]:
    """What core glTF has no words for."""
    found: dict[str, Any] = {}
    if "specular" in at:
        # The texture holds the reflectance itself; the extension multiplies it with that of glass.
        whole = [1 / DIELECTRIC] * 3
        found["KHR_materials_specular"] = {"specularColorTexture": at["specular"], "specularColorFactor": whole}
    if "transmission" in at:
        found["KHR_materials_diffuse_transmission"] = {
            "diffuseTransmissionFactor": 1.0,
            "diffuseTransmissionTexture": at["transmission"],
            "diffuseTransmissionColorTexture": at["transmission"],
        }
    return found


def _views(parts: list[bytes]) -> tuple[list[dict[str, Any]], bytes]:
    views: list[dict[str, Any]] = []
    body = b""
    for part in parts:
        views.append({"buffer": 0, "byteOffset": len(body), "byteLength": len(part)})
        body += _padded(part, b"\0")
    return views, body
