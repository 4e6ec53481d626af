"""A colour target in a photograph: found or marked, its matrix, and camera profiles that are kept of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.chart.find import Chart, chart_at, find_chart
from amber_thicket.core.chart.fit import ChartFit, fit_chart
from amber_thicket.core.chart.reference import COLUMNS, PATCHES, ROWS, reference_linear
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.raster import Pixels
from amber_thicket.core.source import Source, halvings
from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.service.preview import encoded
from amber_thicket.store.models import CameraProfile

_LOOK, _SHOWN = 2000, 900


def _pixels(evaluation: Evaluation, key: str) -> Pixels:
    source: Source | None = evaluation.inputs.picture if not key else evaluation.files.get(key)
    if source is None:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    how = evaluation.recipe.settings("gather.white")
    level = halvings(max(source.width, source.height), 2 * _LOOK - 1)
    return source.read(level, white=how.raw_white, highlights=how.raw_highlights).pixels


def found(evaluation: Evaluation, key: str, corners: Sequence[Sequence[float]] = ()) -> tuple[Chart, ChartFit]:
    """The target in a file ("" for the photograph) and what it says. corners: middles of its corner patches, dark skin
    first and clockwise, in 0..1, where they were marked. Raises NotFound, UnreadableFile."""
    pixels = _pixels(evaluation, key)
    if corners and len(corners) != 4:
        raise BadSetting("Four corner patches are marked.", remedy="Mark all four, dark skin first.", setting="corners")
    chart = chart_at(pixels, np.array(corners, np.float64)) if corners else find_chart(pixels)
    return chart, fit_chart(chart.colours)


def _hex(codes: Sequence[int]) -> str:
    red, green, blue = codes
    return f"#{red:02x}{green:02x}{blue:02x}"


def described(chart: Chart, fit: ChartFit) -> dict[str, Any]:
    """What the page shows of a target, and the settings that follow."""
    wanted = encode_srgb8(np.ascontiguousarray(reference_linear().clip(0, 1)[None], np.float32))[0]
    gain = np.float32(2.0**fit.stops)
    made = (chart.colours @ fit.matrix.T * gain).clip(0, 1)
    shown = encode_srgb8(np.ascontiguousarray(made[None], np.float32))[0]
    rows = [
        {
            "name": PATCHES[number][0],
            "wanted": _hex(wanted[number]),
            "made": _hex(shown[number]),
            "before": round(float(fit.before[number]), 2),
            "after": round(float(fit.after[number]), 2),
            "used": bool(fit.used[number]),
        }
        for number in range(len(PATCHES))
    ]
    return {
        "corners": [[round(float(v), 5) for v in corner] for corner in chart.corners],
        "sure": round(chart.sure, 2),
        "patches": rows,
        "before": round(float(fit.before[fit.used].mean()), 2),
        "after": round(float(fit.after[fit.used].mean()), 2),
        "worst": round(float(fit.after[fit.used].max()), 2),
        "stops": round(fit.stops, 2),
        "changes": changes_of(fit.matrix.ravel().tolist(), fit.stops),
    }


def changes_of(matrix: Sequence[float], stops: float | None = None) -> dict[str, Any]:
    """Settings that take a matrix. stops: of exposure; None leaves it. White is in the matrix: gains go back to 1."""
    changes: dict[str, Any] = {
        "gather.camera.matrix": [round(float(value), 6) for value in matrix],
        "gather.camera.amount": None,
        **{f"gather.white.{colour}": None for colour in ("red", "green", "blue")},
    }
    if stops is not None:
        changes["gather.white.exposure"] = round(min(max(stops, -4.0), 4.0), 2)
    return changes


def keep_profile(name: str, matrix: Sequence[float], before: float, after: float) -> CameraProfile:
    """Keeps a matrix under a name; one of the same name is replaced. Raises BadSetting."""
    if len(matrix) != 9:
        raise BadSetting("A camera profile is nine numbers.", remedy="Find the colour target first.", setting="matrix")
    values = {"matrix": [round(float(v), 6) for v in matrix], "before": before, "after": after}
    made, fresh = CameraProfile.get_or_create(name=name, defaults=values)
    if not fresh:
        CameraProfile.update(**values).where(CameraProfile.id == made.id).execute()
    return CameraProfile.get_by_id(made.id)


def profile_json(profile: CameraProfile) -> dict[str, Any]:
    return {
        "id": profile.id, "name": profile.name, "matrix": profile.matrix, "before": profile.before,
        "after": profile.after, "created": profile.created,
    }  # fmt: skip


def picture(evaluation: Evaluation, key: str, chart: Chart) -> bytes:
    """The part of the photograph the target lies in, with the places that were read on it, as JPEG."""
    pixels, at = _pixels(evaluation, key), chart.corners
    room = 0.3 * (at.max(0) - at.min(0))
    (left, top), (right, bottom) = (at.min(0) - room).clip(0, 1), (at.max(0) + room).clip(0, 1)
    rows, columns = pixels.shape[:2]
    pixels = pixels[int(top * rows) : int(bottom * rows) + 1, int(left * columns) : int(right * columns) + 1]
    at = (at - (left, top)) / (right - left, bottom - top)
    factor = max(1, round(max(pixels.shape[:2]) / _SHOWN))
    size = (pixels.shape[1] // factor, pixels.shape[0] // factor)
    codes = encode_srgb8(np.ascontiguousarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA).clip(0, 1)))
    grid = np.array([[0, 0], [COLUMNS - 1, 0], [COLUMNS - 1, ROWS - 1], [0, ROWS - 1]], np.float32)
    to_picture = cv2.getPerspectiveTransform(grid, (at * np.array(size)).astype(np.float32))
    for number in range(ROWS * COLUMNS):
        row, column = divmod(number, COLUMNS)
        box = np.array(
            [[[column + dx, row + dy] for dx, dy in ((-0.25, -0.25), (0.25, -0.25), (0.25, 0.25), (-0.25, 0.25))]]
        )
        at = cv2.perspectiveTransform(box.astype(np.float32), to_picture)
        for colour, wide in (((0, 0, 0), 3), ((255, 255, 255), 1)):
            cv2.polylines(codes, [np.rint(at[0]).astype(np.int32)], True, colour, wide, cv2.LINE_AA)
    return encoded(codes, "jpg", 88)


def printed_page() -> str:
    """A page with the target to print, as SVG: 24 patches of 25 mm with their names.

    What a printer makes of the colours is the printer's; a bought target has measured ones.
    """
    cell, gap, margin = 25.0, 3.0, 15.0
    wide, high = 2 * margin + COLUMNS * (cell + gap) - gap, 2 * margin + ROWS * (cell + gap + 4) - gap
    codes = encode_srgb8(np.ascontiguousarray(reference_linear().clip(0, 1)[None], np.float32))[0]
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{high:g}mm" '
        f'viewBox="0 0 {wide:g} {high:g}"><rect width="100%" height="100%" fill="#101010"/>'
    ]
    for number, (name, *_rest) in enumerate(PATCHES):
        row, column = divmod(number, COLUMNS)
        x, y = margin + column * (cell + gap), margin + row * (cell + gap + 4)
        colour = _hex(codes[number])
        parts.append(
            f'<rect x="{x:g}" y="{y:g}" width="{cell:g}" height="{cell:g}" fill="{colour}"/>'
            f'<text x="{x:g}" y="{y + cell + 3.2:g}" font-size="2.6" font-family="sans-serif" fill="#9a9a9a">'
            f"{name} {colour}</text>"
        )
    return "".join(parts) + "</svg>"
