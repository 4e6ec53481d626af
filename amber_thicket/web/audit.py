"""Routes of the audit: files of map sets made elsewhere come in, a report goes out; a repaired set is a material."""

from __future__ import annotations

import hashlib
import json
import re
from typing import Any

import numpy as np
from flask import Blueprint, Response, request
from pydantic import Field, field_validator

from amber_thicket.core.pack.profiles import profile_named
from amber_thicket.errors import NotFound, ThicketError, UnreadableFile
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.formats.picture import kind_of, read_picture
from amber_thicket.formats.unzip import is_zip
from amber_thicket.service import answers, audit, preview
from amber_thicket.web.endpoint import Body, Query, endpoint
from amber_thicket.web.materials import material_summary
from amber_thicket.web.services import services

blueprint = Blueprint("audit", __name__)
_BLOB = re.compile("[0-9a-f]{64}")


class File(Body):
    """A file that was brought before. blob: its SHA-256."""

    name: str = Field(min_length=1, max_length=400)
    blob: str

    @field_validator("blob")
    @classmethod
    def _is_blob(cls, value: str) -> str:
        if not _BLOB.fullmatch(value):
            raise ValueError("a file is named by its SHA-256")
        return value


class FileNamed(Query):
    """file: its name."""

    file: str = ""


class Asked(Body):
    """What is audited, for which receiver."""

    files: list[File] = Field(min_length=1, max_length=400)
    profile: str = Field("separate_y_plus", max_length=60)


class AskedSet(Asked):
    """One of the sets that were found, by its number. also: ids of findings that are repaired though they are not
    sure."""

    set: int = Field(0, ge=0)
    also: list[str] = Field(default_factory=list, max_length=100)


def _kept(name: str, data: bytes) -> dict[str, Any]:
    """Puts the pictures of a file into the store."""
    files: list[dict[str, str]] = []
    refused: list[dict[str, str]] = []
    if not is_zip(data) and kind_of(data) is None:
        # Said as an import says it, and nothing stays of it.
        read_picture(data, name)
    for inside, content in audit.unpacked(name, data):
        if isinstance(content, ThicketError):
            refused.append({"file": inside, "why": content.message})
            continue
        blob, _ = services().library.blobs.put([content], limit=MAX_BYTES)
        files.append({"name": inside, "blob": blob})
    return {"files": files, "refused": refused}


@endpoint(blueprint, "POST", "/api/audit/files", answer=answers.AuditTaken, query=FileNamed, upload=True)
def brought(query: FileNamed) -> Any:
    """One file, or a zip of several, as the request's body; its name in the query."""
    name = query.file[:300]
    if not name:
        raise UnreadableFile("The file has no name.", remedy="Send its name as ?file=…")
    return _kept(name, request.get_data(cache=False))


@endpoint(blueprint, "POST", "/api/audit/sample", answer=answers.AuditTaken)
def sample() -> Any:
    """The simulated purchase that ships with the program."""
    from amber_thicket.service.sample_purchase import NAME, sample_zip

    return _kept(NAME, sample_zip())


def _sets(asked: Asked) -> tuple[list[audit.Set], audit.Refused]:
    """Looked at once: report, pictures and repair of the same files share it."""
    library = services().library
    files = [audit.Given(file.name, file.blob) for file in asked.files]
    for file in files:
        # Nothing refers to them yet; they stay for another day.
        library.blobs.touch(file.blob)
    told = json.dumps([asked.profile, [[file.name, file.blob] for file in files]])
    key = f"audit/{hashlib.sha256(told.encode()).hexdigest()}"
    profile = profile_named(asked.profile)
    return library.memory.get(key, lambda: audit.audited(files, library.blobs.get, profile))


def _set(asked: AskedSet) -> audit.Set:
    sets, _ = _sets(asked)
    if asked.set >= len(sets):
        raise NotFound("There is no such set any more.", remedy="Audit the files again.")
    return sets[asked.set]


@endpoint(blueprint, "POST", "/api/audit", answer=answers.AuditReport, body=Asked)
def report(body: Asked) -> Any:
    return audit.as_json(*_sets(body))


@endpoint(blueprint, "POST", "/api/audit/repair", answer=answers.Brief, body=AskedSet)
def repair(body: AskedSet) -> Any:
    """The set as a material: as it was found, then repaired, so that undo shows the difference."""
    asked = body
    one = _set(asked)
    recipes = [
        (label, audit.recipe_of(one, repaired=repaired, profile=asked.profile, also=asked.also))
        for label, repaired in (("As found", False), ("Repaired", True))
    ]
    material = services().library.add_set(one.name, list(one.infos), recipes)
    services().events.announce("library", {"id": material.id})
    return material_summary(material)


@endpoint(blueprint, "POST", "/api/audit/remains", answer=answers.AuditRemains, body=AskedSet)
def remains(body: AskedSet) -> Any:
    """What the audit still finds wrong, or cannot tell, once it is run again on the repaired set."""
    library = services().library
    one, profile = _set(body), profile_named(body.profile)
    told = json.dumps([body.profile, body.also, [[file.name, file.blob] for file in body.files], body.set])
    key = f"audit-again/{hashlib.sha256(told.encode()).hexdigest()}"
    found = library.memory.get(key, lambda: audit.remaining(one, library.blobs.get, profile, library.memory, body.also))
    return {"findings": [audit.as_told(finding) for finding in found]}


@endpoint(blueprint, "POST", "/api/audit/lit.jpg", body=AskedSet, media=("image/jpeg",))
def lit(body: AskedSet) -> Any:
    """The set under one raking light: as found on the left, repaired on the right; where something is asked for that is
    not sure, repaired without it on the left."""
    asked = body
    one, library = _set(asked), services().library
    halves = []
    ways: tuple[tuple[bool, list[str]], ...] = ((bool(asked.also), []), (True, asked.also))
    for repaired, also in ways:
        recipe = audit.recipe_of(one, repaired=repaired, profile=asked.profile, also=also)
        made = audit.evaluation_for(one, library.blobs.get, recipe, library.memory)
        halves.append(preview.raked(made, as_read=not repaired))
    # The middle of each, close enough to see how it answers the light, with a gap between.
    side = min(min(half.shape[:2]) for half in halves) // 2
    left, right = (half[(half.shape[0] - side) // 2 :, (half.shape[1] - side) // 2 :][:side, :side] for half in halves)
    gap = np.full((side, max(2, side // 64), 3), 119, np.uint8)
    return Response(preview.encoded(np.hstack([left, gap, right]), "jpg", 90), mimetype="image/jpeg")


@endpoint(blueprint, "GET", "/api/audit/picture/<blob>.jpg", media=("image/jpeg",))
def picture(blob: str) -> Any:
    """A small picture of a file's stored numbers."""
    if not _BLOB.fullmatch(blob):
        raise NotFound("There is no such file.")
    data = audit.small_picture(services().library.blobs.get(blob))
    return Response(data, mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400, immutable"})
