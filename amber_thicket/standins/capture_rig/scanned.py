"""A simulated scanner: a made-up surface as triangles or points, written as a scan file that lies anyhow in space."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.standins.capture_rig.surface import Surface


@dataclass(frozen=True)
class Scanned:
    """points: (N, 3) in millimetres. faces: (M, 3). colours: (N, 3) uint8 sRGB. uv: (N, 2), V up."""

    points: NDArray[np.float64]
    faces: NDArray[np.int32]
    colours: NDArray[np.uint8]
    uv: NDArray[np.float64]


def scanned(surface: Surface, side: int, turn: NDArray[np.float64] | None = None) -> Scanned:
    """As many as side × side places of a surface, X right, Y up, Z toward the scanner. turn: (3, 3), where it lies
    anyhow."""
    rows, columns = surface.height.shape
    step = surface.width_mm / columns
    at = np.linspace(0, columns - 1, side)
    x, y = np.meshgrid(at, np.linspace(0, rows - 1, side))
    where = x.astype(np.float32), y.astype(np.float32)
    height = cv2.remap(surface.height.astype(np.float32), *where, cv2.INTER_LINEAR)
    light = cv2.remap(surface.albedo.astype(np.float32), *where, cv2.INTER_LINEAR)
    points = np.stack([x * step, -y * step, height.astype(np.float64) * step], -1).reshape(-1, 3)
    uv = np.stack([(x + 0.5) / columns, 1 - (y + 0.5) / rows], -1).reshape(-1, 2)
    index = np.arange(side * side, dtype=np.int32).reshape(side, side)
    a, b, c, d = (part.ravel() for part in (index[:-1, :-1], index[1:, :-1], index[:-1, 1:], index[1:, 1:]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([c, b, d], 1)])
    if turn is not None:
        points = points @ turn.T
    return Scanned(points, faces, encode_srgb8(np.ascontiguousarray(light)).reshape(-1, 3), uv)


def ply_bytes(scan: Scanned, *, faces: bool = True) -> bytes:
    """A binary PLY with a colour at each point."""
    head = [
        "ply", "format binary_little_endian 1.0", "comment simulated scan", f"element vertex {len(scan.points)}",
        "property float x", "property float y", "property float z",
        "property uchar red", "property uchar green", "property uchar blue",
    ]  # fmt: skip
    if faces:
        head += [f"element face {len(scan.faces)}", "property list uchar int vertex_indices"]
    points = np.empty(len(scan.points), [("at", "<f4", 3), ("colour", "u1", 3)])
    points["at"], points["colour"] = scan.points, scan.colours
    body = points.tobytes()
    if faces:
        rows = np.empty(len(scan.faces), [("count", "u1"), ("at", "<i4", 3)])
        rows["count"], rows["at"] = 3, scan.faces
        body += rows.tobytes()
    return "\n".join([*head, "end_header", ""]).encode() + body


def stl_bytes(scan: Scanned) -> bytes:
    """A binary STL: triangles without anything else."""
    rows = np.zeros(len(scan.faces), [("normal", "<f4", 3), ("at", "<f4", (3, 3)), ("more", "<u2")])
    rows["at"] = scan.points[scan.faces]
    return b"simulated scan".ljust(80) + len(rows).to_bytes(4, "little") + rows.tobytes()


def obj_bytes(scan: Scanned, material: str = "") -> bytes:
    """An OBJ. material: name of its material file; the texture belongs there."""
    text = io.StringIO()
    if material:
        text.write(f"mtllib {material}\nusemtl scan\n")
    lines: list[tuple[str, NDArray[Any]]] = [("v %.6f %.6f %.6f", scan.points), ("vt %.6f %.6f", scan.uv)]
    for form, values in lines:
        np.savetxt(text, values, form)
    corners = np.repeat(scan.faces + 1, 2, axis=1)
    np.savetxt(text, corners, "f %d/%d %d/%d %d/%d")
    return text.getvalue().encode()


def mtl_bytes(texture: str) -> bytes:
    """The material of an OBJ with one texture."""
    return f"newmtl scan\nKd 1 1 1\nmap_Kd {texture}\n".encode()
