"""Routes that answer with pictures and measurements. Pictures are asked for by content key and kept by the browser."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response, jsonify, request
from peewee import OperationalError

from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.memory import Cancel
from amber_thicket.errors import BadSetting, NotFound, PassedState, WriteFailed
from amber_thicket.service import preview, square
from amber_thicket.service.bake import check
from amber_thicket.service.joins import joins
from amber_thicket.service.surroundings import own_surroundings, surroundings_bytes
from amber_thicket.service.zones import suggested_zones
from amber_thicket.web.services import services

blueprint = Blueprint("pictures", __name__)
# Tile widths; nobody scrolls farther.
_FARTHEST = 1e6
_KINDS = {"jpg": "image/jpeg", "png": "image/png", "u16": "application/octet-stream"}


def _evaluation(material_id: str) -> Evaluation:
    """The material's newest state."""
    library = services().library
    return services().watched(material_id, library.evaluation(library.get(material_id), _cancel(material_id)))


def _cancel(material_id: str) -> Cancel:
    slot = request.args.get("slot")
    return services().slots.take(slot and f"{material_id}/{slot}")


def _keyed(material_id: str, key_of: Callable[[Evaluation], str]) -> Evaluation:
    """The state whose picture has the key that is asked for; the newest where none is named.

    A picture served under a key always has that key's pixels. Raises PassedState, with the newest revision, for a key
    that was handed out but whose state has passed, NotFound for one that nobody handed out.
    """
    key = request.args.get("key", "")
    if not key:
        return _evaluation(material_id)
    kept, cancel = services(), _cancel(material_id)
    material = kept.library.get(material_id)
    for evaluation in kept.library.recent_evaluations(material, cancel):
        if key_of(evaluation) == key:
            return kept.watched(material_id, evaluation)
    if kept.issued.knows(material_id, key):
        raise PassedState(
            "This picture belongs to a state that has passed.",
            remedy="Ask for the one of the newest state.",
            revision=material.revision,
        )
    raise NotFound("There is no picture of this key.", remedy="Keys are told with the material.")


def _composite(name: str) -> Callable[[Evaluation], str]:
    return lambda evaluation: preview.composite_keys(evaluation, preview.keys(evaluation))[name]


def _place(otherwise: float) -> tuple[float, float]:
    """Where somebody points, as ?x=…&y=… Raises BadSetting for what is no place."""
    x, y = request.args.get("x", otherwise, float), request.args.get("y", otherwise, float)
    if not (math.isfinite(x) and math.isfinite(y) and max(abs(x), abs(y)) <= _FARTHEST):
        raise BadSetting("x and y are no place.", remedy="Give them in tile widths, as 0.25.", setting="x")
    return x, y


def _side() -> int:
    return min(max(request.args.get("side", PLAN_SIDE, int), 64), preview.LARGEST)


def _kept(data: bytes, kind: str) -> Response:
    """Kept for good by the browser where it was asked for by its key, which was held against the pixels."""
    headers = {"Cache-Control": "private, max-age=86400, immutable"} if request.args.get("key") else {}
    return Response(data, mimetype=kind, headers=headers)


@blueprint.get("/api/materials/<material_id>/picture/<layer>.<kind>")
def picture(material_id: str, layer: str, kind: str) -> Response:
    if kind not in _KINDS:
        raise NotFound(f"Pictures come as {', '.join(_KINDS)}.")
    if layer == "packed" and kind == "png":
        return _kept(preview.packed(_keyed(material_id, _composite("packed")), side=_side()), _KINDS[kind])
    evaluation = _keyed(material_id, lambda state: preview.key_of(state, layer))
    response = _kept(preview.picture(evaluation, layer, kind=kind, side=_side()), _KINDS[kind])
    if layer == "height":
        # How far white stands above black, in tile widths: what displacement needs.
        size = preview.preview_size(evaluation, _side())
        response.headers["X-Height-Span"] = f"{evaluation.layer('height', size).span:.6f}"
        response.headers["X-Size"] = f"{size[0]}x{size[1]}"
    return response


@blueprint.get("/api/materials/<material_id>/zones/<zone>.jpg")
def zone_shown(material_id: str, zone: str) -> Response:
    """The colour where a zone is, grey elsewhere."""
    evaluation = _keyed(material_id, lambda state: preview.zone_keys(state).get(zone, ""))
    return _kept(preview.zone_picture(evaluation, zone, side=_side()), "image/jpeg")


@blueprint.get("/api/materials/<material_id>/zones/suggested")
def zones_suggested(material_id: str) -> Response:
    """Regions of like colour, to start from."""
    return jsonify(suggested_zones(_evaluation(material_id)))


@blueprint.get("/api/materials/<material_id>/joins/<where>.png")
def joins_shown(material_id: str, where: str) -> Response:
    """Where the joins run, to lay over the tile or the sample."""
    return _kept(joins(_keyed(material_id, _composite("joins")), where), "image/png")


@blueprint.get("/api/materials/<material_id>/strip.jpg")
def strip(material_id: str) -> Response:
    evaluation = _keyed(material_id, _composite("strip"))
    data = preview.strip(evaluation)
    library = services().library
    material = library.get(material_id)
    # A disk that is full keeps nobody from looking.
    with contextlib.suppress(WriteFailed, OperationalError):
        library.keep_thumbnail(material, preview.thumbnail(evaluation))
    return _kept(data, "image/jpeg")


@blueprint.get("/api/materials/<material_id>/probe")
def probe(material_id: str) -> Response:
    evaluation = _evaluation(material_id)
    x, y = _place(0.0)
    return jsonify(preview.probe(evaluation, x, y))


@blueprint.get("/api/materials/<material_id>/compare")
def compare(material_id: str) -> Response:
    one, other = request.args.get("one", ""), request.args.get("other", "")
    return jsonify(preview.compared(_evaluation(material_id), one, other))


@blueprint.get("/api/materials/<material_id>/histogram/<layer>")
def histogram(material_id: str, layer: str) -> Response:
    return jsonify(preview.histogram(_evaluation(material_id), layer))


@blueprint.get("/api/materials/<material_id>/enlarged")
def enlarged(material_id: str) -> Response:
    """Plain enlarging and own detail beside it at 1:1 (PNG), with the figures in headers."""
    x, y = _place(0.5)
    found = square.enlarged(_keyed(material_id, _composite("enlarged")), min(max(x, 0), 1), min(max(y, 0), 1))
    response = _kept(found.picture, "image/png")
    response.headers["X-Gain"] = f"{found.gain:.3f}"
    response.headers["X-Doublings"] = str(found.doublings)
    response.headers["X-Finest"] = f"{found.finest:.3f}"
    return response


@blueprint.get("/api/materials/<material_id>/figures")
def figures(material_id: str) -> Response:
    return jsonify(preview.figures(_evaluation(material_id)))


@blueprint.get("/api/materials/<material_id>/checks")
def checks(material_id: str) -> Response:
    material = services().library.get(material_id)
    return jsonify({"revision": material.revision, "findings": check(_evaluation(material_id), material.name)})


@blueprint.get("/api/materials/<material_id>/plan")
def plan(material_id: str) -> Response:
    """The files a pack would hold."""
    library = services().library
    material = library.get(material_id)
    found = planned(library.recipe(material), material.name)
    files: list[dict[str, Any]] = [
        {
            "name": file.name,
            "format": file.format,
            "roles": list(file.roles),
            "contents": list(file.contents),
            "floating": file.floating,
            "bits": file.bits,
            "encoding": file.encoding,
            "y": file.y,
        }
        for file in found.files
    ]
    return jsonify(
        {
            "profile": found.profile.id,
            "label": found.profile.label,
            "files": files,
            "left_out": list(found.left_out),
            "extra": [title for _, title in found.scenes] + [f"{found.stem}_manifest.json"],
        }
    )


@blueprint.get("/api/materials/<material_id>/planned/<int:number>.jpg")
def planned_shown(material_id: str, number: int) -> Response:
    """One file of the pack as its numbers will be, whole or one channel of it."""
    evaluation = _keyed(material_id, _composite("planned"))
    files = planned(evaluation.recipe, services().library.get(material_id).name).files
    if number >= len(files):
        raise NotFound("The pack has no such file any more.")
    side = min(max(request.args.get("side", 64, int), 16), PLAN_SIDE)
    channel = request.args.get("channel", "")
    return _kept(preview.planned_picture(evaluation, files[number], channel, side=side), "image/jpeg")


@blueprint.get("/api/thumbnails/<blob>.jpg")
def thumbnail(blob: str) -> Response:
    data = services().library.blobs.get(blob)
    return Response(data, mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400, immutable"})


@blueprint.post("/api/surroundings")
def surroundings_brought() -> Response:
    """A panorama of one's own, for the lit view."""
    file_name = request.args.get("file", "panorama")[:120]
    data = request.get_data(cache=False)
    return jsonify({"name": own_surroundings(services().config.folder, data, file_name), "label": file_name})


@blueprint.get("/api/surroundings/<name>.bin")
def surroundings(name: str) -> Response:
    data = surroundings_bytes(services().config.folder, name)
    return Response(
        data, mimetype="application/octet-stream", headers={"Cache-Control": "private, max-age=86400, immutable"}
    )
