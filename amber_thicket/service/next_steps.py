"""What a material needs next: first that it lies square, then that it tiles well, then what Check finds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.roles import EVERY
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.core.square.propose import Proposal
from amber_thicket.service.square import proposal
from amber_thicket.service.tiling import Suggestion, suggestion

_FLAT, _JOIN, _CUT_OUT = "square.flat", "tile.join", "tile.cutout"
# Degrees from which on a tilt that corners tell is worth a word.
_TILTED = 2.0
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
    blocked, attention = ([_settle(one) for one in findings if one["level"] == level] for level in _NEEDS)
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


def _settle(finding: Mapping[str, Any]) -> NextStep:
    role = EVERY.get(finding["map"] or "")
    words = f"{finding['fault']}{f' ({role.label.lower()})' if role else ''}: {finding['measured']}"
    fix, about = finding["fix"], {"rule": finding["rule"], "map": finding["map"]}
    id = f"{finding['rule']}/{finding['map'] or ''}"
    if fix is None:
        return NextStep(id, words, finding["why"], "See it in Check", "check", **about)
    return NextStep(id, words, finding["why"], fix["label"], "check", dict(fix["changes"]), **about)
