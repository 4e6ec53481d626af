"""What the program works out for a light set: what its photographs say, and pictures that prove it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import cv2
import numpy as np

from amber_thicket.core.gather.lights import FEWEST, Lamp, standing
from amber_thicket.core.gather.roles import LEAVE_COLOUR
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.lightset.find import LightSetReport, analyze_light_set, check_light_set
from amber_thicket.core.lightset.source import LightSet
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.progress import progress_to, report_progress
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.roughness import measured
from amber_thicket.core.source import halvings
from amber_thicket.errors import NotFound, UnreadableFile
from amber_thicket.service.preview import encoded

Shown = Literal["photograph", "relit", "difference", "residual"]
_TINY, _SHOWN_SIDE = 320, 900
# Differences and residuals are shown this many times as strong.
_STRONG = 4.0


def with_frame(recipe: Recipe, key: str) -> dict[str, Any]:
    """Settings with one more photograph at the end of the ring."""
    lamps = recipe.settings("gather.lights").frames
    if key in {lamp.file for lamp in lamps}:
        return {}
    changes: dict[str, Any] = {"gather.lights.frames": (*lamps, Lamp(file=key))}
    if len(lamps) + 1 == FEWEST:
        # What is worked out has no light left in it, and its roughness is measured.
        changes |= {**LEAVE_COLOUR, "response.roughness.low": 0.0, "response.roughness.high": 1.0}
    return changes


def without_frame(recipe: Recipe, key: str) -> dict[str, Any]:
    """Settings with a photograph taken out of the ring."""
    lamps = recipe.settings("gather.lights").frames
    kept = tuple(lamp for lamp in lamps if lamp.file != key)
    return {"gather.lights.frames": kept} if len(kept) < len(lamps) else {}


def light_set_found(
    evaluation: Evaluation, names: dict[str, str], say: Callable[[float, str], None] = lambda share, what: None
) -> LightSetReport:
    """What the photographs of a material's light set say. names: of its files, by key.

    say hears how far it is. Raises UnreadableFile naming the photograph that cannot belong to it, Cancelled.
    """

    def heard(share: float, what: str) -> None:
        evaluation.cancel.check()
        say(share, what)

    with progress_to(heard):
        return _found(evaluation, names)


def _found(evaluation: Evaluation, names: dict[str, str]) -> LightSetReport:
    settings = evaluation.recipe.settings("gather.lights")
    lamps = [lamp for lamp in settings.frames if lamp.file in evaluation.files and not lamp.out]
    frames = [evaluation.files[lamp.file] for lamp in lamps]
    called = [names.get(lamp.file, lamp.file) for lamp in lamps]
    small = []
    for number, frame in enumerate(frames):
        report_progress(0.25 * number / len(frames), "Looking at the photographs")
        small.append(_tiny(frame.read(halvings(max(frame.width, frame.height), 2 * _TINY)).pixels))
    check_light_set(called, [(frame.width, frame.height) for frame in frames], small)
    made = evaluation.lights
    if made is None:
        raise UnreadableFile("These lamps do not stand round the surface.", remedy="Give the lamps other bearings.")
    report_progress(0.25, "Comparing the photographs")
    steady = made.steady()
    every = evaluation.files.get(settings.all_lights)
    level = made.look_level()
    lit = every.read(level).pixels if every and (every.width, every.height) == made.size else None
    report = analyze_light_set(made.as_shot(level), settings, steady, called, lit)
    # Centre and Spread begin at what was measured.
    solved = evaluation.with_changes(report.changes).lights
    if solved is None or "roughness" not in evaluation.brought or evaluation.recipe.settings("gather.maps").roughness:
        return report
    report_progress(0.97, "Reading the glints")
    found = measured(solved.roughness(level))
    said = {"response.roughness.centre": found.centre, "response.roughness.spread": found.spread}
    return replace(report, changes=report.changes | said)


def _tiny(pixels: Any) -> Any:
    factor = _TINY / max(pixels.shape[:2])
    size = (max(1, round(pixels.shape[1] * factor)), max(1, round(pixels.shape[0] * factor)))
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA) if factor < 1 else pixels


def _whole(evaluation: Evaluation) -> LightSet:
    if evaluation.lights is None:
        raise NotFound("This material has no light set.", remedy=f"It takes {FEWEST} photographs of one size.")
    return evaluation.lights


def described(evaluation: Evaluation, names: dict[str, str]) -> dict[str, Any]:
    """The ring as the page draws it: every photograph with its lamp, how well it is explained, what was put right."""
    settings = evaluation.recipe.settings("gather.lights")
    lamps = settings.frames
    degrees, high = standing(settings)
    made = evaluation.lights
    rows: list[dict[str, Any]] = [
        {"file": lamp.file, "name": names.get(lamp.file, ""), "bearing": round(float(a), 1),
         "elevation": round(float(e), 1), "own": lamp.bearing is not None, "out": lamp.out, "used": False}
        for lamp, a, e in zip(lamps, degrees, high, strict=True)
    ]  # fmt: skip
    if made is None:
        return {"frames": rows, "key": "", "fewest": FEWEST}
    steady, level = made.steady(), made.look_level()
    solved = made.solved(level)
    by_key = {frame.key: number for number, frame in enumerate(made.frames)}
    for row in rows:
        source = evaluation.files.get(row["file"])
        number = by_key.get(source.key) if source else None
        if number is None:
            continue
        shift = np.hypot(*steady.shifts[number]) * made.size[0]
        row |= {"used": True, "shift": round(float(shift), 2), "stops": round(float(-np.log2(steady.gains[number])), 2)}
    gloss = made.gloss()
    return {
        "frames": rows,
        "key": made.key,
        "fewest": FEWEST,
        "residual": round(float(np.median(solved.residual)), 4),
        "roughness": round(gloss.roughness, 2),
        "glints": gloss.strength > 0,
    }


def key_of(evaluation: Evaluation) -> str:
    """The content key of the pictures of a light set; "" where there is none."""
    return evaluation.lights.key if evaluation.lights else ""


def picture(evaluation: Evaluation, number: int, what: Shown) -> bytes:
    """One photograph of the light set, what the solved surface looks like under its lamp, four times the difference,
    or what no surface explains, as JPEG."""
    made = _whole(evaluation)
    if not 0 <= number < len(made.frames):
        raise NotFound("There is no such photograph.", remedy=f"This light set has {len(made.frames)}.")
    level = made.look_level()
    if what == "residual":
        pixels = np.repeat((made.solved(level).residual * _STRONG).clip(0, 1)[..., None], 3, -1)
    else:
        photo = made.frame(number, level)
        pixels = photo if what == "photograph" else made.relit(number, level)
        if what == "difference":
            pixels = np.abs(photo - pixels) * np.float32(_STRONG)
    factor = max(1, max(pixels.shape[:2]) // _SHOWN_SIDE)
    return encoded(encode_srgb8(shrink(np.ascontiguousarray(pixels.clip(0, 1), np.float32), factor)), "jpg", 88)
