"""Routes of the library at work: its cards by what is looked for, tags and notes, settings carried, starts, bundles."""

from __future__ import annotations

import base64
import json
import tempfile
from typing import Any

from flask import Blueprint, Response, request, send_file
from pydantic import Field, model_validator

from amber_thicket.core.files.file_plan import stem_of
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.operation import STAGES
from amber_thicket.core.recipe import Recipe, from_json
from amber_thicket.core.recipe_schema import recipe_schema
from amber_thicket.service import answers, bundle, starts
from amber_thicket.service.carry import Carried, carriable, carry, whole_recipe
from amber_thicket.service.preview import thumbnail
from amber_thicket.service.sources import files_of
from amber_thicket.store import cards
from amber_thicket.store.models import Material
from amber_thicket.web.endpoint import JSON, Body, Query, endpoint
from amber_thicket.web.materials import announced, material_summary, parts_of_request
from amber_thicket.web.services import services

blueprint = Blueprint("library", __name__)
MOST_AT_ONCE, MOST_CHOSEN = 240, 20_000


class LookedFor(Query):
    """words: all of them are in name, tags, notes or file names. tags: with commas between them. smallest_mm,
    largest_mm: width of a tile."""

    words: str = Field("", max_length=200)
    state: str = Field("", max_length=20)
    kind: str = Field("", max_length=20)
    tags: str = Field("", max_length=2000)
    collection: str = Field("", max_length=cards.LONGEST_LABEL)
    archived: bool = False
    smallest_mm: float = Field(0.0, ge=0)
    largest_mm: float = Field(0.0, ge=0)
    order: cards.Order = "newest"

    @property
    def query(self) -> cards.LibraryQuery:
        tags = tuple(tag for tag in self.tags.split(",") if tag)
        return cards.LibraryQuery(
            self.words, self.state, self.kind, tags, self.collection, self.archived, self.smallest_mm, self.largest_mm
        )


class PartOfLibrary(LookedFor):
    """first: of how many cards at most."""

    first: int = Field(0, ge=0, le=10_000_000)
    most: int = Field(120, ge=1, le=MOST_AT_ONCE)


class Aside(Query):
    archived: bool = False


class Chosen(Body):
    materials: list[str] = Field(min_length=1, max_length=MOST_CHOSEN)


class ChosenArchived(Chosen):
    """Put aside, or brought back."""

    archived: bool


class LabelsChanged(Chosen):
    """Tags given and taken away, or collections gone into and left."""

    kind: cards.LabelKind
    add: list[str] = Field(default_factory=list, max_length=cards.MOST_LABELS)
    drop: list[str] = Field(default_factory=list, max_length=cards.MOST_LABELS)


class NotesWritten(Body):
    notes: str = Field(max_length=cards.LONGEST_NOTES)


class SettingsToCarry(Body):
    """Where settings come from, a material or a start, and which: single ones, or whole stages, which also brings back
    to as it comes what is so there."""

    material: str = Field("", max_length=40)
    start: int = 0
    paths: list[str] = Field(default_factory=list, max_length=600)
    stages: list[answers.StageId] = Field(default_factory=list, max_length=len(STAGES))

    @model_validator(mode="after")
    def _comes_from_one(self) -> SettingsToCarry:
        if bool(self.material) == bool(self.start):
            raise ValueError("settings come from a material or from a start")
        return self


class StartToKeep(Body):
    """A material's settings, under a name."""

    material: str = Field(max_length=40)
    name: str = Field(max_length=120)
    note: str = Field("", max_length=2000)


class RecipeToTake(Body):
    """A recipe as its file holds it, or the manifest of a pack."""

    revision: int
    recipe: dict[str, Any]


@endpoint(blueprint, "GET", "/api/library", answer=answers.Cards, query=PartOfLibrary)
def part(query: PartOfLibrary) -> Any:
    """Cards of what is looked for, a part at a time."""
    database = services().library.database
    found = cards.find(database, query.query, query.order, query.first, query.most)
    return {"total": cards.count(database, query.query), "first": query.first, "cards": [_card(row) for row in found]}


def _card(row: dict[str, Any]) -> dict[str, Any]:
    source = json.loads(row["source"])
    return {**row, "source": {key: source[key] for key in ("width", "height", "format", "bits")}}


@endpoint(blueprint, "GET", "/api/library/ids", answer=answers.CardIds, query=LookedFor)
def all_ids(query: LookedFor) -> Any:
    """Which materials are meant, to choose all of them."""
    return {"ids": cards.ids(services().library.database, query.query, query.order)}


@endpoint(blueprint, "GET", "/api/library/facets", answer=answers.LibraryFacets, query=Aside)
def facets(query: Aside) -> Any:
    return cards.facets(services().library.database, query.archived)


def _changed_library(id: str = "") -> None:
    services().events.announce("library", {"id": id})


@endpoint(blueprint, "POST", "/api/library/labels", answer=answers.Nothing, body=LabelsChanged)
def labelled(body: LabelsChanged) -> Any:
    library = services().library
    with library.database.atomic("immediate"):
        there = [id for id in dict.fromkeys(body.materials) if Material.get_or_none(Material.id == id)]
        cards.change_labels(there, body.kind, body.add, body.drop)
    _changed_library()
    return {}


@endpoint(blueprint, "POST", "/api/library/archive", answer=answers.HowMany, body=ChosenArchived)
def archived_together(body: ChosenArchived) -> Any:
    count = services().library.archive_many(body.materials, body.archived)
    _changed_library()
    return {"count": count}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/card", answer=answers.CardNotes)
def card_notes(material_id: str) -> Any:
    return _notes_of(services().library.get(material_id))


def _notes_of(material: Material) -> dict[str, Any]:
    return {
        "notes": cards.Card.get(cards.Card.material == material.id).notes,
        "tags": cards.labels_of(material.id, "tag"),
        "collections": cards.labels_of(material.id, "collection"),
        "files": [info["file"] for info in files_of(material.source)],
    }


@endpoint(blueprint, "PATCH", "/api/materials/<material_id>/card", answer=answers.CardNotes, body=NotesWritten)
def noted(material_id: str, body: NotesWritten) -> Any:
    material = services().library.get(material_id)
    cards.note(material.id, body.notes)
    _changed_library(material_id)
    return _notes_of(material)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/duplicate", answer=answers.Brief)
def duplicated(material_id: str) -> Any:
    library = services().library
    material = bundle.duplicate(library, library.get(material_id))
    _changed_library(str(material.id))
    return material_summary(material)


# Settings carried, and starts.
def _recipe_from(asked: SettingsToCarry) -> tuple[Recipe, str]:
    """The recipe settings come from, and what that is called. Raises NotFound."""
    library = services().library
    if asked.start:
        start = starts.get(asked.start)
        return starts.recipe_of(start), str(start.name)
    material = library.get(asked.material)
    return library.recipe(material), str(material.name)


def _carried(material: Material, asked: SettingsToCarry) -> tuple[Carried, Evaluation, str]:
    recipe, name = _recipe_from(asked)
    target = services().library.evaluation(material)
    return carry(recipe, target, asked.paths, asked.stages, own=str(material.id)), target, name


def _left_out(found: Carried) -> list[dict[str, Any]]:
    return [row._asdict() for row in found.left_out]


@endpoint(blueprint, "GET", "/api/materials/<material_id>/carriable", answer=list[answers.CarriableSetting])
def carriable_of_material(material_id: str) -> Any:
    """Settings of a material that are not as they come, to choose from."""
    library = services().library
    return [row._asdict() for row in carriable(library.recipe(library.get(material_id)))]


@endpoint(blueprint, "GET", "/api/starts/<int:start_id>/carriable", answer=list[answers.CarriableSetting])
def carriable_of_start(start_id: int) -> Any:
    return [row._asdict() for row in carriable(starts.recipe_of(starts.get(start_id)))]


@endpoint(blueprint, "POST", "/api/materials/<material_id>/carry/look", answer=answers.CarryLook, body=SettingsToCarry)
def carry_look(material_id: str, body: SettingsToCarry) -> Any:
    """What carrying settings here would change, and how it would look; nothing is changed."""
    found, before, _ = _carried(services().library.get(material_id), body)
    after = before.with_changes(found.changes)
    small = [f"data:image/jpeg;base64,{base64.b64encode(thumbnail(one)).decode()}" for one in (before, after)]
    return {"changed": list(found.changes), "left_out": _left_out(found), "before": small[0], "after": small[1]}


@endpoint(blueprint, "POST", "/api/materials/<material_id>/carry", answer=answers.CarriedTo, body=SettingsToCarry)
def carried_here(material_id: str, body: SettingsToCarry) -> Any:
    """Settings carried to a material, in one step that undo takes back."""
    library = services().library
    material = library.get(material_id)
    found, _, name = _carried(material, body)
    if found.changes:
        label = f"{'Begun with' if body.start else 'Settings of'} {name}"[:120]
        material = library.edit(material_id, material.revision, found.changes, label=label, gesture="")
        announced(material)
    return {
        "id": material.id, "changed": list(found.changes), "left_out": _left_out(found), "revision": material.revision,
    }  # fmt: skip


@endpoint(blueprint, "GET", "/api/starts", answer=list[answers.KeptStart])
def kept_starts() -> Any:
    """All starts, by name."""
    return [starts.told(start) for start in starts.listed()]


@endpoint(blueprint, "POST", "/api/starts", answer=answers.KeptStart, body=StartToKeep)
def kept_as_start(body: StartToKeep) -> Any:
    """Keeps a material's settings as a start; one of the same name is replaced."""
    library = services().library
    return starts.told(starts.keep(library.recipe(library.get(body.material)), body.name, body.note))


@endpoint(blueprint, "DELETE", "/api/starts/<int:start_id>", answer=answers.Nothing)
def start_forgotten(start_id: int) -> Any:
    starts.forget(start_id)
    return {}


# Recipe and bundle, in and out.
@endpoint(blueprint, "GET", "/api/recipe.schema.json", answer=dict[str, Any])
def schema_of_recipes() -> Any:
    """JSON Schema of recipes."""
    return Response(json.dumps(recipe_schema(), indent=1), mimetype=JSON)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/recipe.json", answer=dict[str, Any])
def recipe_file(material_id: str) -> Any:
    """The recipe as a file."""
    library = services().library
    material = library.get(material_id)
    recipe = library.recipe(material)
    text = json.dumps(recipe.as_json(), indent=1, ensure_ascii=False) + "\n"
    name = f"{stem_of(recipe, material.name)}_recipe.json"
    return Response(text, mimetype=JSON, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@endpoint(blueprint, "PUT", "/api/materials/<material_id>/recipe", answer=answers.Material, body=RecipeToTake)
def recipe_taken(material_id: str, body: RecipeToTake) -> Any:
    """A whole recipe, in one step that undo takes back; which files are which map stays as it is here."""
    library = services().library
    wanted, now = from_json(body.recipe), library.recipe(library.get(material_id))
    changes = whole_recipe(wanted, now, {info["key"] for info in files_of(library.get(material_id).source)})
    if not changes:
        return announced(library.get(material_id))
    return announced(library.edit(material_id, body.revision, changes, label="Recipe from a file", gesture=""))


@endpoint(blueprint, "GET", "/api/materials/<material_id>/bundle.zip", media=("application/zip",))
def bundled(material_id: str) -> Any:
    """Everything about a material in one file, for another data folder."""
    library = services().library
    material = library.get(material_id)
    file = tempfile.TemporaryFile(dir=services().config.folder)  # noqa: SIM115  Closed when it was sent.
    bundle.write_bundle(library, material, file)
    file.seek(0)
    name = f"{stem_of(library.recipe(material), material.name)}_bundle.zip"
    return send_file(file, mimetype="application/zip", as_attachment=True, download_name=name)


@endpoint(blueprint, "POST", "/api/bundles", answer=answers.Brief, upload=True)
def bundle_taken() -> Any:
    """A bundle as the request's body becomes a material."""
    material = bundle.take_bundle(services().library, parts_of_request(), expected=request.content_length or 0)
    _changed_library(str(material.id))
    return material_summary(material)
