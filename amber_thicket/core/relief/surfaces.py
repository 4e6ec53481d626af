"""Starting points for kinds of surface: settings of Relief that suit them, taken in one step and changed like any."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Start:
    """changes: what differs from the defaults; everything else of the same operations goes back to them."""

    id: str
    label: str
    changes: dict[str, Any]


def _bands(*gains: float) -> dict[str, float]:
    names = ("finest", "fine", "small", "medium", "large", "largest")
    return {f"relief.bands.{name}": gain for name, gain in zip(names, gains, strict=True)}


STARTS: tuple[Start, ...] = (
    Start("even_grain", "Even grain: sand, render, concrete", {}),
    Start(
        "loose_pieces",
        "Loose pieces: gravel, pebbles, leaves",
        {**_bands(0.4, 0.7, 1.1, 1.5, 1.0, 0.3), "relief.height.steepness": 0.7, "relief.occlusion.reach": 8.0},
    ),
    Start(
        "laid_courses",
        "Laid courses: brick, slate, planks, tiles",
        {**_bands(0.5, 0.8, 1.0, 0.9, 0.5, 0.2), "relief.cues.balance": -20.0, "relief.occlusion.tight": 30.0},
    ),
    Start(
        "threads",
        "Threads: cloth, matting, basketwork",
        {**_bands(0.5, 0.9, 1.4, 1.0, 0.3, 0.1), "relief.cues.balance": -30.0, "relief.height.steepness": 0.6},
    ),
    Start(
        "creased_skin",
        "Creased skin: hide, bark, wrinkled paint",
        {**_bands(0.7, 1.1, 1.2, 0.8, 0.5, 0.3), "relief.cues.estimator": "recesses", "relief.height.steepness": 0.4},
    ),
    Start(
        "flat_sheet",
        "Flat sheet: metal, felt, painted board",
        {**_bands(0.5, 0.6, 0.6, 0.8, 1.0, 1.2), "relief.height.steepness": 0.15, "relief.occlusion.reach": 3.0},
    ),
    Start(
        "broken_rock",
        "Broken rock: cliff, ore, rubble",
        {**_bands(0.8, 1.0, 1.2, 1.4, 1.4, 1.0), "relief.height.steepness": 0.9, "relief.occlusion.reach": 10.0},
    ),
)
