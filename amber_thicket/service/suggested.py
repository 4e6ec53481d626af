"""Takes what the program suggests: corners of something square, then the method of tiling."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from amber_thicket.core.graph import Evaluation
from amber_thicket.service.next_steps import corner_changes, untouched_corners, untouched_join

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
    if _FLAT not in chosen and (found := untouched_corners(evaluation)):
        corners = corner_changes(found)
        changes |= corners
        evaluation = evaluation.with_changes(corners)
        told.append("Squared by the corners that were found.")
    if _JOIN not in chosen and _CUT_OUT not in chosen and (method := untouched_join(evaluation)):
        if method.square_first:
            told.append(method.reason)
        elif method.changes and (method.sure or which == "all"):
            changes |= method.changes
            told.append(f"Tiled by {method.method}: {method.reason}")
        elif method.changes:
            told.append(f"Left at cut; {method.method} is suggested, but not for sure: {method.reason}")
    return Taken(changes, tuple(told))
