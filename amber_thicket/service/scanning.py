"""Scans and depth maps become materials: looked at first, then projected onto their plane as files like any other."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np

from amber_thicket.core.gather.roles import LEAVE_COLOUR
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.scan.elevation import Mended, mend
from amber_thicket.core.scan.plane import Plane, find_plane, largest_rectangle, through_points
from amber_thicket.core.scan.project import LEAST, MOST, Projected, own_resolution, project_cloud, project_mesh
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.formats import apart
from amber_thicket.formats.elevation import Elevation, read_elevation
from amber_thicket.formats.scan import Scan, scan_in_zip, scan_kind
from amber_thicket.formats.unzip import is_zip
from amber_thicket.formats.write import png_bytes, tiff_bytes
from amber_thicket.service.library import Library
from amber_thicket.service.mapset import read_map, start_size
from amber_thicket.service.preview import encoded
from amber_thicket.service.sources import file_key
from amber_thicket.store.models import Material

Unit = Literal["", "mm", "cm", "m"]
MILLIMETRES: dict[str, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0}
_PREVIEW, _WHOLE = 640, (0.0, 0.0, 1.0, 1.0)
# A hole of less than this share of the preview's width is filled without a word.
_SMALL_HOLE = 0.012
_LIGHT = np.array([-0.5, 0.6, 0.62], np.float32)
Patch = tuple[float, float, float, float]


@dataclass(frozen=True)
class Asked:
    """How a scan is taken. unit: of its numbers, "" for what the file says. turned_over: seen from the other side, or
    of a depth map: bright is far. patch: left, top, right, bottom as shares of what is there; None for the largest
    rectangle without holes. three: places of the preview (x, y as shares) that lie in the plane. width: px; None for as
    many as the scan is worth. width_mm: how wide the whole is in reality, where neither file nor unit says."""

    unit: Unit = ""
    turned_over: bool = False
    patch: Patch | None = None
    three: tuple[tuple[float, float], ...] = ()
    width: int | None = None
    width_mm: float = 0.0


class Look(NamedTuple):
    """What a scan is, before anything is made of it. kind: "mesh", "cloud" or "depth". parts: triangles, points or px.
    size: of what is there, in the unit. width: px it is worth. patch: what would be taken. unit: as the file says.
    depth: of the relief, in the unit. notes: in words. picture: JPEG of all of it, seen straight on."""

    kind: str
    parts: int
    size: tuple[float, float]
    width: int
    patch: Patch
    unit: Unit
    depth: float
    notes: tuple[str, ...]
    picture: bytes


class ScanMaps(NamedTuple):
    """color: (H, W, 3) linear. height: (H, W) in [0, 1]. normal: (H, W, 3). holes: (H, W) 1 where it was filled.
    depth: from height 0 to 1, in widths, and width_mm: 0 when nobody knows. told: level and sentence."""

    color: Pixels | None
    height: Pixels
    normal: Pixels | None
    holes: Pixels
    depth: float
    width_mm: float
    told: tuple[tuple[str, str], ...]
    facts: dict[str, Any]


def opened(data: bytes, name: str, beside: Mapping[str, bytes] | None = None) -> Scan | Elevation:
    """What a file holds. beside: what an OBJ names. Raises UnreadableFile, TooLarge."""
    if is_zip(data):
        inside: dict[str, bytes] = {}
        for path, content in apart.entries(data, name):
            if isinstance(content, bytes):
                inside[path] = content
        name, data, beside = scan_in_zip(inside, name)
    if scan_kind(data, name):
        return apart.read_scan(data, name, beside)
    return read_elevation(data, name)


def look(found: Scan | Elevation, asked: Asked) -> Look:
    """Raises UnreadableFile, BadSetting."""
    if isinstance(found, Elevation):
        return _look_at_depth(found, asked)
    plane = _plane(found, asked)
    width = _own_width(found, plane)
    seen = _projected(found, plane, _WHOLE, _small(plane, width))
    unit: Unit = asked.unit or ("m" if found.metres == 1 else "")
    deep = float(np.subtract(*np.percentile(seen.height, (99.9, 0.1)))) * seen.unit
    kind, count = ("mesh", len(found.faces)) if len(found.faces) else ("cloud", len(found.points))
    notes = (*found.notes, *(text for _, text in _told(found, plane, seen)))
    patch = asked.patch or _suggested(seen.holes)
    return Look(kind, count, plane.size(), width, patch, unit, deep, notes, _pictured(seen))


def make(found: Scan | Elevation, asked: Asked) -> ScanMaps:
    """Raises UnreadableFile, BadSetting, Cancelled."""
    if isinstance(found, Elevation):
        return _depth_maps(found, asked)
    plane = _plane(found, asked)
    own = _own_width(found, plane)
    patch = asked.patch or _suggested(_projected(found, plane, _WHOLE, _small(plane, own)).holes)
    left, top, right, bottom = _checked(patch)
    width = _checked_width(asked.width or max(LEAST, round(own * (right - left))))
    across, along = plane.size()
    tall = round(width * along * (bottom - top) / (across * (right - left)))
    if tall > MOST:
        raise BadSetting(
            f"It would be {tall} px high.", remedy=f"The limit is {MOST} px: give a smaller width.", setting="width"
        )
    seen = _projected(found, plane, patch, width)
    low, high = float(seen.height.min()), float(seen.height.max())
    room = 0.005 * (high - low) + 1e-6
    low, high = low - room, high + room
    millimetres = _millimetres(found, asked)
    width_mm = asked.width_mm * (right - left) or plane.size()[0] * (right - left) * millimetres
    told = [*_told(found, plane, seen), _size_told(width_mm, (high - low) / width)]
    facts = {
        "normal": [round(float(v), 6) for v in plane.up],
        "patch": [round(float(v), 5) for v in patch],
        "unit_mm": millimetres,
        "holes_share": round(float(seen.holes.mean()), 5),
        "overhang_share": round(seen.overhang, 5),
        "up_told": plane.told,
    }
    height = ((seen.height - low) / (high - low)).astype(np.float32)
    colour = seen.color if len(found.colours) else None
    depth = (high - low) / width
    return ScanMaps(colour, height, seen.normal, seen.holes, depth, width_mm, tuple(told), facts)


def _plane(found: Scan, asked: Asked) -> Plane:
    plane = find_plane(found.points, found.faces, turned_over=asked.turned_over)
    if not asked.three:
        return plane
    if len(asked.three) != 3:
        raise BadSetting("A plane goes through three places.", remedy="Choose three.", setting="three")
    seen = _projected(found, plane, _WHOLE, _small(plane, _PREVIEW))
    rows, columns = seen.height.shape
    places = []
    for x, y in asked.three:
        over = float(seen.height[min(int(y * rows), rows - 1), min(int(x * columns), columns - 1)]) * seen.unit
        across, along = plane.low + np.array([x, y]) * plane.size()
        places.append(plane.origin + across * plane.right + along * plane.down + over * plane.up)
    return through_points(plane, np.array(places), found.points)


def _projected(found: Scan, plane: Plane, patch: Patch, width: int) -> Projected:
    if len(found.faces):
        return project_mesh(found.points, found.faces, found.colours, found.texture, plane, patch, width)
    return project_cloud(found.points, found.colours, plane, patch, width)


def _own_width(found: Scan, plane: Plane) -> int:
    """px across all that is there that the scan is worth."""
    each = own_resolution(found.points, found.faces, found.colours, found.texture, plane)
    wide, high = plane.size()
    return int(np.clip(round(each * wide), LEAST, max(LEAST, int(MOST * min(1.0, wide / high)))))


def _small(plane: Plane, width: int) -> int:
    """px across a preview, whose longer side is _PREVIEW."""
    across, along = plane.size()
    return max(8, min(width, round(_PREVIEW * min(1.0, across / along))))


def _checked_width(width: int) -> int:
    if not LEAST <= width <= MOST:
        raise BadSetting(f"A scan is taken {LEAST} to {MOST} px wide.", remedy="Give another width.", setting="width")
    return width


def _checked(patch: Patch) -> Patch:
    left, top, right, bottom = patch
    if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1) or min(right - left, bottom - top) < 0.02:
        raise BadSetting(
            "The rectangle lies outside of the scan, or is too small.", remedy="Draw it again.", setting="patch"
        )
    return patch


def _suggested(holes: Pixels) -> Patch:
    """The largest rectangle that is there, small holes aside, a little inside its rim."""
    rows, columns = holes.shape
    size = 2 * max(1, round(_SMALL_HOLE * columns)) + 1
    # Beyond the picture nothing is there either.
    there = cv2.copyMakeBorder((holes == 0).astype(np.uint8), size, size, size, size, cv2.BORDER_CONSTANT, value=0)
    closed = cv2.morphologyEx(there, cv2.MORPH_CLOSE, np.ones((size, size), np.uint8))
    inner = closed[size : size + rows, size : size + columns] > 0
    if inner.all():
        return _WHOLE
    step = max(1, columns // 320)
    return largest_rectangle(inner[::step, ::step])


def _millimetres(found: Scan, asked: Asked) -> float:
    if asked.unit:
        return MILLIMETRES[asked.unit]
    return 1000 * found.metres


def _told(found: Scan, plane: Plane, seen: Projected) -> list[tuple[str, str]]:
    """Level and sentence of what a person should know."""
    told = []
    if not plane.told:
        told.append(("attention", "Nothing says which side is up: turn it over if bumps and dents are exchanged."))
    if seen.overhang > 0.001:
        told.append(
            (
                "attention",
                f"On {100 * seen.overhang:.1f} % something lies under something else; the upper one is taken.",
            )
        )
    share = float(seen.holes.mean())
    if share > 0.0005:
        told.append(("attention", f"{100 * share:.1f} % of the picture are holes; they are filled from their rims."))
    if plane.flatness > 0.5:
        told.append(("attention", "It is no nearly flat surface: what stands upright is lost."))
    if not len(found.faces):
        told.append(("pass", "Points without triangles: the normal follows from the height."))
    return told


def _size_told(width_mm: float, depth: float) -> tuple[str, str]:
    if not width_mm:
        return "attention", f"The file does not say its unit; the relief is {100 * depth:.1f} % of the width deep."
    return "pass", f"{width_mm:.4g} mm wide; the relief is {depth * width_mm:.3g} mm deep."


def _pictured(seen: Projected) -> bytes:
    shade = (seen.normal @ (_LIGHT / np.linalg.norm(_LIGHT))).clip(0, 1)[..., None] * 1.1 + 0.1
    codes = encode_srgb8(np.ascontiguousarray((seen.color * shade).clip(0, 1).astype(np.float32)))
    holes = seen.holes > 0
    codes[holes] = codes[holes] // 4
    return encoded(codes, "jpg", 85)


def _look_at_depth(found: Elevation, asked: Asked) -> Look:
    mended = _mended(found, asked)
    rows, columns = mended.height.shape
    factor = min(1.0, _PREVIEW / columns)
    small = cv2.resize(mended.height, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    low, high = np.percentile(small, (0.5, 99.5))
    shown = ((small - low) / max(float(high - low), 1e-12)).clip(0, 1)
    codes = np.repeat(np.rint(shown * 255).astype(np.uint8)[..., None], 3, -1)
    pixel = found.pixel or 0.0
    deep = float(np.subtract(*np.percentile(mended.height, (99.9, 0.1))))
    notes = (*found.notes, *(text for _, text in _depth_told(mended)))
    return Look(
        "depth", rows * columns, (columns * pixel, rows * pixel), min(columns, MOST), asked.patch or _WHOLE,
        "m" if pixel else "", deep, notes, encoded(codes, "jpg", 85),
    )  # fmt: skip


def _mended(found: Elevation, asked: Asked) -> Mended:
    values = -found.values if asked.turned_over else found.values
    missing = None if found.missing is None else (-found.missing if asked.turned_over else found.missing)
    return mend(values, missing=missing, pixel=found.pixel)


def _depth_told(mended: Mended) -> list[tuple[str, str]]:
    told = []
    if mended.outliers:
        told.append(("attention", f"{mended.outliers} values were far from all around them and were mended."))
    share = float(mended.holes.mean()) - mended.outliers / mended.holes.size
    if share > 1e-6:
        told.append(("attention", f"{100 * share:.2g} % had no value and were filled from what is around."))
    if mended.lean > 0.5:
        told.append(("pass", f"It leaned by {mended.lean:.1f}°; that was taken off."))
    return told


def _depth_maps(found: Elevation, asked: Asked) -> ScanMaps:
    mended = _mended(found, asked)
    rows, columns = mended.height.shape
    left, top, right, bottom = _checked(asked.patch or _WHOLE)
    part = np.s_[round(top * rows) : round(bottom * rows), round(left * columns) : round(right * columns)]
    height, holes = mended.height[part], mended.holes[part]
    width = _checked_width(asked.width or min(height.shape[1], MOST))
    px = height.shape[1]
    if width != px:
        size = (width, max(1, round(height.shape[0] * width / px)))
        how = cv2.INTER_AREA if width < px else cv2.INTER_CUBIC
        height, holes = (cv2.resize(np.ascontiguousarray(v), size, interpolation=how) for v in (height, holes))
    low, high = float(height.min()), float(height.max())
    if not high > low:
        raise UnreadableFile("This height is the same everywhere.", remedy="Give one that has relief.")
    # What its numbers are: what is asked for, else as GeoTIFF says, metres for height and for places.
    unit = MILLIMETRES[asked.unit] if asked.unit else 1000.0 if found.pixel else 0.0
    width_mm = asked.width_mm * (right - left) or found.pixel * 1000 * px
    depth = (high - low) * unit / width_mm if width_mm and unit else 0.0
    unit_height = ((height - low) / (high - low)).astype(np.float32)
    normal = from_height(unit_height, depth=depth * width, wraps=False) if depth else None
    told = _depth_told(mended)
    if depth:
        told.append(_size_told(width_mm, depth))
    else:
        told.append(("attention", "How deep it is nobody said: Steepness in Relief decides."))
    facts = {"patch": [left, top, right, bottom], "unit_mm": unit, "outliers": mended.outliers,
             "holes_share": round(float(mended.holes.mean()), 5), "lean_degrees": round(mended.lean, 3)}  # fmt: skip
    return ScanMaps(None, unit_height, normal, (holes > 0.5).astype(np.float32), depth, width_mm, tuple(told), facts)


def as_files(made: ScanMaps, stem: str) -> list[tuple[str, str, bytes]]:
    """(role, file name, bytes) of each map; the first brings the colour."""
    report_progress(0.92, "Writing the maps")
    grey = np.full((*made.height.shape, 3), 0.18, np.float32)
    colour = encode_srgb8(np.ascontiguousarray((grey if made.color is None else made.color).clip(0, 1), np.float32))
    files = [
        ("base_color", f"{stem}_color.png", png_bytes(colour, encoding="srgb")),
        ("height", f"{stem}_height.tif", tiff_bytes(made.height, encoding="linear")),
    ]
    if made.normal is not None:
        codes = np.rint((made.normal * 0.5 + 0.5).clip(0, 1) * 65535).astype(np.uint16)
        files.append(("normal", f"{stem}_normal.png", png_bytes(codes, encoding="linear")))
    if made.holes.any():
        holes = np.rint(made.holes * 255).astype(np.uint8)
        files.append(("", f"{stem}_holes.png", png_bytes(holes, encoding="linear")))
    return files


def infos_of(made: ScanMaps, name: str, scan: str) -> tuple[list[dict[str, Any]], dict[str, bytes], Recipe]:
    """(descriptions, bytes by checksum, recipe) of a scan as files. scan: checksum of the file it was."""
    infos, contents = [], {}
    changes: dict[str, Any] = dict(LEAVE_COLOUR)
    for role, file, data in as_files(made, Path(name).stem):
        blob = hashlib.sha256(data).hexdigest()
        info, _, _ = read_map(data, blob, file)
        infos.append({**info, "role": role, "why": f"it was projected from {name}"})
        contents[blob] = data
        if role not in ("", "base_color"):
            changes[f"gather.maps.{role}"] = file_key(blob)
    told = [{"level": level, "text": text} for level, text in made.told]
    infos[0]["scan"] = {"file": name, "sha256": scan, "told": told, **made.facts}
    rows, columns = made.height.shape
    changes |= start_size(columns, rows)
    if made.width_mm:
        changes["square.size.sample_mm"] = round(made.width_mm, 3)
        changes["gather.maps.height_mm"] = round(made.depth * made.width_mm, 4)
    return infos, contents, Recipe().with_changes(changes)


def keep(library: Library, made: ScanMaps, name: str, scan: str, title: str = "") -> Material:
    """A material of what was made of a scan. name: of its file. title: of the material; the file's name when empty."""
    infos, contents, recipe = infos_of(made, name, scan)
    for data in contents.values():
        library.blobs.put([data])
    return library.add_set(title or Path(name).stem.replace("_", " "), infos, [("Projected from a scan", recipe)])
