"""A MaterialX document: standard surface, OpenPBR and glTF surface with all maps connected, in the right colour spaces.

Source: MaterialX specification 1.39 (documents, nodes, standard nodes: image, extract, normalmap, invert;
displacement and surface shader nodes; definitions of its library for the three surfaces); colour space names of its
default colour management; OpenPBR Surface specification 1.1. Heights move by half the depth to either side, as in USD.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Sequence
from typing import Any

from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.core.response.convert import DIELECTRIC

_Inputs = dict[str, tuple[str, str]]
# Input of the standard surface, its type, by the map that feeds it.
_INPUTS: _Inputs = {
    "base_color": ("base_color", "color3"),
    "roughness": ("specular_roughness", "float"),
    "metallic": ("metalness", "float"),
    # Of a specular/gloss set: nothing is metal, and the colour of the mirror image says it all.
    "diffuse": ("base_color", "color3"),
    "specular_color": ("specular_color", "color3"),
    "specular": ("specular_color", "color3"),
    "opacity": ("opacity", "color3"),
    "emissive": ("emission_color", "color3"),
    "translucency": ("subsurface_color", "color3"),
}

# The same of the OpenPBR surface, and of that of glTF. What is opaque is a number there.
_OPEN_PBR: _Inputs = {
    "base_color": ("base_color", "color3"),
    "roughness": ("specular_roughness", "float"),
    "metallic": ("base_metalness", "float"),
    "diffuse": ("base_color", "color3"),
    "specular_color": ("specular_color", "color3"),
    "specular": ("specular_color", "color3"),
    "opacity_number": ("geometry_opacity", "float"),
    "emissive": ("emission_color", "color3"),
    "translucency": ("subsurface_color", "color3"),
}
_GLTF: _Inputs = {
    "base_color": ("base_color", "color3"),
    "roughness": ("roughness", "float"),
    "metallic": ("metallic", "float"),
    "diffuse": ("base_color", "color3"),
    "specular_color": ("specular_color", "color3"),
    "specular": ("specular_color", "color3"),
    "ambient_occlusion": ("occlusion", "float"),
    "opacity_number": ("alpha", "float"),
    "emissive": ("emissive", "color3"),
}
_BESIDE = ("normal", "height", "ambient_occlusion")

# Maps that files store as colours.
_COLOURS = ("base_color", "emissive", "translucency", "diffuse", "specular_color", "specular")
# Maps that hold a reflectance; the surface takes it as a multiple of that of n = 1.5, its default.
_REFLECTANCES = ("specular_color", "specular")


def materialx_text(*, name: str, files: Sequence[PlannedFile], depth: float) -> str:
    """The document. files: those of the pack, beside which it lies. depth: of the displacement, in scene units."""
    root = ET.Element("materialx", version="1.39", colorspace="lin_rec709")
    graph = ET.SubElement(root, "nodegraph", name=f"NG_{name}")
    found = _outputs(graph, files)
    # The first material is the one that readers of one material take.
    shader = _surface(root, "standard_surface", f"SR_{name}", name, found, _INPUTS, "normal")
    if "emissive" in found:
        _value(shader, "emission", "float", "1")
    if "translucency" in found:
        _value(shader, "subsurface", "float", "0.5")
        _value(shader, "thin_walled", "boolean", "true")
    pbr = _surface(root, "open_pbr_surface", f"SR_{name}_open_pbr", name, found, _OPEN_PBR, "geometry_normal")
    if "emissive" in found:
        _value(pbr, "emission_luminance", "float", "1")
    if "translucency" in found:
        _value(pbr, "subsurface_weight", "float", "0.5")
        _value(pbr, "geometry_thin_walled", "boolean", "true")
    gltf = _surface(root, "gltf_pbr", f"SR_{name}_gltf", name, found, _GLTF, "normal")
    if "metallic" not in found:
        _value(gltf, "metallic", "float", "0")
    if "opacity" in found:
        # Cut out at a half, as the scene file of glTF says it.
        _value(gltf, "alpha_mode", "integer", "1")
    if "height" in found:
        moved = ET.SubElement(root, "displacement", name=f"DR_{name}", type="displacementshader")
        _connected(moved, "displacement", "float", name, found["height"])
        _value(moved, "scale", "float", f"{depth:.6g}")
    for end in ("", "_open_pbr", "_gltf"):
        material = ET.SubElement(root, "surfacematerial", name=f"M_{name}{end}", type="material")
        ET.SubElement(material, "input", name="surfaceshader", type="surfaceshader", nodename=f"SR_{name}{end}")
        if "height" in found:
            moving = {"name": "displacementshader", "type": "displacementshader", "nodename": f"DR_{name}"}
            ET.SubElement(material, "input", moving)
    ET.indent(root)
    return '<?xml version="1.0"?>\n' + ET.tostring(root, encoding="unicode") + "\n"


def _surface(
    root: ET.Element,
    kind: str,
    own: str,
    graph: str,
    found: dict[str, str],
    inputs: dict[str, tuple[str, str]],
    normal: str,
) -> ET.Element:
    """A surface shader of a kind with the maps there are. inputs: which map feeds which; normal: the input for it."""
    shader = ET.SubElement(root, kind, name=own, type="surfaceshader")
    taken: set[str] = set()
    for role, (target, type_) in inputs.items():
        if role in found and target not in taken:
            taken.add(target)
            _connected(shader, target, type_, graph, found[role])
    if "normal" in found:
        _connected(shader, normal, "vector3", graph, found["normal"])
    return shader


def _outputs(graph: ET.Element, files: Sequence[PlannedFile]) -> dict[str, str]:
    """Image nodes of every file, and an output for every map in them: role to the output's name."""
    found: dict[str, str] = {}
    for file in files:
        for role in file.roles:
            if role in found or (role not in _INPUTS and role not in _BESIDE):
                continue
            node = _map_node(graph, file, role)
            kind = "vector3" if role == "normal" else _INPUTS.get(role, ("", "float"))[1]
            if role in _REFLECTANCES:
                node = _times(graph, f"{role}_ratio", node, 1 / DIELECTRIC)
            if role == "height":
                node = _centred(graph, node)
            if role == "opacity":
                single = _number_node(graph, file, role)
                ET.SubElement(graph, "output", name="opacity_number_out", type="float", nodename=single)
                found["opacity_number"] = "opacity_number_out"
            ET.SubElement(graph, "output", name=f"{role}_out", type=kind, nodename=node)
            found[role] = f"{role}_out"
    return found


def _times(graph: ET.Element, name: str, node: str, factor: float) -> str:
    """The node that multiplies a colour by a number."""
    product = ET.SubElement(graph, "multiply", name=name, type="color3")
    ET.SubElement(product, "input", name="in1", type="color3", nodename=node)
    _value(product, "in2", "float", f"{factor:.6g}")
    return name


def _centred(graph: ET.Element, node: str) -> str:
    """The node that lays the middle of the heights on the surface itself."""
    moved = ET.SubElement(graph, "subtract", name="height_centred", type="float")
    ET.SubElement(moved, "input", name="in1", type="float", nodename=node)
    _value(moved, "in2", "float", "0.5")
    return "height_centred"


def _map_node(graph: ET.Element, file: PlannedFile, role: str) -> str:
    """The node that gives one map of a file as it is meant."""
    image = _image(graph, file)
    if role == "normal":
        if file.y == "minus":
            image = _green_turned(graph, image)
        turned = ET.SubElement(graph, "normalmap", name="normal_map", type="vector3")
        ET.SubElement(turned, "input", name="in", type="vector3", nodename=image)
        return "normal_map"
    kind = _INPUTS.get(role, ("", "float"))[1]
    if kind == "color3" and file.where(role).start == 0 and role != "opacity":
        return image if file.channels == 3 else _converted(graph, f"{role}_rgb", "color3", "color4", image)
    node = _number_node(graph, file, role)
    return _converted(graph, f"{role}_grey", "color3", "float", node) if kind == "color3" else node


def _number_node(graph: ET.Element, file: PlannedFile, role: str) -> str:
    """The node that gives a map of one channel as a number, made once."""
    node: str = _image(graph, file)
    if file.channels > 1:
        image, node = node, f"{role}_channel"
        if graph.find(f"extract[@name='{node}']") is None:
            part = ET.SubElement(graph, "extract", name=node, type="float")
            ET.SubElement(part, "input", name="in", type=_type(file), nodename=image)
            _value(part, "index", "integer", str(file.where(role).start))
    if file.inverted(role):
        before, node = node, f"{role}_turned"
        if graph.find(f"invert[@name='{node}']") is None:
            invert = ET.SubElement(graph, "invert", name=node, type="float")
            ET.SubElement(invert, "input", name="in", type="float", nodename=before)
    return node


def _type(file: PlannedFile) -> str:
    if file.channels == 1:
        return "float"
    return f"{'color' if _is_colour(file) else 'vector'}{file.channels}"


def _is_colour(file: PlannedFile) -> bool:
    return len(file.contents) <= 2 and file.roles[0] in _COLOURS


def _image(graph: ET.Element, file: PlannedFile) -> str:
    """The image node of a file, made once."""
    node = "image_" + "".join(c if c.isalnum() else "_" for c in file.name.rsplit(".", 1)[0])
    if graph.find(f"image[@name='{node}']") is None:
        image = ET.SubElement(graph, "image", name=node, type=_type(file))
        source = ET.SubElement(image, "input", name="file", type="filename", value=file.name)
        if _is_colour(file) and file.encoding == "srgb":
            source.set("colorspace", "srgb_texture")
    return node


def _green_turned(graph: ET.Element, image: str) -> str:
    """Y− to Y+: red, one minus green, blue."""
    parts: list[str] = []
    for index, name in enumerate(("red", "green", "blue")):
        part = ET.SubElement(graph, "extract", name=f"normal_{name}", type="float")
        ET.SubElement(part, "input", name="in", type="vector3", nodename=image)
        _value(part, "index", "integer", str(index))
        parts.append(f"normal_{name}")
    turned = ET.SubElement(graph, "invert", name="normal_green_turned", type="float")
    ET.SubElement(turned, "input", name="in", type="float", nodename="normal_green")
    joined = ET.SubElement(graph, "combine3", name="normal_up", type="vector3")
    for number, node in enumerate((parts[0], "normal_green_turned", parts[2]), 1):
        ET.SubElement(joined, "input", name=f"in{number}", type="float", nodename=node)
    return "normal_up"


def _converted(graph: ET.Element, name: str, to: str, given: str, node: str) -> str:
    part = ET.SubElement(graph, "convert", name=name, type=to)
    ET.SubElement(part, "input", name="in", type=given, nodename=node)
    return name


def _connected(node: ET.Element, name: str, kind: str, graph: str, output: str) -> None:
    ET.SubElement(node, "input", name=name, type=kind, nodegraph=f"NG_{graph}", output=output)


def _value(node: ET.Element, name: str, kind: str, value: Any) -> None:
    ET.SubElement(node, "input", name=name, type=kind, value=value)
