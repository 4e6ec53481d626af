"""Every method of Tile on photographs and bench surfaces: seams, drift, what stands out, joins and time."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from amber_thicket.core.check.figures import coded, drift, seam
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import decode_srgb, linear_to_lab
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.square.propose import propose
from amber_thicket.core.tile.repeat_artifacts import find_repeat_artifacts
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.timing import best, table
from tests.support import PHOTOGRAPHS, evaluation, linear_photograph, size_of, squared_up

METHODS = ("blend", "cut", "lattice", "regrow", "strew", "stochastic")


def pictures(side: int) -> Iterator[tuple[str, Pixels, dict[str, float]]]:
    """The CC0 photographs of scikit-image, then the bench's surfaces in low sun; with the settings that square them."""
    for name in PHOTOGRAPHS:
        pixels = linear_photograph(name)
        found = propose(pixels)
        yield name, pixels, squared_up(found) if found.accepted else {}
    for name, make in KINDS.items():
        yield name, decode_srgb(photograph(make(round(side * 1.25), 3), Shot(), np.random.default_rng(1))), {}


def row(name: str, method: str, ready: Evaluation, side: int, floor: float) -> list[str]:
    """One line of the table."""
    started = time.perf_counter()
    plan = ready.decided(BY_ID["tile.join"])
    decided = time.perf_counter() - started
    ready.layer("joined", (side, side))
    took = time.perf_counter() - started
    tile, sample = ready.layer("base_color", (side, side)).pixels, ready.layer("evened", (side, side)).pixels
    after = [seam(coded(tile, "base_color"), axis=axis) for axis in (0, 1)]
    own = [max(seam(coded(sample, "base_color"), axis=axis).inner, 3.0) for axis in (0, 1)]
    found = find_repeat_artifacts(tile)
    before = drift(linear_to_lab(np.ascontiguousarray(sample[:side, :side])))
    return [
        name,
        method,
        " / ".join(f"{figure.border:.1f}" for figure in after),
        " / ".join(f"{figure.inner / o:.2f}" for figure, o in zip(after, own, strict=True)),
        f"{drift(linear_to_lab(tile)):.2f} ({before:.2f})",
        f"{found[0].strength:.2f}" if found else "-",
        f"{plan.evidence.get('join_mismatch', float('nan')):.2f}",
        " / ".join(f"{cost:.2f}" for cost in plan.evidence.get("join_costs", ())) or "-",
        "yes" if all(figure.passes for figure in after) else "no",
        f"{decided / floor:.0f}",
        f"{took / floor:.0f}",
    ]


def run(side: int) -> None:
    side = side or 1024
    rows = []
    for name, pixels, corners in pictures(side):
        floor = best(lambda pixels=pixels: blur(np.ascontiguousarray(pixels), 4.0, wraps=False))
        suggested = suggestion(evaluation(pixels, **size_of(side), **corners))
        for method in METHODS:
            changes = {"tile.join.method": method, **size_of(side), **corners}
            if method == suggested.method:
                changes |= suggested.changes
            ready = evaluation(pixels, **changes)
            mark = "*" if method == suggested.method else ""
            rows.append(row(name, method + mark, ready, side, floor))
            print(" ".join(rows[-1]), flush=True)
    head = ["picture", "method", "seam", "hidden / own", "drift (before)", "stands out", "mismatch", "squared"]
    head += ["passes", "decide ×", "in all ×"]
    table(f"Tiling at {side}²; * is suggested; times against one smoothing of the picture", head, rows)
