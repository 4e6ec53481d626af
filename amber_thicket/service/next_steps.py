"""What a material needs next: first that it lies square, then that it tiles well, then what Check finds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.operation import STAGES
from amber_thicket.core.roles import EVERY
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.core.square.propose import Proposal
from amber_thicket.errors import BadSetting
from amber_thicket.service.broken import broken_by_joins
from amber_thicket.service.left_out import leave_out
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts
from amber_thicket.service.square import proposal
from amber_thicket.service.tiling import Suggestion, suggestion

_FLAT, _JOIN, _CUT_OUT = "square.flat", "tile.join", "tile.cutout"
# Degrees from which on a tilt that corners tell is worth a word.
_TILTED = 2.0
# So many pieces a tile along joints shows at least, for one of them to be left out.
_SPARE = 16
_NEEDS = ("blocked", "attention")


@dataclass(frozen=True)
class NextStep:
    """One thing a material needs. id: the same as long as it is the same thing. words: what is so, with its figure.
    why: how that is known. label: of the button that does it. changes: settings that do it at once; none where it is
    done by hand at the stage. rule, map: the finding it comes from."""

    id: str
    words: str
    why: str
    label: str
    stage: Literal["square", "tile", "check"]
    changes: dict[str, Any] = field(default_factory=dict)
    rule: str | None = None
    map: str | None = None


def next_steps(
    evaluation: Evaluation, findings: Sequence[Mapping[str, Any]], triage: Sequence[Mapping[str, Any]]
) -> list[NextStep]:
    """All a material needs, what comes first first. findings: of Check, for the same state. triage: of its photograph.

    What is square and tiles decides what Check finds, so what is sure of that comes before all else, and what may be
    after what blocks. What somebody set by hand is not suggested otherwise.
    """
    corners, method = untouched_corners(evaluation), untouched_join(evaluation)
    evident = [*_corners(corners), *_method(method, sure=True)]
    # What an earlier stage does comes first: what a later one did may have to be done anew after it.
    ordered = sorted(findings, key=_stage_of_fix)
    blocked, attention = ([_settle(evaluation, one) for one in ordered if one["level"] == level] for level in _NEEDS)
    return [
        *evident,
        *blocked,
        *_method(method, sure=False),
        *([] if corners else _tilt(evaluation, triage)),
        *attention,
    ]


def untouched_corners(evaluation: Evaluation) -> Proposal | None:
    """Corners of something square that are sure enough to be taken; None where somebody placed some, or none are."""
    settings = evaluation.recipe.settings(_FLAT)
    if settings != type(settings)():
        return None
    found = proposal(evaluation)
    return found if found.accepted else None


def corner_changes(found: Proposal) -> dict[str, float]:
    """Settings that put the proposed corners, and the lens bend found with them, in force."""
    corners = {
        f"{_FLAT}.{name}_{axis}": min(max(float(value), 0.0), 100.0)
        for name, place in zip(CORNERS, found.corners, strict=True)
        for axis, value in zip("xy", place, strict=True)
    }
    return corners | ({"square.lens.k1": found.k1} if found.k1 else {})


def untouched_join(evaluation: Evaluation) -> Suggestion | None:
    """How the sample is best made to tile; None where somebody chose a method, or nothing is to tile."""
    recipe = evaluation.recipe
    if recipe.settings(_JOIN).method != "cut" or recipe.settings(_CUT_OUT).on:
        return None
    return suggestion(evaluation)


def _corners(found: Proposal | None) -> list[NextStep]:
    if found is None:
        return []
    askew = f"Tilted by {found.tilt:.0f}°" if found.tilt >= _TILTED else f"Turned by {abs(found.turn):.0f}°"
    words = f"{askew}: its corners are found, {found.confidence * 100:.0f} % sure"
    return [NextStep("corners", words, found.reason, "Flatten it", "square", corner_changes(found))]


def _tilt(evaluation: Evaluation, triage: Sequence[Mapping[str, Any]]) -> list[NextStep]:
    """A view from an angle whose corners cannot be told: somebody has to look."""
    tilt = next((one for one in triage if one["what"] == "Tilt" and one["level"] == "attention"), None)
    settings = evaluation.recipe.settings
    if tilt is None or settings(_FLAT) != type(settings(_FLAT))() or settings(_CUT_OUT).on:
        return []
    words = f"It may be shot from an angle: {tilt['measured']}"
    return [NextStep("tilt", words, tilt["advice"], "Look for its corners", "square")]


def _method(method: Suggestion | None, *, sure: bool) -> list[NextStep]:
    if method is None or method.square_first or not method.changes or method.sure != sure:
        return []
    name = method.method.capitalize()
    if sure:
        return [NextStep("tile", f"{name} suits it", method.reason, f"Use {name}", "tile", method.changes)]
    words = f"{name} may suit it better than Cut"
    return [NextStep("tile", words, method.reason, f"Try {name}", "tile", method.changes)]


def _stage_of_fix(finding: Mapping[str, Any]) -> int:
    fix = finding["fix"]
    return min((STAGES.index(path.split(".")[0]) for path in fix["changes"]), default=0) if fix else len(STAGES)


def _settle(evaluation: Evaluation, finding: Mapping[str, Any]) -> NextStep:
    role = EVERY.get(finding["map"] or "")
    words = f"{finding['fault']}{f' ({role.label.lower()})' if role else ''}: {finding['measured']}"
    about = {"rule": finding["rule"], "map": finding["map"]}
    fix = finding["fix"] or (_left_out(evaluation) if finding["rule"] == "tiling.giveaways" else None)
    id = f"{finding['rule']}/{finding['map'] or ''}"
    if fix is None:
        return NextStep(id, words, finding["why"], "See it in Check", "check", **about)
    # Another thing to do about it is tried for itself.
    id += f"/{min(fix['changes'])}"
    return NextStep(id, words, finding["why"], fix["label"], "check", dict(fix["changes"]), **about)


def _left_out(evaluation: Evaluation) -> dict[str, Any] | None:
    """For what stands out and cannot be filled: the strongest place is left out on the sample, and the tile is planned
    round it. None where nothing is planned, only lines stand out, or there is no other piece to put there."""
    if evaluation.recipe.settings(_JOIN).method == "joints" and broken_by_joins(evaluation).get("shown", 0) < _SPARE:
        return None
    found = describe_repeat_artifacts(evaluation)
    strong = [place for place in found["places"] if place["strength"] >= found["alarm"] and not place["points"]]
    places = [(place["x"], place["y"], place["radius"]) for place in strong[:1]]
    try:
        changes = leave_out(evaluation, places) if places else {}
    except BadSetting:
        return None
    return {"label": "Leave the strongest out", "changes": changes} if changes else None
