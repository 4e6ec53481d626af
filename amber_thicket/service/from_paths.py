"""A material from files on disk, without a library: for the command line and for Python."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from amber_thicket.core.align.sorting import Item, Sorting, light_set, small_copy, sort_files
from amber_thicket.core.gather.lights import MOST
from amber_thicket.core.gather.roles import PHOTOGRAPHS, families, named
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.lightset.find import LightSetReport, check_light_set
from amber_thicket.core.memory import Memory
from amber_thicket.core.recipe import Recipe
from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.picture import Picture, kind_of, read_picture
from amber_thicket.formats.scan import BESIDE
from amber_thicket.service.lights import light_set_found, with_frame
from amber_thicket.service.mapset import (
    LABELS,
    changes_for,
    first_changes,
    first_guess,
    mismatch_note,
    read_map,
    start_size,
    with_exposure,
)
from amber_thicket.service.scanning import Asked, infos_of, make, opened
from amber_thicket.service.settling import settled_recipe
from amber_thicket.service.sources import StoredSource, describe, file_key
from amber_thicket.service.walking import walk_found, with_step


@dataclass(frozen=True)
class LoadedMaterial:
    """name: of the surface, from its files. notes: what a person should know, in words."""

    evaluation: Evaluation
    name: str
    notes: tuple[str, ...]


def _files(sources: Sequence[Path]) -> list[Path]:
    """The files meant: one, several, or all pictures of a folder. Raises UnreadableFile."""
    files: list[Path] = []
    for source in sources:
        try:
            if source.is_dir():
                files += [f for f in sorted(source.iterdir()) if f.is_file() and is_picture(f)]
            else:
                files.append(source)
        except OSError as error:
            raise UnreadableFile(f"{source} cannot be opened ({error.strerror}).", remedy="Check the path.") from None
    if not files:
        raise UnreadableFile(f"{sources[0]} holds no picture.", remedy="Give a picture, or a folder with maps.")
    order = families([f.name for f in files])
    if len(order) > 1:
        found = "; ".join(", ".join(group) for group in order[:4])
        raise UnreadableFile(
            f"These files are of {len(order)} surfaces: {found}.", remedy="Give the maps of one surface at a time."
        )
    by_name = {f.name: f for f in files}
    return [by_name[name] for name in order[0]]


def load_material_from_paths(
    sources: Sequence[Path], recipe: Recipe | None, changes: dict[str, Any], memory: Memory
) -> LoadedMaterial:
    """Read the files, take each as what it is guessed to be, then set changes. Raises UnreadableFile, BadSetting."""
    files = _files(sources)
    contents: dict[str, bytes] = {}
    infos: list[dict[str, Any]] = []
    notes: list[str] = []
    own: dict[str, Any] = {}
    for number, path in enumerate(files):
        data = _bytes(path)
        blob = hashlib.sha256(data).hexdigest()
        contents[blob] = data
        if number == 0:
            picture = read_picture(data, path.name)
            infos.append(describe(picture, blob, len(data), path.name))
            own |= first_changes(infos[0], first_guess(path.name, picture), picture)
            continue
        info, guess, _ = read_map(data, blob, path.name)
        infos.append(info)
        given = changes_for(Recipe().with_changes(own), info, guess)
        taken = not given
        own |= {} if taken else given
        notes.append(
            f"{path.name}: {'not used, ' if taken or not given else ''}{LABELS.get(guess.role, '')} {guess.why}"
        )
        size = (infos[0]["width"], infos[0]["height"])
        different = None if guess.role in (*PHOTOGRAPHS, "part") else mismatch_note(info, size)
        notes += [f"{path.name}: {different}"] if different else []
    first = infos[0]
    fresh = recipe is None
    if recipe is None:
        recipe = Recipe().with_changes(start_size(first["width"], first["height"]))
    if own | changes:
        recipe = recipe.with_changes(own | changes)
    name = named(files[0].name).family if len(files) > 1 else files[0].stem
    evaluation = _evaluation(infos, contents, recipe, memory)
    more: list[str] = []
    if fresh:
        evaluation, more = _settled(evaluation, infos, changes)
    return LoadedMaterial(evaluation, name or files[0].stem, (*notes, *more))


def _settled(
    evaluation: Evaluation, infos: Sequence[dict[str, Any]], changes: dict[str, Any]
) -> tuple[Evaluation, list[str]]:
    """What follows from files that lie elsewhere, or are lit one by one, as when they are brought into the library:
    sides are laid, lamps are found. changes: what was asked for stays so."""
    told = []
    if evaluation.lights is not None and not any(path.startswith("gather.lights.") for path in changes):
        report = light_set_found(evaluation, {info["key"]: info["file"] for info in infos})
        evaluation = evaluation.with_changes(report.changes | changes)
        told += [text for _, text in report.told]
    for placed, _, _, said in settled_recipe(evaluation, infos, {info["key"] for info in infos}):
        evaluation = placed
        told.append(said)
    return evaluation, told


def load_light_set_from_paths(
    sources: Sequence[Path], changes: dict[str, Any], memory: Memory
) -> tuple[LoadedMaterial, LightSetReport]:
    """Photographs in the order of their lamps, with what they say about them set, then changes.

    Raises UnreadableFile, BadSetting.
    """
    infos, contents, items = [], {}, []
    for path, info, data, picture in _photographs(sources):
        contents[info["blob"]] = data
        infos.append(info)
        items.append(Item(path.name, small_copy(picture.pixels), (0, 0), first_guess(path.name, picture)))
    # The order is the one the files were given in; what is lit from all sides is no lamp.
    role_of = {row.at: row.role for row in light_set(items).rows}
    recipe = Recipe()
    for number, info in enumerate(infos):
        if role_of[number] == "all_lights":
            recipe = recipe.with_changes({"gather.lights.all_lights": info["key"]})
        elif role_of[number] == "light" and len(recipe.settings("gather.lights").frames) < MOST:
            recipe = recipe.with_changes(with_frame(recipe, info["key"]))
    recipe = recipe.with_changes(start_size(infos[0]["width"], infos[0]["height"]) | changes)
    names = {info["key"]: info["file"] for info in infos}
    if len(infos) > MOST:
        check_light_set([info["file"] for info in infos], [], [])
    report = light_set_found(_evaluation(infos, contents, recipe, memory), names)
    recipe = recipe.with_changes({**report.changes, **changes})
    name = named(sources[0].name)
    return LoadedMaterial(_evaluation(infos, contents, recipe, memory), name.family or sources[0].stem, ()), report


def load_walk_by_from_paths(
    sources: Sequence[Path], changes: dict[str, Any], memory: Memory
) -> tuple[LoadedMaterial, tuple[str, ...]]:
    """Handheld photographs of one surface, the first the one all lies on: (material, what was found).

    Raises UnreadableFile, BadSetting.
    """
    infos, contents = [], {}
    recipe = Recipe()
    for _, info, data, _ in _photographs(sources):
        contents[info["blob"]] = data
        infos.append(info)
        recipe = recipe.with_changes(with_step(recipe, info["key"]))
    recipe = recipe.with_changes(start_size(infos[0]["width"], infos[0]["height"]) | changes)
    found, told = walk_found(_evaluation(infos, contents, recipe, memory), {i["key"]: i["file"] for i in infos})
    recipe = recipe.with_changes(found | changes)
    name = named(sources[0].name).family or sources[0].stem
    return LoadedMaterial(_evaluation(infos, contents, recipe, memory), name, ()), tuple(text for _, text in told)


def load_merged_from_paths(
    sources: Sequence[Path], changes: dict[str, Any], memory: Memory, *, focus: bool = False
) -> LoadedMaterial:
    """One view several times, merged into one photograph: by exposure, or by where each is sharp.

    Raises UnreadableFile, BadSetting.
    """
    infos, contents = [], {}
    recipe = Recipe().with_changes({"gather.merge.by": "focus"} if focus else {})
    for _, info, data, _ in _photographs(sources):
        contents[info["blob"]] = data
        infos.append(info)
        recipe = recipe.with_changes(with_exposure(recipe, info))
    recipe = recipe.with_changes(start_size(infos[0]["width"], infos[0]["height"]) | changes)
    name = named(sources[0].name).family or sources[0].stem
    return LoadedMaterial(_evaluation(infos, contents, recipe, memory), name, ())


def sorted_paths(sources: Sequence[Path]) -> Sorting:
    """What several photographs or maps are together, as when they are dropped into the library. Raises
    UnreadableFile."""
    items = []
    for path in sources:
        picture = read_picture(_bytes(path), path.name)
        height, width = picture.pixels.shape[:2]
        small = small_copy(picture.pixels)
        items.append(
            Item(path.name, small, (width, height), first_guess(path.name, picture), picture.shot.get("stops"))
        )
    return sort_files(items)


def is_picture(file: Path) -> bool:
    """Whether a file begins as pictures do that can be read here. Raises OSError."""
    with file.open("rb") as stream:
        return kind_of(stream.read(4096)) is not None


def load_scan_from_path(
    path: Path, asked: Asked, changes: dict[str, Any], memory: Memory
) -> tuple[LoadedMaterial, dict[str, Any]]:
    """A scan or depth map with what lies beside it: (material, what was found). Raises UnreadableFile, TooLarge,
    BadSetting."""
    data = _bytes(path)
    beside = {}
    if path.suffix.lower() == ".obj":
        beside = {f.name: _bytes(f) for f in sorted(path.parent.iterdir()) if f.suffix.lower() in BESIDE}
    made = make(opened(data, path.name, beside), asked)
    infos, contents, recipe = infos_of(made, path.name, hashlib.sha256(data).hexdigest())
    evaluation = _evaluation(infos, contents, recipe.with_changes(changes), memory)
    told = [text for _, text in made.told]
    found = {
        "told": told,
        "width_mm": round(made.width_mm, 4),
        "depth_fraction_of_width": round(made.depth, 6),
        "depth_mm": round(made.depth * made.width_mm, 4),
        "size_px": [made.height.shape[1], made.height.shape[0]],
        **made.facts,
    }
    return LoadedMaterial(evaluation, path.stem, ()), found


def _photographs(sources: Sequence[Path]) -> Iterator[tuple[Path, dict[str, Any], bytes, Picture]]:
    """(path, description, bytes, picture) of each file. Raises UnreadableFile, also where one is there twice."""
    seen: set[str] = set()
    for path in sources:
        data = _bytes(path)
        picture = read_picture(data, path.name)
        blob = hashlib.sha256(data).hexdigest()
        if blob in seen:
            raise UnreadableFile(f"{path.name} is there twice.", remedy="Give every photograph once.")
        seen.add(blob)
        yield path, describe(picture, blob, len(data), path.name), data, picture


def _evaluation(
    infos: Sequence[dict[str, Any]], contents: dict[str, bytes], recipe: Recipe, memory: Memory
) -> Evaluation:
    stored = {
        file_key(info["blob"]): StoredSource(info, lambda blob=info["blob"]: contents[blob], memory)  # type: ignore[misc]
        for info in infos
    }
    return Evaluation(recipe, stored[infos[0]["key"]], memory, files=stored)


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{path} cannot be opened ({error.strerror}).", remedy="Check the path.") from None
