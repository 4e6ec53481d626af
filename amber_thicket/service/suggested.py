"""Takes what the program suggests: corners of something square, then the method of tiling."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.service.square import proposal
from amber_thicket.service.tiling import suggestion

Which = Literal["sure", "all", "none"]
_FLAT, _JOIN, _CUT_OUT = "square.flat", "tile.join", "tile.cutout"


class Taken(NamedTuple):
    """changes: of settings. told: what was taken and why, or why not, in words."""

    changes: dict[str, Any]
    told: tuple[str, ...]


def suggestions(evaluation: Evaluation, which: Which, asked: dict[str, Any]) -> Taken:
    """What the program suggests for a capture, as settings. which: "sure" takes what it is sure of, "all" the rest too.
    asked: settings that somebody chose; a suggestion does not touch their operations."""
    changes: dict[str, Any] = {}
    told: list[str] = []
    if which == "none":
        return Taken({}, ())
    chosen = {path.rsplit(".", 1)[0] for path in asked}
    settings = evaluation.recipe.settings
    if _FLAT not in chosen and settings(_FLAT) == type(settings(_FLAT))():
        found = proposal(evaluation)
        if found.accepted:
            corners = _corners(found.corners)
            changes |= corners | ({"square.lens.k1": found.k1} if found.k1 else {})
            evaluation = evaluation.with_changes(changes)
            told.append("Squared by the corners that were found.")
    if _JOIN not in chosen and _CUT_OUT not in chosen and settings(_JOIN).method == "cut":
        method = suggestion(evaluation)
        if method.square_first:
            told.append(method.reason)
        elif method.changes and (method.sure or which == "all"):
            changes |= method.changes
            told.append(f"Tiled by {method.method}: {method.reason}")
        elif method.changes:
            told.append(f"Left at cut; {method.method} is suggested, but not for sure: {method.reason}")
    return Taken(changes, tuple(told))


def _corners(corners: Any) -> dict[str, float]:
    return {
        f"{_FLAT}.{name}_{axis}": min(max(float(value), 0.0), 100.0)
        for name, place in zip(CORNERS, corners, strict=True)
        for axis, value in zip("xy", place, strict=True)
    }
