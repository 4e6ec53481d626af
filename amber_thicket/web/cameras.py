"""Routes of colour targets and camera profiles."""

from __future__ import annotations

from typing import Annotated, Any

from flask import Blueprint, Response
from pydantic import Field

from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.service import answers, chart
from amber_thicket.service.library import clean_name
from amber_thicket.store.models import CameraProfile
from amber_thicket.web.endpoint import Body, Query, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("cameras", __name__)
Share = Annotated[float, Field(ge=-0.5, le=1.5)]


class ChartIn(Body):
    """file: key of the file that shows the target, "" for the photograph. corners: middles of its corner patches where
    they were marked: dark skin, bluish green, black, white."""

    file: str = ""
    corners: list[tuple[Share, Share]] = Field(default_factory=list, max_length=4)


class ChartShown(Query):
    """file: key of the file; corners: eight numbers with commas, x and y of the corner patches."""

    file: str = ""
    corners: str


class ProfileToKeep(Body):
    """A camera profile to keep. matrix: nine numbers, row by row. before, after: mean ΔE00."""

    name: str = Field(min_length=1, max_length=120)
    matrix: list[float] = Field(min_length=9, max_length=9)
    before: float = Field(ge=0)
    after: float = Field(ge=0)


@endpoint(blueprint, "POST", "/api/materials/<material_id>/chart", answer=answers.ChartFound, body=ChartIn)
def chart_found(material_id: str, body: ChartIn) -> Any:
    """The colour target in a photograph, what it says of the camera, and the settings that follow."""
    library = services().library
    target, fit = chart.found(library.evaluation(library.get(material_id)), body.file, body.corners)
    return chart.described(target, fit)


@endpoint(blueprint, "GET", "/api/materials/<material_id>/chart.jpg", query=ChartShown, media=("image/jpeg",))
def chart_shown(material_id: str, query: ChartShown) -> Any:
    """The photograph with the places that are read on it."""
    try:
        numbers = [float(part) for part in query.corners.split(",")]
    except ValueError:
        numbers = []
    if len(numbers) != 8 or not all(-1 < number < 2 for number in numbers):
        raise BadSetting("Corners are eight numbers.", remedy="Send x and y of four patches.", setting="corners")
    library = services().library
    evaluation = library.evaluation(library.get(material_id))
    target, _ = chart.found(evaluation, query.file, list(zip(numbers[::2], numbers[1::2], strict=True)))
    return Response(chart.picture(evaluation, query.file, target), mimetype="image/jpeg")


@endpoint(blueprint, "GET", "/api/chart.svg", media=("image/svg+xml",))
def chart_to_print() -> Any:
    """The target as a page to print."""
    return Response(chart.printed_page(), mimetype="image/svg+xml")


@endpoint(blueprint, "GET", "/api/cameras", answer=list[answers.CameraProfile])
def listed() -> Any:
    """All camera profiles, by name."""
    return [chart.profile_json(profile) for profile in CameraProfile.select().order_by(CameraProfile.name)]


@endpoint(blueprint, "POST", "/api/cameras", answer=answers.CameraProfile, body=ProfileToKeep)
def kept(body: ProfileToKeep) -> Any:
    """Keeps a profile for other captures; one of the same name is replaced."""
    return chart.profile_json(chart.keep_profile(clean_name(body.name), body.matrix, body.before, body.after))


@endpoint(blueprint, "DELETE", "/api/cameras/<int:profile_id>", answer=answers.Nothing)
def dropped(profile_id: int) -> Any:
    """Forgets a profile; materials that were brought to it keep their matrix."""
    if not CameraProfile.delete().where(CameraProfile.id == profile_id).execute():
        raise NotFound("There is no such camera profile.", remedy="Reload the page.")
    return {}
