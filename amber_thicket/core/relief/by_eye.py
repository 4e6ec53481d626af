"""Readings of one photograph's height to choose among with the eye: which differ, which are worth showing.

No statistic of a photograph tells which cue holds on it; a person who sees the readings lit, beside the photograph,
does. Four are shown at a time: those that together come nearest to whatever may be right (greedy facility location:
Nemhauser, Wolsey & Fisher, "An analysis of approximations for maximizing submodular set functions", Math. Programming
14, 1978).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.bands import BANDS
from amber_thicket.core.shading.slope import slopes

Changes = dict[str, Any]
SHOWN = 4


class Reading(NamedTuple):
    """One way to read the height. label: in words. likely: how likely it is the truest, in any unit; see
    docs/decisions/034. changes: settings that make it."""

    id: str
    label: str
    likely: float
    changes: Changes


_PLAIN: Changes = {
    "relief.cues.estimator": "auto",
    "relief.cues.light": "found",
    "relief.cues.bearing": 90.0,
    "relief.cues.other_end": False,
    "relief.cues.balance": 0.0,
    "relief.height.invert": False,
}
_SIDES = {0: "right", 45: "upper right", 90: "top", 135: "upper left", 180: "left", 225: "lower left", 270: "bottom",
          315: "lower right"}  # fmt: skip


def _cue(id: str, label: str, likely: float, **changes: Any) -> Reading:
    own = {("relief.height." if name == "invert" else "relief.cues.") + name: value for name, value in changes.items()}
    return Reading(id, label, likely, _PLAIN | own)


# People photograph so that the light comes from the top (common practice, no source).
_FROM = {90: 2.0, 45: 1.0, 135: 1.0, 0: 0.3, 180: 0.3}
_SELDOM = 0.2

CUES: tuple[Reading, ...] = (
    _cue("auto", "What the picture gives reason for", 3.0),
    _cue("tone", "Bright is high", 1.0, estimator="tone"),
    _cue("tone_inverted", "Dark is high", 1.0, estimator="tone", invert=True),
    _cue("recesses", "Dark and narrow is deep", 1.0, estimator="recesses"),
    _cue("recesses_inverted", "Bright and narrow is deep", 0.5, estimator="recesses", invert=True),
    _cue("more_tone", "Tone before shading", 2.0, balance=-80.0),
    _cue("more_shading", "Shading before tone", 2.0, balance=80.0),
    _cue("other_end", "Lit from the other side", 1.0, other_end=True),
    *(
        _cue(f"shading_{a}", f"Lit from the {side}", _FROM.get(a, _SELDOM),
             estimator="shading", light="typed", bearing=float(a))
        for a, side in _SIDES.items()
    ),
    *(
        _cue(f"mixed_{a}", f"Lit from the {side}, and bright is high", 0.8 * _FROM.get(a, _SELDOM),
             light="typed", bearing=float(a), balance=20.0)
        for a, side in _SIDES.items()
    ),
)  # fmt: skip


def _broad(id: str, label: str, likely: float, gains: Sequence[float]) -> Reading:
    return Reading(id, label, likely, {f"relief.bands.{name}": gain for name, gain in zip(BANDS, gains, strict=True)})


SIZES: tuple[Reading, ...] = (
    Reading("as_it_is", "As it is", 2.0, {}),
    _broad("grain", "Grain before shape", 1.0, (1.0, 1.0, 0.9, 0.5, 0.2, 0.0)),
    _broad("middle", "Pieces before grain and ground", 1.0, (0.5, 0.8, 1.3, 1.4, 0.8, 0.2)),
    _broad("shape", "Shape before grain", 1.0, (0.5, 0.7, 1.0, 1.0, 1.5, 1.5)),
    _broad("ground", "The broad ground above all", 1.0, (0.3, 0.4, 0.7, 1.0, 2.0, 2.5)),
)
_STEEP = (
    ("flat", "Flatter", 0.5),
    ("same", "As it is", 1.0),
    ("steep", "Steeper", 1.7),
    ("steepest", "Much steeper", 2.8),
)
ROUNDS = ("cue", "size", "steepness")


def readings(round: str, steepness: float) -> tuple[Reading, ...]:
    """What can be chosen in a round. steepness: as it is now."""
    if round == "cue":
        return CUES
    if round == "size":
        return SIZES
    return tuple(
        Reading(id, label, 1.0, {"relief.height.steepness": round_to(steepness * factor)})
        for id, label, factor in _STEEP
    )


def round_to(steepness: float) -> float:
    """A steepness that the setting takes."""
    return float(np.clip(np.round(steepness, 3), 0.02, 3.0))


def alike(heights: Sequence[Pixels]) -> Pixels:
    """(N, N): correlation of the slopes of heights (H, W) that wrap, −1..1."""
    fields = []
    for height in heights:
        right, up = slopes(height, wraps=True)
        both = np.concatenate([right.ravel(), up.ravel()])
        fields.append(both / max(float(np.linalg.norm(both)), 1e-12))
    every = np.stack(fields)
    return np.asarray(every @ every.T, np.float32)


def worth_showing(
    likely: Sequence[float], correlations: Pixels, first: int | None = None, count: int = SHOWN
) -> list[int]:
    """Which of N readings to show: those that together lie nearest to whatever may be true, by how likely each is.
    correlations: (N, N). first: one that is shown in any case."""
    weights = np.asarray(likely, np.float64)
    # What is the other way round is no nearer to the truth than what has nothing to do with it.
    like = np.maximum(np.asarray(correlations, np.float64), 0)
    chosen: list[int] = [] if first is None else [first]
    near = like[first] if first is not None else np.zeros(len(weights))
    while len(chosen) < min(count, len(weights)):
        covered = (weights * np.maximum(near, like)).sum(1)
        covered[chosen] = -1
        chosen.append(int(np.argmax(covered)))
        near = np.maximum(near, like[chosen[-1]])
    return chosen
