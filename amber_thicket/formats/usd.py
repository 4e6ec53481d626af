"""A USD layer: one tile as a flat mesh with a preview surface and the MaterialX network, all maps connected, colour
spaces told.

Source: OpenUSD, UsdPreviewSurface specification 2.6 (UsdUVTexture with sourceColorSpace, scale and bias; normal in
tangent space with scale 2 and bias −1; displacement in scene units).
"""

from __future__ import annotations

from collections.abc import Sequence

from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.formats.usd_materialx import network

# Input of the preview surface, its type and the fallback, by the map that feeds it.
_INPUTS: dict[str, tuple[str, str]] = {
    "base_color": ("diffuseColor", "color3f"),
    "roughness": ("roughness", "float"),
    "metallic": ("metallic", "float"),
    "diffuse": ("diffuseColor", "color3f"),
    "specular_color": ("specularColor", "color3f"),
    "normal": ("normal", "normal3f"),
    "ambient_occlusion": ("occlusion", "float"),
    "opacity": ("opacity", "float"),
    "emissive": ("emissiveColor", "color3f"),
    "height": ("displacement", "float"),
}


def usd_text(*, name: str, files: Sequence[PlannedFile], size_m: tuple[float, float], depth_m: float) -> str:
    """The layer as text (.usda). files: those of the pack beside it, with a Y+ normal. size_m: of a tile."""
    nodes, inputs = _connected(files, depth_m)
    # A specular/gloss set has its own way of being shaded.
    by_specular = int(any("specular_color" in file.roles for file in files))
    outputs, shaders = network(files=files, depth=depth_m, at="/Tile/Look")
    joined, others, shown = ("\n".join(lines) for lines in (inputs, outputs, [*nodes, *shaders]))
    return f"""#usda 1.0
(
    defaultPrim = "Tile"
    doc = "{name}, made by Amber Thicket"
    metersPerUnit = 1
    upAxis = "Y"
)

def Xform "Tile" (
    kind = "component"
)
{{
{_mesh(size_m)}
    def Material "Look"
    {{
        token outputs:displacement.connect = </Tile/Look/Surface.outputs:displacement>
{others}
        token outputs:surface.connect = </Tile/Look/Surface.outputs:surface>

        def Shader "Surface"
        {{
            uniform token info:id = "UsdPreviewSurface"
            int inputs:useSpecularWorkflow = {by_specular}
{joined}
            token outputs:displacement
            token outputs:surface
        }}

        def Shader "Place"
        {{
            uniform token info:id = "UsdPrimvarReader_float2"
            string inputs:varname = "st"
            float2 outputs:result
        }}

{shown}
    }}
}}
"""


def _connected(files: Sequence[PlannedFile], depth_m: float) -> tuple[list[str], list[str]]:
    """Texture nodes for every map the preview surface takes, and what connects its inputs to them."""
    readers: list[str] = []
    inputs: list[str] = []
    seen: set[str] = set()
    for file in files:
        for role in file.roles:
            if role not in _INPUTS or role in seen or file.y == "minus":
                continue
            seen.add(role)
            target, kind = _INPUTS[role]
            readers.append(_reader(file, role, depth_m))
            output = "rgb" if kind != "float" else "rgba"[file.where(role).start]
            inputs.append(f"            {kind} inputs:{target}.connect = </Tile/Look/{role}.outputs:{output}>")
    return readers, inputs


def _mesh(size_m: tuple[float, float]) -> str:
    """One tile as a face of four corners, in metres, facing +Z."""
    x, y = size_m[0] / 2, size_m[1] / 2
    corners = ", ".join(f"({a:.6g}, {b:.6g}, 0)" for a, b in ((-x, -y), (x, -y), (x, y), (-x, y)))
    return f"""    def Mesh "Surface" (
        prepend apiSchemas = ["MaterialBindingAPI"]
    )
    {{
        float3[] extent = [({-x:.6g}, {-y:.6g}, 0), ({x:.6g}, {y:.6g}, 0)]
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        rel material:binding = </Tile/Look>
        normal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0, 1)] (
            interpolation = "vertex"
        )
        point3f[] points = [{corners}]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] (
            interpolation = "vertex"
        )
        uniform token subdivisionScheme = "none"
    }}
"""


def _reader(file: PlannedFile, role: str, depth_m: float) -> str:
    """A texture node for one map of a file."""
    scale, bias = [1.0] * 4, [0.0] * 4
    if role == "normal":
        scale, bias = [2.0, 2.0, 2.0, 1.0], [-1.0, -1.0, -1.0, 0.0]
    elif role == "height":
        scale, bias = [depth_m] * 4, [-depth_m / 2] * 4
    elif file.inverted(role):
        scale, bias = [-1.0] * 4, [1.0] * 4
    colour = "sRGB" if file.encoding == "srgb" and file.where(role).start == 0 else "raw"
    kind = _INPUTS[role][1]
    output = "float3 outputs:rgb" if kind != "float" else f"float outputs:{'rgba'[file.where(role).start]}"

    def four(values: list[float]) -> str:
        return "(" + ", ".join(f"{value:.6g}" for value in values) + ")"

    return f"""        def Shader "{role}"
        {{
            uniform token info:id = "UsdUVTexture"
            float4 inputs:bias = {four(bias)}
            asset inputs:file = @./{file.name}@
            float4 inputs:scale = {four(scale)}
            token inputs:sourceColorSpace = "{colour}"
            float2 inputs:st.connect = </Tile/Look/Place.outputs:result>
            token inputs:wrapS = "repeat"
            token inputs:wrapT = "repeat"
            {output}
        }}
"""
