"""Fit by eye over HTTP: a question at a time; nothing is changed until the page sets what was chosen."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.core.progress import progress_to
from amber_thicket.service import answers, by_eye
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("by_eye", __name__)


class EyeAsked(Body):
    """round: "cue", "size" or "steepness". chosen: settings of the rounds before. refused: readings of this round that
    were shown already."""

    round: str = Field(max_length=40)
    chosen: dict[str, Any] = Field(default={}, max_length=64)
    refused: list[str] = Field(default=[], max_length=64)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/by-eye", answer=answers.EyeQuestion, body=EyeAsked)
def asked(material_id: str, body: EyeAsked) -> Any:
    """Readings of the height to choose among, with pictures of one place."""
    kept = services()
    material = kept.library.get(material_id)
    cancel = kept.slots.take(f"{material_id}/by-eye")
    evaluation = kept.watched(material_id, kept.library.evaluation(material, cancel))

    def heard(share: float, what: str) -> None:
        cancel.check()
        if evaluation.told:
            evaluation.told(share, what)

    with progress_to(heard):
        return by_eye.described(evaluation, body.round, body.chosen, body.refused)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/sure.jpg", media=("image/jpeg",))
def sure(material_id: str) -> Any:
    """Where the cues of one photograph agree on its height; white is sure."""
    library = services().library
    data = by_eye.sure_picture(library.evaluation(library.get(material_id)))
    return Response(data, mimetype="image/jpeg", headers={"Cache-Control": "no-store"})
