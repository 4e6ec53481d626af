"""Stills against an independent path tracer: one made-up set on ball and slab under two surroundings.

The tracer needs `pip install mitsuba==3.9.1`, which is no part of the set-up: Jakob et al., "Mitsuba 3", 2022. What it
made is kept in tests/data/lit_reference.npz, so that the tests compare without it; `python -m bench.lit` makes
it anew.
"""

from __future__ import annotations

import importlib.util
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from amber_thicket.core.lit.still import Look, Passed, SurfaceMaps, camera, developed, followed, toward_lamp
from amber_thicket.core.lit.surroundings import radiance
from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height
from bench.timing import table

REFERENCE = Path(__file__).parent.parent / "tests" / "data" / "lit_reference.npz"
SIZE, PATHS = (96, 80), 1024
LOOKS = {
    f"{shape}/{sky}": (Look(shape=shape, size=SIZE, repeat=1, displacement=0.0, exposure=-1.2), sky)
    for shape in ("ball", "slab")
    for sky in ("studio", "sun")
}


def made_up(side: int = 128) -> SurfaceMaps:
    """Waves of colour, roughness from .15 to .9, islands of metal, gentle bumps."""
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side * np.float32(2 * np.pi)
    color = np.stack([0.42 + 0.3 * np.sin(x), 0.36 + 0.25 * np.sin(y + 1), 0.3 + 0.22 * np.sin(x + y)], -1)
    roughness = 0.525 + 0.375 * np.sin(x + 0.7) * np.cos(y)
    metallic = np.clip(3 * (np.sin(2 * x) * np.sin(2 * y) - 0.1), 0, 1)
    height = 0.5 + 0.25 * np.sin(3 * x) * np.sin(2 * y + 0.4) + 0.25 * np.sin(x - 2 * y)
    span = 0.08
    normal = from_height(height.astype(np.float32), depth=span * side, wraps=True)
    return SurfaceMaps(
        color.astype(np.float32), normal, roughness.astype(np.float32), metallic.astype(np.float32),
        height.astype(np.float32), span,
    )  # fmt: skip


def difference(one: Passed, other: Passed, look: Look) -> float:
    """Mean ΔE00 of two stills as shown (CIE 142-2001), where the surface covers the pixel."""
    seen = (one.cover > 0.99) & (other.cover > 0.99)
    labs = [rgb2lab(developed(part, look).clip(0, 1)) for part in (one, other)]
    return float(deltaE_ciede2000(*labs)[seen].mean())


def kept() -> dict[str, Passed]:
    """What the path tracer made of every look."""
    with np.load(REFERENCE) as data:
        return {
            name: Passed(data[f"{name}/linear"].astype(np.float32), data[f"{name}/cover"].astype(np.float32), 1.0)
            for name in LOOKS
        }


def _grid(look: Look) -> tuple[Pixels, Pixels, Pixels]:
    """(places (N, M, 3), normals, texture coordinates (N, M, 2), rows downward) of the shape, as the lit view has it."""
    rows, columns = 257, 513
    v, u = np.mgrid[0:rows, 0:columns] / np.array([rows - 1, columns - 1]).reshape(2, 1, 1)
    if look.shape == "slab":
        deep = float(np.clip(np.round(look.size[1] / look.size[0] * 4) / 4, 0.75, 1.75))
        places = np.stack([u - 0.5, np.zeros_like(u), (v - 0.5) * deep], -1)
        return places, np.broadcast_to([0.0, 1.0, 0.0], places.shape), np.stack([u, v * deep], -1)
    phi, theta = u * 2 * np.pi, v * np.pi
    out = np.stack([-np.cos(phi) * np.sin(theta), np.cos(theta), np.sin(phi) * np.sin(theta)], -1)
    return 0.5 * out, out, np.stack([2 * u, v], -1)


def traced(maps: SurfaceMaps, look: Look, sky: Pixels) -> Passed:
    """The look by the path tracer, with its own `principled` surface and normal maps."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    places, normals, at = _grid(look)
    rows, columns = places.shape[:2]
    mesh = mi.Mesh(
        "shape", rows * columns, 2 * (rows - 1) * (columns - 1), has_vertex_normals=True, has_vertex_texcoords=True
    )
    index = np.arange(rows * columns, dtype=np.uint32).reshape(rows, columns)
    a, b, c, d = (part.ravel() for part in (index[:-1, :-1], index[1:, :-1], index[:-1, 1:], index[1:, 1:]))
    parameters = mi.traverse(mesh)
    for name, part in (("vertex_positions", places), ("vertex_normals", normals), ("vertex_texcoords", at)):
        parameters[name] = np.ascontiguousarray(part.reshape(-1), np.float32)
    parameters["faces"] = np.concatenate([np.stack([a, b, c], 1), np.stack([c, b, d], 1)]).ravel()
    parameters.update()
    # Green goes along normal × tangent, which is up the picture, as here.
    leaning = (maps.normal * 0.5 + 0.5).astype(np.float32)

    def picture(pixels: Pixels) -> dict[str, Any]:
        return {"type": "bitmap", "bitmap": mi.Bitmap(np.ascontiguousarray(pixels, np.float32)), "raw": True}

    surface = {
        "type": "principled",
        "base_color": picture(maps.base_color),
        "roughness": picture(maps.roughness[..., None]),
        "metallic": picture(maps.metallic[..., None]),
        "specular": 0.5,
    }
    eye, axes = camera(look)
    lamp = toward_lamp(look)
    with tempfile.TemporaryDirectory() as folder:
        mesh.write_ply(f"{folder}/shape.ply")
        scene = mi.load_dict(
            {
                "type": "scene",
                "integrator": {"type": "path", "max_depth": 2, "hide_emitters": True},
                "sensor": {
                    "type": "perspective",
                    "fov": 30.0,
                    "fov_axis": "y",
                    "to_world": mi.ScalarTransform4f().look_at(
                        origin=eye.tolist(), target=(eye + axes[2]).tolist(), up=[0, 1, 0]
                    ),
                    "film": {"type": "hdrfilm", "width": look.size[0], "height": look.size[1], "pixel_format": "rgba",
                             "rfilter": {"type": "box"}},
                    "sampler": {"type": "independent", "sample_count": PATHS},
                },
                "sky": {"type": "envmap", "bitmap": mi.Bitmap(np.ascontiguousarray(sky[:, ::-1], np.float32))},
                "lamp": {"type": "directional", "direction": (-lamp[:3]).tolist(),
                         "irradiance": {"type": "rgb", "value": float(lamp[3] * np.pi)}},
                "shape": {"type": "ply", "filename": f"{folder}/shape.ply",
                          "bsdf": {"type": "normalmap", "normalmap": picture(leaning), "bsdf": surface}},
            }
        )  # fmt: skip
        made = np.array(mi.render(scene))
    return Passed(made[..., :3].astype(np.float32), made[..., 3].clip(0, 1).astype(np.float32), 1.0)


def run(side: int) -> None:
    maps = made_up()
    there = importlib.util.find_spec("mitsuba") is not None
    rows = []
    for name, (look, sky) in LOOKS.items():
        found = kept()[name] if not there else traced(maps, look, radiance(sky, 512, 256))
        last = [difference(one, found, look) for one in followed(maps, look, radiance(sky, 512, 256), 256)]
        rows.append([name, *(f"{value:.2f}" for value in last)])
    table(
        "Mean ΔE00 between stills and an independent path tracer", ["look", *(f"{2**k} paths" for k in range(9))], rows
    )


def write() -> None:
    """Keep what the path tracer makes of every look."""
    maps, parts = made_up(), {}
    for name, (look, sky) in LOOKS.items():
        made = traced(maps, look, radiance(sky, 512, 256))
        parts[f"{name}/linear"], parts[f"{name}/cover"] = made.linear.astype(np.float16), made.cover.astype(np.float16)
    np.savez_compressed(REFERENCE, **parts)


if __name__ == "__main__":
    write()
