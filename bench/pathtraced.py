"""Walk-bys photographed by an independent path tracer, so that our own camera is not its own judge: sun and sky with
cast shadows and light that bounces, true perspective, places and lens unknown. Needs `pip install mitsuba==3.9.1`, which
is no part of the set-up: Jakob et al., "Mitsuba 3", 2022."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.core.walk.poses import find_poses, matched
from amber_thicket.core.walk.relief import find_height
from amber_thicket.standins.capture_rig.camera import Shot, exposed
from amber_thicket.standins.capture_rig.handheld import Hand, hands
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.plain_kinds import brick_wall
from amber_thicket.standins.capture_rig.surface import Surface
from bench.relief import agreement
from bench.timing import table
from bench.walk import broad, level, with_fine

SIZE, SAMPLES, DEPTH, VIEWS = (960, 768), 16, 2, 5
# The surface goes on mirrored beyond its edges by so much of its width.
_BEYOND = 0.3


def _mesh(mi: Any, surface: Surface) -> Any:
    """The surface as triangles with its colour, its middle at 0, X right, Y up, Z toward the camera."""
    side = surface.height.shape[1]
    pad = int(_BEYOND * side)
    height = np.pad(surface.height, pad, mode="reflect").astype(np.float32) / side
    color = np.pad(surface.albedo, ((pad, pad), (pad, pad), (0, 0)), mode="reflect").astype(np.float32)
    count = height.shape[0]
    at = (np.arange(count) - pad + 0.5) / side - 0.5
    x, y = np.meshgrid(at, -at)
    mesh = mi.Mesh("surface", count * count, 2 * (count - 1) ** 2, has_vertex_normals=False, has_vertex_texcoords=False)
    mesh.add_attribute("vertex_color", 3, np.ascontiguousarray(color.reshape(-1)))
    traversed = mi.traverse(mesh)
    traversed["vertex_positions"] = np.ascontiguousarray(np.stack([x, y, height], -1).reshape(-1).astype(np.float32))
    index = np.arange(count * count, dtype=np.uint32).reshape(count, count)
    a, b, c, d = (p.ravel() for p in (index[:-1, :-1], index[1:, :-1], index[:-1, 1:], index[1:, 1:]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([c, b, d], 1)])
    traversed["faces"] = np.ascontiguousarray(faces.reshape(-1))
    traversed.update()
    return mesh


def photographs(surface: Surface, light: Shot, places: tuple[Hand, ...], folder: str) -> tuple[list[Pixels], Pixels]:
    """(linear pictures of what the camera kept as 8 bit, height (H, W) in widths that the first one sees)."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    path = f"{folder}/surface.ply"
    _mesh(mi, surface).write_ply(path)
    bearing, elevation = np.radians([light.bearing, light.elevation])
    toward = [
        float(np.cos(elevation) * np.cos(bearing)),
        float(np.cos(elevation) * np.sin(bearing)),
        float(np.sin(elevation)),
    ]
    pictures, height = [], None
    for number, hand in enumerate(places):
        turn = hand.turn() * np.array([1.0, -1.0, 1.0])
        origin = np.array(hand.place) * (1, -1, 1)
        scene = mi.load_dict({
            "type": "scene",
            "integrator": {"type": "aov", "aovs": "at:position", "path": {"type": "path", "max_depth": DEPTH}},
            "sensor": {
                "type": "perspective",
                "fov": float(np.degrees(2 * np.arctan(0.5 / hand.focal))), "fov_axis": "x",
                "to_world": mi.ScalarTransform4f().look_at(
                    origin=origin.tolist(), target=(origin + turn[2]).tolist(), up=(-turn[1]).tolist()
                ),
                "film": {"type": "hdrfilm", "width": SIZE[0], "height": SIZE[1], "rfilter": {"type": "box"}},
                "sampler": {"type": "independent", "sample_count": SAMPLES, "seed": number},
            },
            "surface": {
                "type": "ply", "filename": path,
                "bsdf": {"type": "diffuse", "reflectance": {"type": "mesh_attribute", "name": "vertex_color"}},
            },
            "sun": {"type": "directional", "direction": [-v for v in toward], "irradiance": 2.5 * light.sun},
            "sky": {"type": "constant", "radiance": 0.5 * light.sky},
        })  # fmt: skip
        seen = np.array(mi.render(scene))
        rng = np.random.default_rng(number)
        exposure = replace(light, exposure=light.exposure * float(rng.uniform(0.9, 1.08)), white=None)
        pictures.append(decode_srgb(exposed(np.maximum(seen[..., :3], 0).astype(np.float32), exposure, rng)))
        if height is None:
            height = seen[..., -1] if seen.shape[-1] < 7 else seen[..., 6]
    assert height is not None
    return pictures, height.astype(np.float32)


def run(side: int) -> None:
    import importlib.util
    import tempfile

    if importlib.util.find_spec("mitsuba") is None:
        print("The path tracer is not there: pip install mitsuba==3.9.1")
        return
    rows = []
    for name, make in (
        ("tide_pebbles", KINDS["tide_pebbles"]),
        ("slate_shingles", KINDS["slate_shingles"]),
        ("brick_wall", brick_wall),
    ):
        surface = make(side or 768, 9)
        places = hands(VIEWS, np.random.default_rng(9))
        with tempfile.TemporaryDirectory() as folder:
            began = time.perf_counter()
            seen, height = photographs(surface, Shot(bearing=130, elevation=42, sky=0.6), places, folder)
            print(f"{name}: photographed in {time.perf_counter() - began:.0f} s", flush=True)
        found = find_height(seen, find_poses(matched(seen)), hold_focal=False)
        made, fit = with_fine(seen[0], found)
        px = np.float32(found.poses.focal * SIZE[0])
        distance = places[0].place[2] - float(np.median(height))
        true = level(height / np.float32(distance)) * px
        alone, joined = level(found.height) * px, level(made) * px
        wide, depth = broad(joined, true)
        before, after = agreement(alone, true), agreement(joined, true)
        rows.append([name, f"{wide:.3f}", f"{depth:.3f}", f"{before.correlation:.3f}", f"{after.correlation:.3f} {after.degrees:.1f}°",
                     f"{fit:.2f}", f"{found.poses.focal:.3f}"])  # fmt: skip
        print(" ".join(rows[-1]), flush=True)
    table(
        "Walk-bys that a path tracer photographed",
        ["surface", "broad", "depth", "slopes by movement", "with fine relief", "colour fits", "focal (1.150)"],
        rows,
    )
