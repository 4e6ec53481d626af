"""A material as one file that another data folder takes in: sources, recipe, history, snapshots, notes.

A bundle is a plain zip (docs/guide/library.md). bundle.json says what is in it, with the SHA-256 of every source, which
is looked at before anything is kept; facts about pictures are measured anew from the pictures themselves.
"""

from __future__ import annotations

import json
import time
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from amber_thicket import __version__
from amber_thicket.core.gather.roles import Guess
from amber_thicket.core.recipe import from_json
from amber_thicket.errors import BadRecipe, UnreadableFile
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.formats.picture import read_picture
from amber_thicket.service.answers import Origin, ScanOrigin
from amber_thicket.service.library import Library
from amber_thicket.service.mapset import read_map
from amber_thicket.service.preview import first_thumbnail
from amber_thicket.service.sources import describe, files_of
from amber_thicket.store import cards
from amber_thicket.store.models import Material, Snapshot, Step

VERSION = 1
_MANIFEST, _RECIPE, _SOURCES = "bundle.json", "recipe.json", "sources"
_MOST_FILES, _MOST_STEPS, _MOST_JSON, _PART = 128, 20_000, 64_000_000, 1 << 18


class _Part(BaseModel):
    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class SourceFile(_Part):
    """A file of the surface. path: in the zip. role, why: what it is, and how that was told."""

    path: str = Field(max_length=400)
    file: str = Field(max_length=400)
    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    bytes: int = Field(ge=1)
    role: str = Field("", max_length=40)
    why: str = Field("", max_length=400)
    origin: Origin | None = None
    scan: ScanOrigin | None = None


class HistoryState(_Part):
    """One state of the history. recipe: as recipe files hold it."""

    label: str = Field("", max_length=200)
    created: float = 0.0
    recipe: dict[str, Any]


class Named(_Part):
    """A snapshot. state: its number in the history, from 0."""

    name: str = Field(max_length=120)
    state: int = Field(ge=0)


class Bundle(_Part):
    """What bundle.json holds."""

    format: Literal["amber-thicket bundle"] = "amber-thicket bundle"
    version: int = Field(default=VERSION, ge=1)
    program: str = ""
    created: str = ""
    name: str = Field(max_length=400)
    notes: str = Field("", max_length=cards.LONGEST_NOTES)
    tags: list[str] = Field(default_factory=list, max_length=cards.MOST_LABELS)
    collections: list[str] = Field(default_factory=list, max_length=cards.MOST_LABELS)
    sources: list[SourceFile] = Field(min_length=1, max_length=_MOST_FILES)
    history: list[HistoryState] = Field(min_length=1, max_length=_MOST_STEPS)
    snapshots: list[Named] = Field(default_factory=list, max_length=200)
    laid_over: list[str] = Field(default_factory=list, max_length=200)


def _chain(material: Material) -> list[Step]:
    """The states that lead to the present one, oldest first."""
    steps: list[Step] = []
    step: Step | None = Step.get_by_id(material.head)
    while step is not None:
        steps.append(step)
        step = Step.get_or_none(Step.id == step.parent) if step.parent else None
    return steps[::-1]


def told_bundle(library: Library, material: Material) -> Bundle:
    """What a bundle of the material says."""
    chain = _chain(material)
    number_of = {step.id: number for number, step in enumerate(chain)}
    snapshots = Snapshot.select().where(Snapshot.material == material.id).order_by(Snapshot.id)
    card = cards.Card.get(cards.Card.material == material.id)
    others = Material.select(Material.name).where(Material.id.in_(list(library.laid_over(material))))
    return Bundle(
        program=__version__,
        created=time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
        name=material.name,
        notes=card.notes,
        tags=cards.labels_of(material.id, "tag"),
        collections=cards.labels_of(material.id, "collection"),
        sources=[
            SourceFile(
                path=f"{_SOURCES}/{info['blob'][:16]}{Path(info['file']).suffix.lower()}", sha256=info["blob"],
                **{name: info[name] for name in ("file", "bytes", "role", "why", "origin", "scan") if info.get(name)},
            )
            for info in files_of(material.source)
        ],
        history=[HistoryState(label=step.label, created=step.created, recipe=step.recipe) for step in chain],
        # A state that was undone is no part of it.
        snapshots=[Named(name=row.name, state=number_of[row.step]) for row in snapshots if row.step in number_of],
        laid_over=[row.name for row in others],
    )  # fmt: skip


def write_bundle(library: Library, material: Material, into: IO[bytes]) -> None:
    """The material as a bundle. Raises what reading its files does."""
    told = told_bundle(library, material)
    with zipfile.ZipFile(into, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        archive.writestr(_MANIFEST, told.model_dump_json(indent=1, exclude_none=True), zipfile.ZIP_DEFLATED)
        archive.writestr(_RECIPE, json.dumps(told.history[-1].recipe, indent=1), zipfile.ZIP_DEFLATED)
        for source in told.sources:
            with library.blobs.open(source.sha256) as file, archive.open(source.path, "w", force_zip64=True) as out:
                while part := file.read(_PART):
                    out.write(part)


def take_bundle(library: Library, parts: Iterable[bytes], expected: int = 0) -> Material:
    """A new material of a bundle. Nothing is kept where anything in it is not what it says.

    Raises UnreadableFile, BadRecipe, TooLarge, WriteFailed.
    """
    with library.blobs.receive(parts, expected=expected) as incoming:
        try:
            with zipfile.ZipFile(incoming.path) as archive:
                return _taken(library, archive)
        except (zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, NotImplementedError, RuntimeError) as error:
            raise _damaged(f"it is no sound zip ({error})") from None


def _damaged(why: str) -> UnreadableFile:
    return UnreadableFile(f"The bundle cannot be taken in: {why}.", remedy="Write it again where it came from.")


def _read_manifest(archive: zipfile.ZipFile) -> Bundle:
    try:
        about = archive.getinfo(_MANIFEST)
    except KeyError:
        raise _damaged(f"there is no {_MANIFEST} in it") from None
    if about.file_size > _MOST_JSON:
        raise _damaged(f"{_MANIFEST} is too large")
    try:
        data = json.loads(archive.read(about))
        if isinstance(data, dict) and isinstance(data.get("version"), int) and data["version"] > VERSION:
            raise UnreadableFile("The bundle was written by a newer release.", remedy="Take it in with that release.")
        return Bundle.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise _damaged(f"{_MANIFEST} is not right at {where}: {first['msg']}") from None
    except (ValueError, RecursionError):
        raise _damaged(f"{_MANIFEST} is no JSON") from None


def _bytes_of(archive: zipfile.ZipFile, source: SourceFile) -> Iterator[bytes]:
    try:
        opened = archive.open(source.path)
    except KeyError:
        raise _damaged(f"{source.path} is missing") from None
    with opened as file:
        while part := file.read(_PART):
            yield part


def _taken(library: Library, archive: zipfile.ZipFile) -> Material:
    told = _read_manifest(archive)
    recipes = []
    for state in told.history:
        try:
            recipes.append((state.label, from_json(state.recipe)))
        except BadRecipe as error:
            raise _damaged(f"a state of its history is not right: {error.message}") from None
    if any(named.state >= len(recipes) for named in told.snapshots):
        raise _damaged("a snapshot is of a state that is not there")
    infos: list[dict[str, Any]] = []
    thumbnail = b""
    for source in told.sources:
        with library.blobs.receive(_bytes_of(archive, source), limit=MAX_BYTES) as incoming:
            if incoming.name != source.sha256:
                raise _damaged(f"{source.file} is not what it was when the bundle was written")
            data = incoming.read()
            guess = Guess(source.role, source.why)
            if not infos:
                picture = read_picture(data, source.file)
                info = describe(picture, incoming.name, incoming.length, source.file)
                thumbnail = first_thumbnail(picture.pixels)
            else:
                info, _, _ = read_map(data, incoming.name, source.file)
            extra = source.model_dump(mode="json", include={"origin", "scan"}, exclude_none=True)
            infos.append(info | {"role": guess.role, "why": guess.why} | extra)
            library.blobs.keep(incoming)
    return _added(library, told, infos, recipes, thumbnail)


def _added(library: Library, told: Bundle, infos: list[dict[str, Any]], recipes: Any, thumbnail: bytes) -> Material:
    with library.database.atomic():
        material = library.add_set(told.name, infos, recipes)
        library.keep_thumbnail(material, thumbnail)
        steps = list(Step.select().where(Step.material == material.id).order_by(Step.id))
        for named in told.snapshots:
            Snapshot.create(material=material, name=named.name, step=steps[named.state].id)
        cards.note(material.id, told.notes)
        cards.change_labels([material.id], "tag", told.tags, ())
        cards.change_labels([material.id], "collection", told.collections, ())
    return library.get(material.id)


def duplicate(library: Library, material: Material) -> Material:
    """The same once more, with its history, snapshots, tags and notes; files are shared, and stay as long as one of
    both is there."""
    told = told_bundle(library, material)
    recipes = [(state.label, from_json(state.recipe)) for state in told.history]
    again = told.model_copy(update={"name": f"{material.name} copy"})
    thumbnail = library.blobs.get(material.thumbnail) if material.thumbnail else b""
    own = ("more", "card")
    infos = [{name: value for name, value in info.items() if name not in own} for info in files_of(material.source)]
    return _added(library, again, infos, recipes, thumbnail)
