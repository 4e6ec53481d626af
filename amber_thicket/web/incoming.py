"""Routes of files that are brought together: kept, sorted, and made into materials once somebody agreed."""

from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

from flask import Blueprint, Response, request
from pydantic import Field, field_validator

from amber_thicket.core.align.sorting import Kind
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.service import answers, incoming
from amber_thicket.service.incoming import Brought
from amber_thicket.service.library import clean_name
from amber_thicket.service.settling import settle
from amber_thicket.web.endpoint import Body, Query, endpoint
from amber_thicket.web.materials import Import, announced, material_summary, parts_of_request
from amber_thicket.web.services import services

blueprint = Blueprint("incoming", __name__)
MOST_FILES = 400


class FileShown(Query):
    """file: its name, which says what it may be."""

    file: str = ""


class BroughtFile(Body):
    """A file that was brought. blob: its checksum, as the answer to bringing it said."""

    blob: str = Field(pattern="^[0-9a-f]{64}$")
    file: str = Field(min_length=1, max_length=400)


class ToSort(Body):
    """Files that came together. kind: what the person says they are, "" for not said."""

    files: list[BroughtFile] = Field(min_length=1, max_length=MOST_FILES)
    kind: str = ""

    @field_validator("kind")
    @classmethod
    def _is_known(cls, kind: str) -> str:
        if kind and kind not in get_args(Kind):
            raise ValueError(f"files are together as one of: {', '.join(get_args(Kind))}")
        return kind


class RowToTake(BroughtFile):
    """role: what it is; "" for not used."""

    role: str = Field("", max_length=40)


class ToTake(Body):
    """Files as what they are to be taken, in their order. to: a material they are added to."""

    kind: str
    rows: list[RowToTake] = Field(min_length=1, max_length=MOST_FILES)
    to: str = ""
    gesture: str = Field("", max_length=64)

    @field_validator("kind")
    @classmethod
    def _is_known(cls, kind: str) -> str:
        if kind not in get_args(Kind):
            raise ValueError(f"files are together as one of: {', '.join(get_args(Kind))}")
        return kind


class ToSettle(Body):
    """keys: of files that are new to the material."""

    keys: list[str] = Field(max_length=MOST_FILES)


@endpoint(blueprint, "POST", "/api/incoming", answer=answers.BroughtFile, query=Import, upload=True)
def brought(query: Import) -> Any:
    """One file as the request's body, kept for a day; nothing is made of it yet."""
    library = services().library
    name = clean_name(Path(query.named.replace("\\", "/")).name)
    with library.blobs.receive(parts_of_request(), limit=MAX_BYTES, expected=request.content_length or 0) as received:
        look = incoming.look_at_bytes(library, received.read(), received.name, name)
        library.blobs.keep(received)
        return {"blob": received.name, "file": name, "width": look.size[0], "height": look.size[1]}


@endpoint(blueprint, "POST", "/api/incoming/sort", answer=answers.Sorting, body=ToSort)
def sorted_out(body: ToSort) -> Any:
    """What files are together, a line for each; nothing is made of them yet."""
    files = [Brought(file.blob, file.file) for file in body.files]
    found = incoming.sort(services().library, files, body.kind or None)  # type: ignore[arg-type]
    rows = [
        {"blob": files[row.at].blob, "file": files[row.at].file, "role": row.role, "why": row.why} for row in found.rows
    ]
    return {"kind": found.kind, "told": found.told, "sure": found.sure, "rows": rows}


@endpoint(blueprint, "POST", "/api/incoming/take", answer=list[answers.Brief], body=ToTake)
def taken(body: ToTake) -> Any:
    """Makes materials of files as what they were said to be, or adds them to one."""
    rows = [(Brought(row.blob, row.file), row.role) for row in body.rows]
    made = incoming.take(services().library, body.kind, rows, to=body.to, gesture=body.gesture)  # type: ignore[arg-type]
    for material in made:
        services().events.announce("material" if body.to else "library", {"id": material.id})
    return [material_summary(material) for material in made]


@endpoint(blueprint, "GET", "/api/incoming/<blob>.jpg", query=FileShown, media=("image/jpeg",))
def shown(blob: str, query: FileShown) -> Any:
    """A file that was brought, small."""
    return Response(incoming.thumbnail(services().library, blob, query.file or "file"), mimetype="image/jpeg")


@endpoint(blueprint, "POST", "/api/materials/<material_id>/settle", answer=answers.Settled, body=ToSettle)
def settled(material_id: str, body: ToSettle) -> Any:
    """Joins the parts and lays the sides among files that are new to a material."""
    material, told = settle(services().library, material_id, body.keys)
    return {"material": announced(material), "told": [{"level": level, "text": text} for level, text in told]}
