"""Bytes of a scanned surface to triangles or points, as the file holds them.

No numba and nothing of the core: this runs in the helper process too (apart.py). Kinds: Wavefront OBJ (with its
material and texture beside it, or all in one zip), PLY, STL, binary glTF 2.0, and the point clouds PLY, LAS and LAZ.
Sources: Turk, "The PLY polygon file format", 1994; ASPRS, "LAS specification 1.4", R15; Khronos, "glTF 2.0", 3.4
(lengths are metres there).
"""

from __future__ import annotations

import io
import logging
import posixpath
import re
import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.errors import ThicketError, TooLarge, UnreadableFile
from amber_thicket.formats import limits

MOST_TRIANGLES, MOST_POINTS = 8_000_000, 40_000_000
_REMEDY = "Give OBJ, PLY, STL, GLB, LAS or LAZ that opens elsewhere; an OBJ with its texture as one zip."
# Bytes that reading takes for each triangle or point, about.
_BYTES_EACH = 160
_MOST_TEXTURE = 16_384
# What an OBJ may name.
BESIDE = (".mtl", ".jpg", ".jpeg", ".png", ".bmp", ".tga", ".tif", ".tiff")
log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Scan:
    """points: (N, 3) float64, in the file's unit. faces: (M, 3) int32 into them; (0, 3) for a point cloud. colours:
    (N, 3) uint8 sRGB, or (N, 2) float32 places on the texture (0..1, up), or nothing: (0, 3). texture: (H, W, 3) uint8
    sRGB, or (0, 0, 3). metres: how long the unit is, 0 where the file does not say. notes: what was done, in words."""

    points: NDArray[Any]
    faces: NDArray[Any]
    colours: NDArray[Any]
    texture: NDArray[Any]
    metres: float = 0.0
    notes: tuple[str, ...] = field(default=())


def scan_kind(data: bytes, name: str) -> str | None:
    """Which kind of scan bytes are, by how they begin; an OBJ, which begins with anything, by its lines as well."""
    if data[:4] == b"glTF":
        return "glb"
    if data[:4] == b"LASF":
        return "las"
    if data[:3] == b"ply" and data[3:4] in b"\r\n":
        return "ply"
    if len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        return "stl"
    if data[:6].lower() == b"solid " and b"facet" in data[:4096].lower():
        return "stl"
    if name.lower().endswith(".obj") and re.search(rb"(?m)^v\s+[-+.\d]", data[: 1 << 20]):
        return "obj"
    return None


def read_scan(data: bytes, name: str, beside: Mapping[str, bytes] | None = None) -> Scan:
    """beside: files that lie next to it, by name: what an OBJ's material and texture are found in. Raises
    UnreadableFile, TooLarge, each naming the file."""
    kind = scan_kind(data, name)
    if kind is None:
        raise UnreadableFile(f"{name} is no scan we can read.", remedy=_REMEDY, file=name)
    try:
        found = _las(data, name) if kind == "las" else _mesh(data, name, kind, beside or {})
    except ThicketError:
        raise
    except MemoryError:
        raise UnreadableFile(
            f"{name} needs far more memory than a scan of its size.", remedy=_REMEDY, file=name
        ) from None
    except Exception as error:
        # The libraries raise whatever they like for damaged files; what it means is one thing.
        log.debug("%s: %r", name, error)
        raise UnreadableFile(f"{name} is damaged or cut short.", remedy=_REMEDY, file=name) from None
    if len(found.points) < 4 or (not len(found.faces) and len(found.points) < 64):
        raise UnreadableFile(f"{name} holds no surface: {len(found.points)} points.", remedy=_REMEDY, file=name)
    if len(found.faces) and not 0 <= int(found.faces.min()) <= int(found.faces.max()) < len(found.points):
        raise UnreadableFile(f"{name} has triangles between points that are not there.", remedy=_REMEDY, file=name)
    if not np.isfinite(found.points).all() or not np.isfinite(found.colours).all():
        raise UnreadableFile(f"{name} has places that are no numbers.", remedy="Save it again.", file=name)
    return found


def _check(triangles: int, points: int, name: str) -> None:
    if triangles > MOST_TRIANGLES or points > MOST_POINTS:
        raise TooLarge(
            f"{name} has {triangles:,} triangles and {points:,} points.",
            remedy=f"The limit is {MOST_TRIANGLES:,} triangles and {MOST_POINTS:,} points; cut it, or thin it out.",
            limit=MOST_TRIANGLES,
            file=name,
        )
    limits.announce(_BYTES_EACH * (triangles + points))


def _announced(data: bytes, kind: str) -> tuple[int, int]:
    """(triangles, points) that a file says it holds, before it is read."""
    if kind == "ply":
        head = data[: data.find(b"end_header") + 1][: 1 << 16]
        counts = {what: int(n) for what, n in re.findall(rb"element\s+(\w+)\s+(\d+)", head)}
        return counts.get(b"face", 0), counts.get(b"vertex", 0)
    if kind == "stl":
        binary = len(data) == 84 + 50 * int.from_bytes(data[80:84], "little")
        return (int.from_bytes(data[80:84], "little") if binary else data.count(b"endfacet")), 0
    if kind == "obj":
        return data.count(b"\nf "), data.count(b"\nv ")
    # Of what a binary glTF packs nothing is smaller than a byte an index.
    return len(data) // 3, 0


def _mesh(data: bytes, name: str, kind: str, beside: Mapping[str, bytes]) -> Scan:
    import trimesh
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = _MOST_TEXTURE**2
    triangles, points = _announced(data, kind)
    _check(0 if kind == "glb" else triangles, points, name)
    notes: list[str] = []
    resolver = _Beside({posixpath.basename(key).lower(): value for key, value in beside.items()}, notes)
    # Nothing is dropped, joined or turned round by the library.
    asked: dict[str, Any] = {"process": False, "maintain_order": True, "resolver": resolver}
    loaded = trimesh.load(io.BytesIO(data), file_type=kind, **asked)
    parts = _parts(loaded)
    _check(sum(len(faces) for _, faces, _, _ in parts), sum(len(points) for points, _, _, _ in parts), name)
    metres = 1.0 if kind == "glb" else 0.0
    return _joined(parts, metres, notes)


class _Beside:
    """What an OBJ names, out of the files that came along and nothing else."""

    def __init__(self, files: Mapping[str, bytes], notes: list[str]) -> None:
        self._files, self._notes = files, notes

    def get(self, name: str) -> bytes:
        found = self._files.get(posixpath.basename(str(name).replace("\\", "/")).lower())
        if found is None:
            self._notes.append(f"{posixpath.basename(str(name))[:80]} did not come along")
            raise FileNotFoundError(name)
        return found

    __getitem__ = get

    def keys(self) -> list[str]:
        return list(self._files)

    def namespaced(self, namespace: str) -> _Beside:
        return self


_Part = tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any] | None]


def _parts(loaded: Any) -> list[_Part]:
    """(points, faces, colours or places on a texture, texture) of each thing in a file, where it stands."""
    import trimesh

    things = loaded.dump() if isinstance(loaded, trimesh.Scene) else [loaded]
    found: list[_Part] = []
    for thing in things:
        if isinstance(thing, trimesh.PointCloud):
            colours = np.asarray(thing.colors)[:, :3] if len(getattr(thing, "colors", ())) else _NONE
            found.append((np.asarray(thing.vertices, np.float64), np.zeros((0, 3), np.int32), colours, None))
        elif isinstance(thing, trimesh.Trimesh) and len(thing.vertices):
            colours, texture = _seen(thing)
            faces = np.asarray(thing.faces, np.int32).reshape(-1, 3)
            found.append((np.asarray(thing.vertices, np.float64), faces, colours, texture))
    return found


_NONE = np.zeros((0, 3), np.uint8)


def _seen(mesh: Any) -> tuple[NDArray[Any], NDArray[Any] | None]:
    visual = mesh.visual
    uv = getattr(visual, "uv", None)
    if uv is not None and len(uv) == len(mesh.vertices):
        material = visual.material
        image = getattr(material, "baseColorTexture", None) or getattr(material, "image", None)
        if image is not None:
            if max(image.size) > _MOST_TEXTURE:
                raise TooLarge(
                    f"The texture has {image.size[0]} × {image.size[1]} px.",
                    remedy=f"The limit is {_MOST_TEXTURE} px a side; make it smaller.",
                    limit=_MOST_TEXTURE,
                )
            return np.asarray(uv, np.float32)[:, :2], np.asarray(image.convert("RGB"), np.uint8)
        plain = np.asarray(getattr(material, "main_color", (128, 128, 128, 255)), np.uint8)[:3]
        return np.repeat(plain[None], len(mesh.vertices), 0), None
    if getattr(visual, "kind", None) == "vertex":
        return np.asarray(visual.vertex_colors, np.uint8)[:, :3], None
    if getattr(visual, "kind", None) == "face":
        return np.asarray(visual.to_color().vertex_colors, np.uint8)[:, :3], None
    return _NONE, None


def _joined(parts: list[_Part], metres: float, notes: list[str]) -> Scan:
    """All parts as one. Several textures are laid one under the other."""
    meshes = [part for part in parts if len(part[1])]
    if meshes and len(meshes) < len(parts):
        notes.append("loose points beside the triangles were left out")
    parts = meshes or parts
    if not parts:
        return Scan(np.zeros((0, 3)), np.zeros((0, 3), np.int32), _NONE, np.zeros((0, 0, 3), np.uint8))
    starts = np.cumsum([0] + [len(part[0]) for part in parts])
    points = np.concatenate([part[0] for part in parts])
    faces = np.concatenate([part[1] + np.int32(start) for part, start in zip(parts, starts, strict=False)])
    textures = [part[3] for part in parts if part[3] is not None]
    if textures:
        if len(textures) < len(parts):
            notes.append("parts without a texture are grey")
        return Scan(points, faces.astype(np.int32), *_atlas(parts), metres, tuple(dict.fromkeys(notes)))
    if all(len(part[2]) for part in parts):
        colours = np.concatenate([part[2] for part in parts]).astype(np.uint8)
    else:
        colours = _NONE
        notes.append("it has no colour")
    return Scan(
        points, faces.astype(np.int32), colours, np.zeros((0, 0, 3), np.uint8), metres, tuple(dict.fromkeys(notes))
    )


def _atlas(parts: list[_Part]) -> tuple[NDArray[Any], NDArray[Any]]:
    """((N, 2) places, texture) of parts with textures of their own."""
    grey = np.full((4, 4, 3), 128, np.uint8)
    pictures = [grey if part[3] is None else part[3] for part in parts]
    unique: list[NDArray[Any]] = []
    at = []
    for picture in pictures:
        same = next((n for n, known in enumerate(unique) if known is picture), None)
        at.append(len(unique) if same is None else same)
        if same is None:
            unique.append(picture)
    if len(unique) == 1:
        places = [part[2] if part[2].shape[1] == 2 else np.full((len(part[0]), 2), 0.5) for part in parts]
        return np.concatenate(places).astype(np.float32), unique[0]
    width, height = max(p.shape[1] for p in unique), sum(p.shape[0] for p in unique)
    whole = np.zeros((height, width, 3), np.uint8)
    tops = np.cumsum([0] + [p.shape[0] for p in unique])
    for picture, top in zip(unique, tops, strict=False):
        whole[top : top + picture.shape[0], : picture.shape[1]] = picture
    found = []
    for part, number in zip(parts, at, strict=True):
        uv = part[2] if part[2].shape[1] == 2 else np.full((len(part[0]), 2), 0.5)
        rows, columns = unique[number].shape[:2]
        inside = uv.clip(0, 1)
        x = inside[:, 0] * columns / width
        y = 1 - (tops[number] + (1 - inside[:, 1]) * rows) / height
        found.append(np.stack([x, y], 1))
    return np.concatenate(found).astype(np.float32), whole


def _las(data: bytes, name: str) -> Scan:
    import laspy

    head = laspy.open(io.BytesIO(data)).header
    _check(0, int(head.point_count), name)
    cloud = laspy.read(io.BytesIO(data))
    points = np.stack([np.asarray(cloud.x), np.asarray(cloud.y), np.asarray(cloud.z)], 1).astype(np.float64)
    notes = []
    if {"red", "green", "blue"} <= set(cloud.point_format.dimension_names):
        codes = np.stack([np.asarray(cloud.red), np.asarray(cloud.green), np.asarray(cloud.blue)], 1)
        # Colours are 16 bit by the specification; many writers put 8 bit there.
        colours = (codes >> 8 if codes.size and codes.max() > 255 else codes).astype(np.uint8)
    else:
        colours = _NONE
        notes.append("it has no colour")
    return Scan(points, np.zeros((0, 3), np.int32), colours, np.zeros((0, 0, 3), np.uint8), 0.0, tuple(notes))


def scan_in_zip(entries: Mapping[str, bytes], name: str) -> tuple[str, bytes, dict[str, bytes]]:
    """(name, bytes, files beside it) of the one scan in a zip. Raises UnreadableFile."""
    found = {path: data for path, data in entries.items() if scan_kind(data, path)}
    if len(found) != 1:
        raise UnreadableFile(
            f"{name} holds {'no scan' if not found else f'{len(found)} scans'}.",
            remedy="Pack one scan with its material and texture.", file=name,
        )  # fmt: skip
    ((path, data),) = found.items()
    beside = {other: content for other, content in entries.items() if other.lower().endswith(BESIDE)}
    return posixpath.basename(path), data, beside


def pack_beside(files: Mapping[str, bytes]) -> bytes:
    """Files beside a scan as one run of bytes, to be handed to the helper."""
    parts = [struct.pack("<I", len(files))]
    for name, data in files.items():
        coded = name.encode()
        parts += [struct.pack("<IQ", len(coded), len(data)), coded, data]
    return b"".join(parts)


def unpack_beside(data: bytes) -> dict[str, bytes]:
    """What pack_beside() packed."""
    (count,) = struct.unpack_from("<I", data)
    at, found = 4, {}
    for _ in range(count):
        name, size = struct.unpack_from("<IQ", data, at)
        at += 12
        found[data[at : at + name].decode()] = data[at + name : at + name + size]
        at += name + size
    return found
