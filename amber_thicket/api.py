"""The front door for Python: photographs and maps on disk become checked map sets, without a library or a page.

>>> import amber_thicket as at
>>> material = at.open_photo("gravel.png", {"square.size.width": 256, "square.size.height": 256})
>>> material.name, sorted(material.maps)[:2]
('gravel', ['ambient_occlusion', 'base_color'])
>>> material.map("height").shape
(256, 256)
>>> better = material.with_settings({"relief.height.invert": True})
>>> manifest = at.bake(better, "maps")
>>> manifest["size_px"]
[256, 256]
>>> sorted(file["role"] for file in at.audit("maps")["sets"][0]["files"])[:3]
['ambient_occlusion', 'base_color', 'height']

Everything raises amber_thicket.errors.ThicketError, which says what happened, to what, and what to do. The command line
stands on this module.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

from amber_thicket.audit_rules import AuditPolicy, judge, own_rules
from amber_thicket.blocks import most_in_memory
from amber_thicket.core.graph import Evaluation, output_size
from amber_thicket.core.memory import Memory
from amber_thicket.core.pack.profiles import profile_named
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import from_json
from amber_thicket.core.registry import catalogue
from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.formats.picture import read_picture
from amber_thicket.service import audit as audits
from amber_thicket.service.bake import RESULTS_BYTES, check, pack
from amber_thicket.service.from_paths import (
    LoadedMaterial,
    load_light_set_from_paths,
    load_material_from_paths,
    load_merged_from_paths,
    load_scan_from_path,
    load_walk_by_from_paths,
)
from amber_thicket.service.scanning import Asked, Unit
from amber_thicket.service.suggested import suggestions
from amber_thicket.store.spill import SpillFiles

# Where layers of maps that are too large for the memory lie meanwhile, unless TMPDIR says where: many systems keep /tmp
# in memory, but not this one (Filesystem Hierarchy Standard 3.0, 5.15).
_LARGE_TEMPORARY = "/var/tmp"
Settings = Mapping[str, Any]
PathLike = str | os.PathLike[str]
Progress = Callable[[float, str], None]

__all__ = [
    "Material",
    "audit",
    "bake",
    "light_set",
    "merged",
    "open_maps",
    "open_photo",
    "read_file",
    "repair",
    "scan",
    "settings",
    "walk_by",
]


@dataclass(frozen=True)
class Material:
    """One surface with its recipe. Immutable; with_settings() makes another.

    name: from its files. notes: what a person should know, in words. found: what was found of a light set, else empty.
    """

    name: str
    evaluation: Evaluation
    notes: tuple[str, ...] = ()
    found: Mapping[str, Any] = field(default_factory=dict)

    @property
    def recipe(self) -> dict[str, Any]:
        """The recipe as plain data, for a file."""
        return self.evaluation.recipe.as_json()

    @property
    def maps(self) -> tuple[str, ...]:
        """The maps it has."""
        return self.evaluation.maps()

    def with_settings(self, changes: Settings) -> Material:
        """The same with settings changed, as {"relief.height.invert": True}; None resets one. Raises BadSetting."""
        old = self.evaluation
        made = Evaluation(old.recipe.with_changes(dict(changes)), old.first, old.memory, files=old.files)
        return replace(self, evaluation=made)

    def map(self, name: str, size: tuple[int, int] | None = None) -> Pixels:
        """One map as (H, W) or (H, W, 3) float32: linear light, unit vectors (Y up), or numbers in [0, 1].

        size: width and height in px; as it is baked when left out. Raises NotFound.
        """
        if name not in self.maps:
            raise NotFound(f"There is no map “{name}”.", remedy=f"There are {', '.join(self.maps)}.")
        pixels = self.evaluation.layer(name, size or output_size(self.evaluation.recipe)).pixels
        return pixels[..., 0] if pixels.ndim == 3 and pixels.shape[-1] == 1 else pixels

    def suggested(self, which: Literal["sure", "all", "none"] = "sure", asked: Settings | None = None) -> Material:
        """The same with what the program suggests taken: corners of something square, the method of tiling. which:
        "sure" takes what it is sure of, "all" the rest too. asked: settings of yours it must not touch. What was taken
        stands in the notes."""
        taken = suggestions(self.evaluation, which, dict(asked or {}))
        made = self.with_settings(taken.changes) if taken.changes else self
        return replace(made, notes=(*self.notes, *taken.told))

    def checks(self) -> list[dict[str, Any]]:
        """What the rules find, at preview size; each with rule, level, measured, limit, why."""
        return check(self.evaluation, self.name)


def _memory() -> Memory:
    folder = Path(os.environ.get("TMPDIR", _LARGE_TEMPORARY))
    return Memory(RESULTS_BYTES, spill=SpillFiles(folder), most_in_memory=most_in_memory())


def _material(loaded: LoadedMaterial, found: Mapping[str, Any] | None = None) -> Material:
    aside = loaded.evaluation.recipe.aside.note
    return Material(loaded.name, loaded.evaluation, (*loaded.notes, *([aside] if aside else ())), found or {})


def open_photo(path: PathLike, settings: Settings | None = None, *, recipe: Any = None) -> Material:
    """A photograph as a material. settings: changed from their defaults. recipe: of an earlier bake, as text or plain
    data. Raises UnreadableFile, TooLarge, BadSetting, BadRecipe."""
    return open_maps([path], settings, recipe=recipe)


def open_maps(paths: Iterable[PathLike], settings: Settings | None = None, *, recipe: Any = None) -> Material:
    """All maps of one surface, or the folder they are in, as a material; notes tell what each was taken for. Raises as
    open_photo()."""
    known = from_json(recipe) if recipe is not None else None
    files = [Path(path) for path in paths]
    return _material(load_material_from_paths(files, known, dict(settings or {}), _memory()))


def light_set(
    paths: Iterable[PathLike],
    settings: Settings | None = None,
    *,
    first_bearing: float | None = None,
    direction: str | None = None,
    elevation: float | None = None,
) -> Material:
    """Photographs under a ring of lamps, in the order of their lamps, as a material.

    first_bearing: of the first lamp in degrees, 0 right and 90 up; direction: "cw" or "ccw"; elevation: of the lamps in
    degrees. What is left out is found; found says what, and how sure it is. Raises UnreadableFile, BadSetting.
    """
    given = {"first": first_bearing, "direction": direction, "elevation": elevation}
    asked = dict(settings or {}) | {f"gather.lights.{name}": v for name, v in given.items() if v is not None}
    loaded, report = load_light_set_from_paths([Path(path) for path in paths], asked, _memory())
    lamps = loaded.evaluation.recipe.settings("gather.lights")
    found = {
        "first_bearing": lamps.first,
        "direction": lamps.direction,
        "elevation": lamps.elevation,
        "missing_after": lamps.gap,
        "certain": report.certain,
        "confidence": round(report.confidence, 3),
        "told": [text for _, text in report.told],
    }
    return _material(loaded, found)


def walk_by(paths: Iterable[PathLike], settings: Settings | None = None, *, width_mm: float | None = None) -> Material:
    """2 to 12 handheld photographs of one surface from slightly different places, as a material; all lies on the first.

    width_mm: how wide the sample is in reality. found says where the camera was held, how the surface lies, how deep
    the relief is, and on how much of the picture it is sure. Raises UnreadableFile, BadSetting.
    """
    asked = dict(settings or {}) | ({"square.size.sample_mm": width_mm} if width_mm else {})
    loaded, told = load_walk_by_from_paths([Path(path) for path in paths], asked, _memory())
    walked = loaded.evaluation.inputs.walked
    assert walked is not None
    taken = walked.settings
    found = {
        "normal": list(taken.normal),
        "focal_length_in_widths": taken.focal,
        "poses": [{"turn": list(frame.turn), "place": list(frame.place)} for frame in taken.frames],
        "depth_fraction_of_width": round(walked.depth(), 6),
        "sure_share": round(walked.told().parallax.share(), 4),
        "told": list(told),
    }
    return _material(loaded, found)


def merged(paths: Iterable[PathLike], settings: Settings | None = None, *, focus: bool = False) -> Material:
    """One view several times as one material: merged by exposure, or by where each is sharp (focus). Raises
    UnreadableFile, BadSetting."""
    files = [Path(path) for path in paths]
    return _material(load_merged_from_paths(files, dict(settings or {}), _memory(), focus=focus))


def scan(
    path: PathLike,
    settings: Settings | None = None,
    *,
    unit: Unit = "",
    turned_over: bool = False,
    patch: tuple[float, float, float, float] | None = None,
    plane_through: Iterable[tuple[float, float]] = (),
    width_px: int | None = None,
    width_mm: float = 0.0,
) -> Material:
    """A scanned mesh, a point cloud, a depth map or elevation data as a material, projected straight onto its plane.

    unit: of its numbers, "mm", "cm" or "m"; "" for what the file says. turned_over: seen from the other side; of a
    depth map: bright is far. patch: left, top, right, bottom as shares of what is there; the largest rectangle without
    holes when left out. plane_through: three places (x, y as shares) that lie in the plane, where it is not the one
    most of it lies along. width_px: of the maps; as many as the scan is worth when left out. width_mm: of the whole,
    where no unit says. found tells plane, patch, holes and overhangs. Raises UnreadableFile, TooLarge, BadSetting.
    """
    asked = Asked(unit, turned_over, patch, tuple(plane_through), width_px, width_mm)
    loaded, found = load_scan_from_path(Path(path), asked, dict(settings or {}), _memory())
    return _material(loaded, found)


def bake(
    material: Material,
    folder: PathLike,
    *,
    name: str | None = None,
    report: Progress = lambda share, what: None,
    on_file: Callable[[Path], None] = lambda path: None,
) -> dict[str, Any]:
    """Write all files of a material into a folder, each read back and compared: the manifest, with what the rules found
    at full size. name: start of the file names. on_file: is told of each as it is written. Raises WriteFailed, OSError.
    """
    target = Path(folder)
    target.mkdir(parents=True, exist_ok=True)
    manifest: dict[str, Any] = {}
    for written in pack(material.evaluation, name or material.name, report):
        (target / written.name).write_bytes(written.data)
        on_file(target / written.name)
        if written.name.endswith("_manifest.json"):
            manifest = json.loads(written.data)
        # Large ones are not held while the next is made.
        del written
    return manifest


@dataclass(frozen=True)
class _Audited:
    sets: list[audits.Set]
    contents: dict[str, bytes]
    report: dict[str, Any]


def _audited(paths: Iterable[PathLike], profile: str) -> _Audited:
    contents: dict[str, bytes] = {}
    files, refused = [], []
    lies: dict[str, str] = {}
    for path in paths:
        for name, data in audits.from_path(Path(path)):
            where = Path(path) / name if Path(path).is_dir() else Path(path)
            for inside, content in audits.unpacked(name, data):
                if isinstance(content, ThicketError):
                    refused.append({"file": inside, "why": content.message})
                    continue
                given = audits.given_of(inside, content)
                contents[given.blob] = content
                lies[given.blob] = str(where) if inside == name else f"{where}/{inside}"
                files.append(given)
    sets, unread = audits.audited(files, contents.__getitem__, profile_named(profile))
    if not sets:
        raise ThicketError("No picture was found to audit.", remedy="Give map files, a folder or a zip.")
    report = audits.as_json(sets, refused + unread)
    for one in report["sets"]:
        for file in one["files"]:
            file["path"] = lies.get(file["blob"], file["file"])
    return _Audited(sets, contents, report)


def audit(
    *paths: PathLike, profile: str = "separate_y_plus", policy: AuditPolicy | None = None, own: bool = True
) -> dict[str, Any]:
    """What maps made elsewhere are, and what is wrong with them: files, a folder, or a zip. profile: what the receiver
    wants. policy: of the asset repository (audit_rules.py); own: rules of installed packages are asked as well. "level"
    is the worst of all. Raises ThicketError, UnreadableFile."""
    policy = policy or AuditPolicy()
    found = _audited(paths, policy.profile or profile)
    judge(found.report, policy, found.contents, own_rules() if own else {})
    return found.report


def read_file(data: bytes, name: str = "file") -> Pixels:
    """A picture's bytes as stored numbers in [0, 1], (H, W, 3) float32. Raises UnreadableFile, TooLarge."""
    return read_picture(data, name, as_stored=True).pixels


def repair(*paths: PathLike, into: PathLike, profile: str = "separate_y_plus") -> dict[str, Any]:
    """As audit(), and writes what was found, put right, into a folder."""
    found = _audited(paths, profile)
    for one in found.sets:
        recipe = audits.recipe_of(one, repaired=True, profile=profile)
        made = audits.evaluation_for(one, found.contents.__getitem__, recipe, _memory())
        bake(Material(one.name, made), into)
    return found.report


def settings() -> list[dict[str, Any]]:
    """Every operation with its settings: label, help, unit, range, default."""
    return catalogue()
