"""Routes that answer with pictures and measurements. Pictures are asked for by content key and kept by the browser."""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Annotated, Any

from flask import Blueprint, Response, request, send_file
from peewee import OperationalError
from pydantic import Field

from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.memory import Cancel
from amber_thicket.core.tile.tileset import MOST_TILES
from amber_thicket.errors import NotFound, PassedState, WriteFailed
from amber_thicket.service import answers, preview, square
from amber_thicket.service.bake import check, one_file
from amber_thicket.service.joins import joins
from amber_thicket.service.next_steps import next_steps
from amber_thicket.service.pictured import triage_of, turned_findings
from amber_thicket.service.surroundings import own_surroundings, surroundings_bytes
from amber_thicket.service.zones import suggested_zones
from amber_thicket.store import cards
from amber_thicket.store.models import Material
from amber_thicket.web.endpoint import Query, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("pictures", __name__)
_KINDS = {"jpg": "image/jpeg", "png": "image/png", "u16": "application/octet-stream"}


class Slotted(Query):
    """slot: what is asked here takes the place of what was asked before under the same name, which is called off."""

    slot: str = Field("", max_length=120)


class Keyed(Slotted):
    """key: the content key of what is asked for; the newest state where there is none. side: px of its longer side.
    follow: where the state of the key has passed, 204 instead of 409."""

    key: str = Field("", max_length=200)
    side: int = PLAN_SIDE
    follow: str = ""

    @property
    def bounded(self) -> int:
        """The side, as far as there are pictures of it."""
        return min(max(self.side, 64), preview.LARGEST)


# Tile widths; nobody scrolls farther.
Far = Annotated[float, Field(ge=-1e6, le=1e6)]


class At(Slotted):
    """Where somebody points, in tile widths and heights."""

    x: Far = 0.0
    y: Far = 0.0


class OfTile(Keyed):
    """tile: of a set, from 1; 0 is the one tile they are made of; the one that is shown where it is not told. key: of
    the one that is shown."""

    tile: int | None = Field(None, ge=0, le=MOST_TILES)

    def of(self, evaluation: Evaluation) -> Evaluation:
        if self.tile is None:
            return evaluation
        return evaluation.tile_of_set(self.tile) if self.tile else evaluation.before_set()


class KeyedAt(Keyed):
    """Where somebody points, in tile widths and heights."""

    x: Far = 0.5
    y: Far = 0.5


class Two(Slotted):
    """Two layers."""

    one: str = ""
    other: str = ""


class PlannedQuery(Keyed):
    """channel: "" or "rgb" for a whole map, or one of r, g, b, a."""

    side: int = 64
    channel: str = ""


class Named(Query):
    """file: its name."""

    file: str = "panorama"


def _evaluation(material_id: str, query: Slotted) -> Evaluation:
    """The material's newest state."""
    library = services().library
    return services().watched(material_id, library.evaluation(library.get(material_id), _cancel(material_id, query)))


def _cancel(material_id: str, query: Slotted) -> Cancel:
    return services().slots.take(f"{material_id}/{query.slot}" if query.slot else None)


def _keyed(material_id: str, query: Keyed, key_of: Callable[[Evaluation], str]) -> Evaluation:
    """The state whose picture has the key that is asked for; the newest where none is named.

    A picture served under a key always has that key's pixels. Raises PassedState, with the newest revision, for a key
    that was handed out but whose state has passed, NotFound for one that nobody handed out.
    """
    if not query.key:
        return _evaluation(material_id, query)
    kept, cancel = services(), _cancel(material_id, query)
    material = kept.library.get(material_id)
    for evaluation in kept.library.recent_evaluations(material, cancel):
        if key_of(evaluation) == query.key:
            return kept.watched(material_id, evaluation)
    if kept.issued.knows(material_id, query.key):
        raise PassedState(
            "This picture belongs to a state that has passed.",
            remedy="Ask for the one of the newest state.",
            revision=material.revision,
        )
    raise NotFound("There is no picture of this key.", remedy="Keys are told with the material.")


def _composite(name: str) -> Callable[[Evaluation], str]:
    return lambda evaluation: preview.composite_keys(evaluation, preview.keys(evaluation))[name]


def _kept(data: bytes, kind: str, query: Keyed) -> Response:
    """Kept for good by the browser where it was asked for by its key, which was held against the pixels."""
    headers = {"Cache-Control": "private, max-age=86400, immutable"} if query.key else {}
    return Response(data, mimetype=kind, headers=headers)


@endpoint(
    blueprint, "GET", "/api/materials/<material_id>/picture/<layer>.<kind>", query=OfTile, media=tuple(_KINDS.values())
)
def picture(material_id: str, layer: str, kind: str, query: OfTile) -> Any:
    if kind not in _KINDS:
        raise NotFound(f"Pictures come as {', '.join(_KINDS)}.")
    if layer == "packed" and kind == "png":
        return _kept(
            preview.packed(_keyed(material_id, query, _composite("packed")), side=query.bounded), _KINDS[kind], query
        )
    evaluation = query.of(_keyed(material_id, query, lambda state: preview.key_of(state, layer)))
    response = _kept(preview.picture(evaluation, layer, kind=kind, side=query.bounded), _KINDS[kind], query)
    if layer == "height":
        # How far white stands above black, in tile widths: what displacement needs.
        size = preview.preview_size(evaluation, query.bounded)
        response.headers["X-Height-Span"] = f"{evaluation.layer('height', size).span:.6f}"
        response.headers["X-Size"] = f"{size[0]}x{size[1]}"
    return response


@endpoint(blueprint, "GET", "/api/materials/<material_id>/zones/<zone>.jpg", query=Keyed, media=("image/jpeg",))
def zone_shown(material_id: str, zone: str, query: Keyed) -> Any:
    """The colour where a zone is, grey elsewhere."""
    evaluation = _keyed(material_id, query, lambda state: preview.zone_keys(state).get(zone, ""))
    return _kept(preview.zone_picture(evaluation, zone, side=query.bounded), "image/jpeg", query)


@endpoint(
    blueprint, "GET", "/api/materials/<material_id>/zones/suggested", answer=answers.ZoneSuggestions, query=Slotted
)
def zones_suggested(material_id: str, query: Slotted) -> Any:
    """Regions of like colour, to start from."""
    return suggested_zones(_evaluation(material_id, query))


@endpoint(blueprint, "GET", "/api/materials/<material_id>/joins/<where>.png", query=Keyed, media=("image/png",))
def joins_shown(material_id: str, where: str, query: Keyed) -> Any:
    """Where the joins run, to lay over the tile or the sample."""
    return _kept(joins(_keyed(material_id, query, _composite("joins")), where), "image/png", query)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/strip.jpg", query=Keyed, media=("image/jpeg",))
def strip(material_id: str, query: Keyed) -> Any:
    evaluation = _keyed(material_id, query, _composite("strip"))
    data = preview.strip(evaluation)
    library = services().library
    material = library.get(material_id)
    # A disk that is full keeps nobody from looking.
    with contextlib.suppress(WriteFailed, OperationalError):
        library.keep_thumbnail(material, preview.thumbnail(evaluation))
        width = evaluation.tile_mm(evaluation.sizes(preview.preview_size(evaluation)), wait=False)
        cards.note_width(material_id, width or 0.0)
    return _kept(data, "image/jpeg", query)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/probe", answer=answers.Probe, query=At)
def probe(material_id: str, query: At) -> Any:
    evaluation = _evaluation(material_id, query)
    return preview.probe(evaluation, query.x, query.y)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/compare", answer=answers.Compared, query=Two)
def compare(material_id: str, query: Two) -> Any:
    return preview.compared(_evaluation(material_id, query), query.one, query.other)


@endpoint(
    blueprint, "GET", "/api/materials/<material_id>/histogram/<layer>", answer=answers.HistogramTold, query=Slotted
)
def histogram(material_id: str, layer: str, query: Slotted) -> Any:
    return preview.histogram(_evaluation(material_id, query), layer)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/enlarged", query=KeyedAt, media=("image/png",))
def enlarged(material_id: str, query: KeyedAt) -> Any:
    """Plain enlarging and own detail beside it at 1:1 (PNG), with the figures in headers."""
    x, y = (min(max(v, 0.0), 1.0) for v in (query.x, query.y))
    found = square.enlarged(_keyed(material_id, query, _composite("enlarged")), x, y)
    response = _kept(found.picture, "image/png", query)
    response.headers["X-Gain"] = f"{found.gain:.3f}"
    response.headers["X-Doublings"] = str(found.doublings)
    response.headers["X-Finest"] = f"{found.finest:.3f}"
    return response


@endpoint(blueprint, "GET", "/api/materials/<material_id>/figures", answer=answers.Figures, query=Slotted)
def figures(material_id: str, query: Slotted) -> Any:
    return preview.figures(_evaluation(material_id, query))


@endpoint(blueprint, "GET", "/api/materials/<material_id>/checks", answer=answers.Checks, query=Slotted)
def checks(material_id: str, query: Slotted) -> Any:
    material = services().library.get(material_id)
    evaluation = _evaluation(material_id, query)
    findings = _checked(evaluation, material)
    # Of the state that was looked at, not of one that came meanwhile; a full disk keeps nobody from looking.
    if evaluation.recipe == services().library.recipe(material):
        with contextlib.suppress(WriteFailed, OperationalError):
            services().library.note_findings(material, findings)
    return {"revision": material.revision, "findings": findings}


def _checked(evaluation: Evaluation, material: Material) -> list[dict[str, Any]]:
    """All rules on a state of a material, looked at once: who asks for what comes next asks for them again."""
    state = json.dumps([material.name, evaluation.gathered_key(PLAN_SIDE), evaluation.recipe.as_json()], sort_keys=True)
    key = f"checks/{material.id}/{hashlib.sha256(state.encode()).hexdigest()}"
    wait = evaluation.cancel.check
    found: list[dict[str, Any]] = evaluation.memory.get(key, lambda: check(evaluation, material.name), wait)
    return found


@endpoint(blueprint, "GET", "/api/materials/<material_id>/triage", answer=answers.Triage, query=Slotted)
def what_it_is_good_for(material_id: str, query: Slotted) -> Any:
    """What was seen on the capture, looked at when this is first asked for."""
    material = services().library.get(material_id)
    evaluation = _evaluation(material_id, query)
    return {"findings": turned_findings(triage_of(material, evaluation), evaluation)}


@endpoint(blueprint, "GET", "/api/materials/<material_id>/next", answer=answers.NextSteps, query=Slotted)
def what_comes_next(material_id: str, query: Slotted) -> Any:
    """What the material needs, what comes first first: squared, tiled, then what Check finds."""
    library = services().library
    material = library.get(material_id)
    evaluation = _evaluation(material_id, query)
    steps = next_steps(evaluation, _checked(evaluation, material), triage_of(material, evaluation))
    packed = cards.packed_head(material.id) == material.head
    return {"revision": material.revision, "steps": [asdict(step) for step in steps], "packed": packed}


@endpoint(
    blueprint, "GET", "/api/materials/<material_id>/planned/<int:number>.jpg", query=PlannedQuery, media=("image/jpeg",)
)
def planned_shown(material_id: str, number: int, query: PlannedQuery) -> Any:
    """One file of the pack as its numbers will be, whole or one channel of it."""
    evaluation = _keyed(material_id, query, _composite("planned"))
    material = services().library.get(material_id)
    files = planned(evaluation.recipe, material.name).files
    if number >= len(files) and query.key:
        # The list of files it was taken from belongs to a state that has passed.
        raise PassedState(
            "The pack has no such file any more.",
            remedy="Ask for the files of the newest state.",
            revision=material.revision,
        )
    if number >= len(files):
        raise NotFound("The pack has no such file any more.")
    side = min(max(query.side, 16), PLAN_SIDE)
    return _kept(preview.planned_picture(evaluation, files[number], query.channel, side=side), "image/jpeg", query)


@endpoint(
    blueprint,
    "GET",
    "/api/materials/<material_id>/planned/<int:number>/whole",
    query=Slotted,
    media=("application/octet-stream",),
)
def planned_whole(material_id: str, number: int, query: Slotted) -> Any:
    """One file of the pack at its finished size, as it will be written."""
    material = services().library.get(material_id)
    written = one_file(_evaluation(material_id, query), material.name, number)
    title = written.name.rsplit("/", 1)[-1]
    return send_file(io.BytesIO(written.data), "application/octet-stream", as_attachment=True, download_name=title)


@endpoint(blueprint, "GET", "/api/thumbnails/<blob>.jpg", media=("image/jpeg",))
def thumbnail(blob: str) -> Any:
    data = services().library.blobs.get(blob)
    return Response(data, mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400, immutable"})


@endpoint(blueprint, "POST", "/api/surroundings", answer=answers.SurroundingsBrought, query=Named, upload=True)
def surroundings_brought(query: Named) -> Any:
    """A panorama of one's own, for the lit view."""
    file_name = query.file[:120]
    data = request.get_data(cache=False)
    return {"name": own_surroundings(services().config.folder, data, file_name), "label": file_name}


@endpoint(blueprint, "GET", "/api/surroundings/<name>.bin", media=("application/octet-stream",))
def surroundings(name: str) -> Any:
    data = surroundings_bytes(services().config.folder, name)
    return Response(
        data, mimetype="application/octet-stream", headers={"Cache-Control": "private, max-age=86400, immutable"}
    )
