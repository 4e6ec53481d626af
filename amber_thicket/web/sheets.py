"""Route of sheets."""

from __future__ import annotations

from typing import Any

from flask import Blueprint
from pydantic import Field

from amber_thicket.service import answers
from amber_thicket.service import sheet as sheets
from amber_thicket.web.endpoint import Body, endpoint
from amber_thicket.web.materials import material_summary
from amber_thicket.web.services import services

blueprint = Blueprint("sheets", __name__)


class Sheet(Body):
    """Cut-outs to lay out."""

    materials: list[str] = Field(max_length=100)
    name: str = Field("Sheet", max_length=120)
    side: int = 2048
    padding: int = 16


@endpoint(blueprint, "POST", "/api/sheets", answer=answers.Brief, body=Sheet)
def sheet(body: Sheet) -> Any:
    """Several cut-outs on one sheet, as a material of its own."""
    wanted, library = body, services().library
    material = sheets.sheet(library, wanted.materials, name=wanted.name, side=wanted.side, padding=wanted.padding)
    services().events.announce("library", {"id": material.id})
    return material_summary(material)
