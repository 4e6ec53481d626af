"""Routes of the library and of editing."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from concurrent.futures import Future
from dataclasses import asdict
from typing import Annotated, Any

from flask import Blueprint, Response, request
from pydantic import Field, field_validator

from amber_thicket.core.gather.roles import PHOTOGRAPHS, families
from amber_thicket.core.graph import PLAN_SIDE, Evaluation, output_size
from amber_thicket.core.operation import STAGES
from amber_thicket.core.strokes import Coordinate
from amber_thicket.core.tile.repair import LARGEST, MOST_SPOTS, SMALLEST
from amber_thicket.errors import UnreadableFile
from amber_thicket.service import answers, gather, mapset, pictured, preview, snapshots, square, starts, tiling
from amber_thicket.service import repeat_artifacts as places
from amber_thicket.service.left_out import leave_out
from amber_thicket.service.suggested import Which, suggestions
from amber_thicket.store.models import Material
from amber_thicket.web.endpoint import Body, Query, as_json, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("materials", __name__)
_PART = 1 << 18
_SOON = 0.9
ENCLOSED = "application/vnd.amber-thicket.enclosed"


class Listed(Query):
    """archived: those that were put aside."""

    archived: bool = False


class Import(Query):
    """file: its name. as: what it is, where the person who brings it says so. suggested: whether what the program
    suggests is taken at once, all of it or what it is sure of. start: number of the start it begins with."""

    file: str = ""
    role: str = Field("", alias="as")
    suggested: Which = "none"
    start: int = 0

    @property
    def named(self) -> str:
        """Raises UnreadableFile where the file has no name."""
        if not self.file:
            raise UnreadableFile("The file has no name.", remedy="Send its name as ?file=…")
        return self.file

    @field_validator("role")
    @classmethod
    def _is_known(cls, role: str) -> str:
        known = (*PHOTOGRAPHS, "cutout")
        if role and role not in known:
            raise ValueError(f"A file cannot be “{role[:40]}”; known: {', '.join(known)}")
        return role


class ImportMap(Import):
    """gesture: files of one drop are one step of the history."""

    gesture: str = Field("", max_length=64)


class Edit(Body):
    """A change of settings. revision: what the page knows. gesture: names one drag. showing: layers the page
    will ask for next; side: of their pictures, px."""

    revision: int
    changes: answers.Changes = Field(min_length=1, max_length=200)
    label: str = Field("", max_length=120)
    gesture: str = Field("", max_length=64)
    showing: list[str] = Field(default_factory=list, max_length=4)
    side: int = Field(PLAN_SIDE, ge=64, le=PLAN_SIDE)


class Known(Body):
    """The revision a page knows."""

    revision: int


Along = Annotated[float, Field(ge=-1, le=2)]


class Lines(Body):
    """Lines along straight things: points in 0..1 of the capture, or a little beside it."""

    lines: list[Annotated[list[tuple[Along, Along]], Field(max_length=400)]] = Field(min_length=1, max_length=20)


class FileNames(Body):
    """Names of files that are dropped together."""

    names: list[str] = Field(min_length=1, max_length=2000)


class RoleOf(Body):
    """Which map a file is from now on; "" for none."""

    revision: int
    role: str = Field(max_length=40)


class Place(Body):
    """A round place of the tile, or a line along points (x, y) of it; radius in tile widths."""

    x: float
    y: float
    radius: float = Field(ge=SMALLEST, le=LARGEST)
    points: list[tuple[Coordinate, Coordinate]] = Field(default_factory=list, max_length=64)


class ToFill(Body):
    """Places of the tile to be filled."""

    places: list[Place] = Field(min_length=1, max_length=MOST_SPOTS)


class Patch(Body):
    """A place of the capture, in 0..1 across and down, and how far around it counts."""

    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    radius: float = Field(0.01, gt=0, le=0.25)


class Renamed(Body):
    name: str = Field(max_length=400)


def material_summary(material: Material) -> dict[str, Any]:
    """A material in the library."""
    return {
        "id": material.id,
        "name": material.name,
        "archived": material.archived,
        "changed": material.changed,
        "revision": material.revision,
        "thumbnail": material.thumbnail,
        "source": {key: material.source[key] for key in ("width", "height", "format", "bits")},
    }


def material_detail(material: Material, evaluation: Evaluation | None = None) -> dict[str, Any]:
    """A material on the bench. evaluation: of its newest recipe, where there is one already."""
    library = services().library
    evaluation = evaluation or library.evaluation(material)
    undo, redo = library.steps(material)
    size = preview.preview_size(evaluation)
    sizes = evaluation.sizes(size)
    view = evaluation.view()
    flat_width, flat_height = view.size
    box = evaluation.sample_box(sizes.work)
    keys, zones = preview.keys(evaluation), preview.zone_keys(evaluation)
    composites = preview.composite_keys(evaluation, keys)
    services().issued.note(str(material.id), [*keys.values(), *zones.values(), *composites.values()])
    return {
        **material_summary(material),
        "source": _shown(pictured.described_picture(material, evaluation), evaluation),
        "files": mapset.listed(material.source, evaluation),
        "recipe": evaluation.recipe.as_json(),
        "snapshots": snapshots.listed(material),
        "undo": undo,
        "redo": redo,
        "keys": keys,
        "zones": zones,
        "pictures": composites,
        "plan": evaluation.plan_key(),
        "changes": {stage: evaluation.recipe.changes_in(stage) for stage in STAGES},
        "preview": {
            "finished": list(output_size(evaluation.recipe)),
            "tile": list(size),
            "work": [sizes.work.width, sizes.work.height],
            "picture": list(evaluation.picture_size()),
            "sample": [box[0] / flat_width, box[1] / flat_height, box[2] / flat_width, box[3] / flat_height],
            "view": {
                "homography": [float(v) for v in view.homography.ravel()],
                "lens": list(view.lens),
                "size": [flat_width, flat_height],
                "plain": view.plain,
            },
            "tile_mm": evaluation.tile_mm(sizes, wait=False),
        },
    }


def _shown(picture: dict[str, Any], evaluation: Evaluation) -> dict[str, Any]:
    """The picture, with its findings' places turned as the capture is turned."""
    findings = picture["findings"]
    return {**picture, "findings": None if findings is None else pictured.turned_findings(findings, evaluation)}


def announced(material: Material, evaluation: Evaluation | None = None) -> dict[str, Any]:
    """A material that has just changed, for whoever changed it; everybody else is told that it did."""
    services().events.announce("material", {"id": material.id, "revision": material.revision})
    return material_detail(material, evaluation)


@endpoint(blueprint, "GET", "/api/materials", answer=list[answers.Brief], query=Listed)
def listed(query: Listed) -> Any:
    """The library, oldest first."""
    return [material_summary(material) for material in Material.listed(archived=query.archived)]


@endpoint(blueprint, "POST", "/api/materials", answer=answers.Brief, query=Import, upload=True)
def imported(query: Import) -> Any:
    """One file as the request's body; its name in the query, so that bytes stream straight to disk."""
    expected = request.content_length or 0
    library = services().library
    start = starts.get(query.start) if query.start else None
    material = library.add(parts_of_request(), query.named, as_role=query.role, expected=expected)
    if start is not None:
        material = starts.begin(library, material, start)
    if query.suggested != "none" and material.source["role"] == "photo":
        found = suggestions(library.evaluation(material), query.suggested, {})
        if found.changes:
            material = library.edit(material.id, material.revision, found.changes, label="Suggestions", gesture="")
    services().events.announce("library", {"id": material.id})
    return material_summary(material)


@endpoint(blueprint, "POST", "/api/groups", answer=list[list[str]], body=FileNames)
def grouped(body: FileNames) -> Any:
    """File names in groups: each group is one surface, the file that brings its colour first."""
    return families(body.names)


@endpoint(
    blueprint, "POST", "/api/materials/<material_id>/files", answer=answers.Material, query=ImportMap, upload=True
)
def map_added(material_id: str, query: ImportMap) -> Any:
    """One more file of the same surface, as imported() takes the first. gesture: files of one drop are one step."""
    expected = request.content_length or 0
    return announced(
        services().library.add_map(
            material_id, parts_of_request(), query.named, gesture=query.gesture, as_role=query.role, expected=expected
        )
    )


@endpoint(blueprint, "PATCH", "/api/materials/<material_id>/files/<key>", answer=answers.Material, body=RoleOf)
def role_changed(material_id: str, key: str, body: RoleOf) -> Any:
    """Another role for one of the files."""
    wanted = body
    library = services().library
    changes, label = mapset.with_role(library, library.get(material_id), key, wanted.role)
    return announced(library.edit(material_id, wanted.revision, changes, label=label, gesture=""))


@endpoint(blueprint, "POST", "/api/materials/<material_id>/neutral", answer=answers.Changes, body=Patch)
def neutral(material_id: str, body: Patch) -> Any:
    """The white that makes a patch of the capture grey, as settings of gather.white."""
    library, place = services().library, body
    return gather.neutral_patch(library.evaluation(library.get(material_id)), place.x, place.y, place.radius)


def parts_of_request() -> Iterator[bytes]:
    """A file that is the request's body, in parts."""
    while part := request.stream.read(_PART):
        yield part


@endpoint(blueprint, "GET", "/api/materials/<material_id>", answer=answers.Material)
def shown(material_id: str) -> Any:
    return material_detail(services().library.get(material_id))


@endpoint(
    blueprint, "PATCH", "/api/materials/<material_id>/recipe", answer=answers.Material, body=Edit, media=(ENCLOSED,)
)
def edited(material_id: str, body: Edit) -> Any:
    """Settings changed, all or none. A picture of the first layer in `showing` is enclosed where it is accepted."""
    edit, kept = body, services()
    layers = [layer for layer in edit.showing if layer in preview.LAYERS]
    enclosing = bool(layers) and ENCLOSED in request.accept_mimetypes.values()
    under_way: list[tuple[Evaluation, Future[bytes]]] = []

    def make(evaluation: Evaluation) -> None:
        evaluation.cancel = kept.slots.take(f"{material_id}/ahead")
        under_way.append((evaluation, kept.ahead.make(kept.watched(material_id, evaluation), layers, edit.side)))

    def begin(evaluation: Evaluation) -> None:
        kept.call_off_following(material_id)
        kept.passing.follow(material_id, edit.gesture, evaluation)
        if enclosing:
            make(evaluation)

    # The picture is begun before the change is on the disk, which takes its own time.
    material = kept.library.edit(
        material_id, edit.revision, edit.changes, label=edit.label, gesture=edit.gesture, coming=begin
    )
    if not enclosing:
        return announced(material)
    if not under_way:
        make(kept.library.evaluation(material))
    evaluation, making = under_way[0]
    return _with_picture(as_json(answers.Material, announced(material, evaluation)), making)


def _with_picture(told: bytes, making: Future[bytes]) -> Response:
    """The answer with the first picture enclosed when it is there soon: length of the JSON (uint32, little endian),
    the JSON, the JPEG. A picture that takes longer is asked for by itself."""
    try:
        picture = making.result(timeout=_SOON)
    except Exception:
        # Whatever went wrong is told when the page asks for the picture.
        picture = b""
    return Response(struct.pack("<I", len(told)) + told + picture, mimetype=ENCLOSED)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/<any(undo, redo):way>", answer=answers.Material, body=Known)
def stepped(material_id: str, way: str, body: Known) -> Any:
    library = services().library
    # What is on its way for the state that is left is no longer wanted.
    services().slots.take(f"{material_id}/ahead")
    move, known = library.undo if way == "undo" else library.redo, body.revision
    material = move(material_id, known)
    if material.revision > known:
        services().call_off_following(material_id)
    return announced(material)


@endpoint(blueprint, "PATCH", "/api/materials/<material_id>", answer=answers.Material, body=Renamed)
def renamed(material_id: str, body: Renamed) -> Any:
    material = services().library.rename(material_id, body.name)
    services().events.announce("library", {"id": material.id})
    return announced(material)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/<any(archive, restore):way>", answer=answers.Brief)
def archived(material_id: str, way: str) -> Any:
    material = services().library.archive(material_id, way == "archive")
    services().events.announce("library", {"id": material.id})
    return material_summary(material)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/tiling", answer=answers.TilingSuggestion)
def tiling_suggested(material_id: str) -> Any:
    """The method that suits the sample, why, and the settings that follow."""
    library = services().library
    return asdict(tiling.suggestion(library.evaluation(library.get(material_id))))


@endpoint(blueprint, "GET", "/api/materials/<material_id>/places", answer=answers.Places)
def standing_out(material_id: str) -> Any:
    """What gives the repeat away, and what is filled already."""
    library = services().library
    return places.describe_repeat_artifacts(library.evaluation(library.get(material_id)))


@endpoint(blueprint, "POST", "/api/materials/<material_id>/leave_out", answer=answers.Changes, body=ToFill)
def left_out(material_id: str, body: ToFill) -> Any:
    """Settings that leave out on the sample what shows at places of the tile, so that the method plans round it."""
    library = services().library
    found = [(x, y, place.radius) for place in body.places for x, y in (place.points or [(place.x, place.y)])]
    return leave_out(library.evaluation(library.get(material_id)), found)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/fill", answer=answers.Changes, body=ToFill)
def filled(material_id: str, body: ToFill) -> Any:
    """Settings that fill places of the tile as well."""
    library, wanted = services().library, body
    found = [(place.x % 1.0, place.y % 1.0, place.radius) for place in wanted.places if not place.points]
    lines = [(tuple(place.points), place.radius) for place in wanted.places if place.points]
    return places.fill_places(library.evaluation(library.get(material_id)), found, lines)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/proposal", answer=answers.Proposal)
def proposed(material_id: str) -> Any:
    """Corners found in the capture, drawn on it until somebody accepts them."""
    library = services().library
    return asdict(square.proposal(library.evaluation(library.get(material_id))))


@endpoint(blueprint, "POST", "/api/materials/<material_id>/bend", answer=answers.Changes, body=Lines)
def bend(material_id: str, body: Lines) -> Any:
    """The lens bend that makes drawn lines straight."""
    library = services().library
    return square.bend(library.evaluation(library.get(material_id)), body.lines)
