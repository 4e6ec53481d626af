"""Routes of scans: kept, looked at as often as somebody changes how they are taken, and made into a material then."""

from __future__ import annotations

import base64
import time
from typing import Any, Literal, NamedTuple

import numpy as np
from flask import Blueprint, request
from pydantic import Field

from amber_thicket.core.progress import progress_to
from amber_thicket.errors import BadSetting
from amber_thicket.formats.elevation import Elevation
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.formats.scan import Scan
from amber_thicket.service import answers, scanning
from amber_thicket.service.library import clean_name
from amber_thicket.web.endpoint import Query, endpoint
from amber_thicket.web.incoming import BroughtFile
from amber_thicket.web.materials import material_summary, parts_of_request
from amber_thicket.web.services import services

blueprint = Blueprint("scans", __name__)
_EVERY = 0.25
_MOST_BESIDE = 32


class ScanFile(Query):
    """file: its name."""

    file: str = Field(min_length=1, max_length=400)


class BesideFile(BroughtFile):
    """A file that came with a scan."""


class AskedScan(BroughtFile):
    """A scan as it is to be taken. beside: files that came with it, as an OBJ's texture. patch: left, top, right,
    bottom as shares of what is there; empty for the largest rectangle without holes. three: places (x, y as shares)
    that lie in the plane; empty for the plane most of it lies along. width: px; 0 for as many as it is worth. slot:
    calls off what was asked before there."""

    beside: list[BesideFile] = Field(default=[], max_length=_MOST_BESIDE)
    unit: Literal["", "mm", "cm", "m"] = ""
    turned_over: bool = False
    patch: list[float] = Field(default=[], max_length=4)
    three: list[tuple[float, float]] = Field(default=[], max_length=3)
    width: int = Field(0, ge=0, le=16_384)
    width_mm: float = Field(0.0, ge=0, le=100_000_000)
    slot: str = Field("", max_length=64)


class _Opened(NamedTuple):
    found: Scan | Elevation

    @property
    def nbytes(self) -> int:
        found = self.found
        if isinstance(found, Elevation):
            return int(found.values.nbytes)
        return sum(int(part.nbytes) for part in (found.points, found.faces, found.colours, found.texture))


@endpoint(blueprint, "POST", "/api/scans/files", answer=answers.KeptFile, query=ScanFile, upload=True)
def brought(query: ScanFile) -> Any:
    """A scan, or a file beside one, as the request's body; kept for a day."""
    library = services().library
    with library.blobs.receive(parts_of_request(), limit=MAX_BYTES, expected=request.content_length or 0) as received:
        library.blobs.keep(received)
        return {"blob": received.name, "file": clean_name(query.file.replace("\\", "/").rsplit("/", 1)[-1])}


@endpoint(blueprint, "POST", "/api/scans/look", answer=answers.ScanLook, body=AskedScan)
def looked(body: AskedScan) -> Any:
    """What a scan is and how it would be taken; nothing is made of it yet."""
    found, asked = _opened(body), _asked(body)
    seen = scanning.look(found, asked)
    return {
        "kind": seen.kind, "parts": seen.parts, "size": seen.size, "width": seen.width, "patch": seen.patch,
        "unit": seen.unit, "depth": seen.depth, "notes": seen.notes,
        "picture": "data:image/jpeg;base64," + base64.b64encode(seen.picture).decode(),
    }  # fmt: skip


@endpoint(blueprint, "POST", "/api/scans/take", answer=answers.ScanTaken, body=AskedScan)
def taken(body: AskedScan) -> Any:
    """Projects a scan and makes a material of it. Pages hear how far it is as “scan” events of the slot."""
    kept = services()
    cancel = kept.slots.take(f"scan/{body.slot}" if body.slot else None)
    told = [0.0]

    def tell(share: float, what: str) -> None:
        cancel.check()
        now = time.monotonic()
        if body.slot and now - told[0] >= _EVERY:
            told[0] = now
            kept.events.announce("scan", {"slot": body.slot, "share": round(share, 3), "what": what})

    with progress_to(tell):
        made = scanning.make(_opened(body), _asked(body))
        material = scanning.keep(kept.library, made, body.file, body.blob)
    kept.events.announce("library", {"id": material.id})
    return {
        "material": material_summary(material),
        "told": [{"level": level, "text": text} for level, text in made.told],
    }


@endpoint(blueprint, "DELETE", "/api/scans/<slot>", answer=answers.Nothing)
def called_off(slot: str) -> Any:
    """Stops projecting; nothing is made."""
    services().slots.call_off(f"scan/{slot}")
    return {}


def _opened(body: AskedScan) -> Scan | Elevation:
    library = services().library
    key = "/".join(["scan", body.blob, body.file, *(file.blob for file in body.beside)])

    def read() -> _Opened:
        beside = {file.file: library.blobs.get(file.blob) for file in body.beside}
        return _Opened(scanning.opened(library.blobs.get(body.blob), body.file, beside))

    known: _Opened = library.memory.get(key, read)
    return known.found


def _asked(body: AskedScan) -> scanning.Asked:
    if len(body.patch) not in (0, 4) or not np.isfinite(body.patch).all():
        raise BadSetting("A patch is four numbers.", remedy="Give left, top, right, bottom.", setting="patch")
    patch: Any = tuple(body.patch) or None
    return scanning.Asked(body.unit, body.turned_over, patch, tuple(body.three), body.width or None, body.width_mm)
