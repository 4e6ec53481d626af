"""Fit by eye: readings of the height put beside each other, lit, for somebody to choose the one that looks right."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.graph import Evaluation, fit_side
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.relief.by_eye import ROUNDS, Changes, Reading, alike, readings, worth_showing
from amber_thicket.core.relief.sure import agreement_of_cues
from amber_thicket.core.shading.slope import slopes
from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.service.preview import encoded, preview_size

# Readings are compared at this size, and shown as parts of so many px of a preview.
_COMPARED, PART = 384, 288


class Question(NamedTuple):
    """shown: what to choose among. place: left, top in px of a preview, where they differ most. more: how many readings
    were not shown yet."""

    shown: tuple[Reading, ...]
    place: tuple[int, int]
    more: int


def question(evaluation: Evaluation, round: str, chosen: Changes, refused: Sequence[str] = ()) -> Question:
    """What to ask next. round: of ROUNDS. chosen: settings of earlier rounds. refused: readings of this round that were
    shown already. Raises BadSetting."""
    if round not in ROUNDS:
        raise BadSetting(f"There is no round “{round[:40]}”.", remedy=f"Known: {', '.join(ROUNDS)}.", setting="round")
    base = evaluation.with_changes(chosen)
    rows = readings(round, base.recipe.settings("relief.height").steepness)
    left = [row for row in rows if row.id not in refused]
    if not left:
        raise BadSetting("All readings were shown.", remedy="Choose one of them.", setting="refused")
    size = fit_side(base.recipe, _COMPARED)
    heights = []
    for number, row in enumerate(left):
        report_progress(number / len(left), "Reading the height")
        heights.append(base.with_changes(row.changes).layer("formed", size).pixels)
    if round == "steepness":
        shown = list(range(len(left)))
    else:
        first = 0 if not refused else None
        shown = worth_showing([row.likely for row in left], alike(heights), first)
    at = _where_they_differ([heights[k] for k in shown], preview_size(base))
    return Question(tuple(left[k] for k in shown), at, len(left) - len(shown))


def _where_they_differ(heights: Sequence[Pixels], size: tuple[int, int]) -> tuple[int, int]:
    """Left and top of the part of a preview where readings differ most."""
    fields = []
    for height in heights:
        right, up = slopes(height, wraps=True)
        power = max(float(np.sqrt((right * right + up * up).mean())), 1e-9)
        fields.append(np.stack([right, up]) / power)
    spread = np.var(np.stack(fields), axis=0).sum(0).astype(np.float32)
    rows, columns = spread.shape
    part = PART * columns / size[0]
    # A strong edge is no reason to look there: what counts is how much differs over the whole part.
    calm = np.minimum(spread, np.float32(np.percentile(spread, 95)))
    whole = blur(np.ascontiguousarray(calm), part / 3, wraps=True)
    half = int(part / 2)
    inner = whole[half : max(rows - half, half + 1), half : max(columns - half, half + 1)]
    y, x = np.unravel_index(int(inner.argmax()), inner.shape)
    return int(x * size[0] / columns), int(y * size[1] / rows)


def _part(pixels: Pixels, place: tuple[int, int]) -> Pixels:
    left, top = place
    return np.ascontiguousarray(pixels[top : top + PART, left : left + PART])


def described(evaluation: Evaluation, round: str, chosen: Changes, refused: Sequence[str] = ()) -> dict[str, Any]:
    """A question with its pictures: normals of each reading, the photograph, and the colour without its light."""
    asked = question(evaluation, round, chosen, refused)
    base = evaluation.with_changes(chosen)
    size = preview_size(base)
    options = []
    for row in asked.shown:
        ready = base.with_changes(row.changes)
        codes = np.rint((_part(ready.layer("normal", size).pixels, asked.place) * 0.5 + 0.5).clip(0, 1) * 255)
        options.append(
            {"id": row.id, "label": row.label, "changes": row.changes, "normal": _png(codes.astype(np.uint8))}
        )
    color = _part(base.layer("tiled", size).pixels, asked.place)
    return {
        "round": round,
        "options": options,
        "color": _jpeg(color),
        "photograph": _jpeg(_part(base.layer("tiled.as_shot", size).pixels, asked.place)),
        "more": asked.more,
    }


def _png(codes: Any) -> str:
    return "data:image/png;base64," + base64.b64encode(encoded(codes, "png")).decode()


def _jpeg(linear: Pixels) -> str:
    data = encoded(encode_srgb8(np.ascontiguousarray(linear.clip(0, 1))), "jpg", 88)
    return "data:image/jpeg;base64," + base64.b64encode(data).decode()


def sure(evaluation: Evaluation) -> Pixels:
    """(H, W) in 0..1: where the cues of one photograph agree with the height that is taken, at plan size. Raises
    NotFound where the height was not read from colour."""
    given = evaluation.given(BY_ID["relief.height"])
    if given is not None:
        raise NotFound(
            "This height was not read from the colour.", remedy="A walk-by shows where its photographs agree."
        )
    size = fit_side(evaluation.recipe, _COMPARED)
    taken = evaluation.layer("formed", size).pixels
    tone, shading = (
        evaluation.with_changes({"relief.cues.estimator": name}).layer("cue", size).pixels
        for name in ("tone", "shading")
    )
    return agreement_of_cues(tone, shading, taken, size[0])


def sure_picture(evaluation: Evaluation) -> bytes:
    """What sure() tells, as JPEG: white is sure."""
    codes = np.rint(sure(evaluation) * 255).astype(np.uint8)
    return encoded(np.repeat(codes[..., None], 3, -1), "jpg", 88)


def fitted(evaluation: Evaluation, choose: Any, rounds: Sequence[str] = ROUNDS) -> Changes:
    """The settings somebody ends with who answers every question by choose(question, evaluation): the number of a
    reading, or None for others."""
    chosen: Changes = {}
    for round in rounds:
        refused: list[str] = []
        while True:
            asked = question(evaluation, round, chosen, refused)
            number = choose(asked, evaluation.with_changes(chosen))
            if number is not None or not asked.more:
                chosen |= asked.shown[number or 0].changes
                break
            refused += [row.id for row in asked.shown]
    return chosen
