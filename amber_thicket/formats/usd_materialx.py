"""The MaterialX network of a material, as shaders of a USD layer.

Source: OpenUSD, UsdMtlx (node definitions of the MaterialX standard library as shader identifiers, the surface at
outputs:mtlx:surface); MaterialX specification 1.39, standard library.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Sequence

from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.formats.materialx import materialx_text

_TYPES = {
    "float": "float",
    "integer": "int",
    "boolean": "bool",
    "color3": "color3f",
    "color4": "color4f",
    "vector2": "float2",
    "vector3": "float3",
    "vector4": "float4",
    "filename": "asset",
    "surfaceshader": "token",
    "displacementshader": "token",
}


def network(*, files: Sequence[PlannedFile], depth: float, at: str) -> tuple[list[str], list[str]]:
    """(outputs of the material, its shaders) as text. at: path of the material prim."""
    root = ET.fromstring(materialx_text(name="tile", files=files, depth=depth))
    graph = root.find("nodegraph")
    assert graph is not None
    ends = {node.get("name", ""): node.get("nodename", "") for node in graph.findall("output")}
    ends_of = [(root.find("standard_surface"), "surface"), (root.find("displacement"), "displacement")]
    heads = [(node, output) for node, output in ends_of if node is not None]
    nodes = _reached([node for node in graph if node.tag != "output"], [head for head, _ in heads], ends)
    outputs = [
        f"        token outputs:mtlx:{output}.connect = <{at}/{_prim(node)}.outputs:out>" for node, output in heads
    ]
    return outputs, [_shader(node, ends, at) for node in (*(head for head, _ in heads), *nodes)]


def _reached(nodes: list[ET.Element], heads: list[ET.Element], ends: dict[str, str]) -> list[ET.Element]:
    """The nodes of a graph that heads hang on, in the graph's order; other surfaces of the document have their own."""
    by_name = {node.get("name", ""): node for node in nodes}
    waiting, found = list(heads), set()
    while waiting:
        for given in waiting.pop().findall("input"):
            name = given.get("nodename") or ends.get(given.get("output", ""), "")
            if name in by_name and name not in found:
                found.add(name)
                waiting.append(by_name[name])
    return [node for node in nodes if node.get("name", "") in found]


def _prim(node: ET.Element) -> str:
    return f"mtlx_{node.get('name', '')}"


def definition(node: ET.Element) -> str:
    """The name of the node's definition in the standard library."""
    kind = node.get("type", "")
    taken = next((i.get("type", "") for i in node.findall("input") if i.get("name") == "in"), "")
    if node.tag == "extract":
        return f"ND_extract_{taken}"
    if node.tag == "convert":
        return f"ND_convert_{taken}_{kind}"
    if node.tag == "multiply":
        return f"ND_multiply_{kind}FA"
    if node.tag in ("normalmap", "displacement"):
        return f"ND_{node.tag}_float"
    return f"ND_{node.tag}_{kind}"


def _shader(node: ET.Element, ends: dict[str, str], at: str) -> str:
    lines = [
        f'        def Shader "{_prim(node)}"',
        "        {",
        f'            uniform token info:id = "{definition(node)}"',
    ]
    for given in node.findall("input"):
        kind, name, value = given.get("type", ""), given.get("name", ""), given.get("value")
        from_node = given.get("nodename") or ends.get(given.get("output", ""), "")
        if from_node:
            lines.append(f"            {_TYPES[kind]} inputs:{name}.connect = <{at}/mtlx_{from_node}.outputs:out>")
        elif kind == "filename":
            space = f' (colorSpace = "{given.get("colorspace")}")' if given.get("colorspace") else ""
            lines.append(f"            asset inputs:{name} = @./{value}@{space}")
        elif kind == "boolean":
            lines.append(f"            bool inputs:{name} = {1 if value == 'true' else 0}")
        else:
            lines.append(f"            {_TYPES[kind]} inputs:{name} = {value}")
    lines += [f"            {_TYPES[node.get('type', '')]} outputs:out", "        }", ""]
    return "\n".join(lines)
