"""Route of sheets."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify
from pydantic import Field

from amber_thicket.service import sheet as sheets
from amber_thicket.web.materials import Body, body, brief
from amber_thicket.web.services import services

blueprint = Blueprint("sheets", __name__)


class Sheet(Body):
    """Cut-outs to lay out."""

    materials: list[str] = Field(max_length=100)
    name: str = Field("Sheet", max_length=120)
    side: int = 2048
    padding: int = 16


@blueprint.post("/api/sheets")
def sheet() -> Response:
    """Several cut-outs on one sheet, as a material of its own."""
    wanted, library = body(Sheet), services().library
    material = sheets.sheet(library, wanted.materials, name=wanted.name, side=wanted.side, padding=wanted.padding)
    services().events.announce("library", {"id": material.id})
    return jsonify(brief(material))
