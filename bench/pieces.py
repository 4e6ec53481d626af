"""Every method of Tile on surfaces of pieces: what joins break, by what was found and by what is known; what returns.

Bench surfaces of known pieces, photographs of scikit-image squared and turned, the rig's other surfaces, and real ones
where they are there (they do not ship with the program).
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.check.figures import drift
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import decode_srgb, linear_to_lab
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.propose import propose
from amber_thicket.core.tile.repeat_artifacts import find_repeats
from amber_thicket.service.broken import broken_by_joins
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.piecewise_kinds import PIECEWISE
from bench.timing import best, table
from bench.verdicts import REAL
from tests.pieces import SIDE, piecewise, plan_of, ready, truly_broken
from tests.support import evaluation, linear_photograph, photographed, size_of, squared_up

METHODS = ("cut", "joints", "regrow", "strew")
_REAL = ("india_paving_01", "india_paving_02", "temperate_paving_001", "temperate_paving_002", "stormkeep_brickfloor")


def surfaces() -> Iterator[tuple[str, Pixels, dict[str, Any]]]:
    """Surfaces whose pieces are not known, with the settings that square them."""
    brick = linear_photograph("brick")
    found = propose(brick)
    yield "brick, squared", brick, squared_up(found) if found.accepted else {}
    yield "gravel", linear_photograph("gravel"), {}
    for kind in ("slate_shingles", "deck_planks", "tide_pebbles", "embossed_hide"):
        yield kind, photographed(KINDS[kind](1024, 5)), {}
    for kind in ("uneven_slates", "rubble_wall"):
        lit = piecewise(kind, 8)[0]
        turn = cv2.getRotationMatrix2D((lit.shape[1] / 2, lit.shape[0] / 2), 3.0, 1.0)
        turned = cv2.warpAffine(lit, turn, lit.shape[1::-1], flags=cv2.INTER_CUBIC)[60:-60, 60:-60].clip(0)
        yield f"{kind}, turned 3°", np.ascontiguousarray(turned), {}
    for name in _REAL:
        codes = cv2.imread(str(REAL / f"{name}_base_color.jpg"))
        if codes is not None:
            high, wide = codes.shape[:2]
            # Off its own period: no side is cut where it would repeat.
            part = codes[round(0.03 * high) : round(0.86 * high), round(0.05 * wide) : round(0.88 * wide), ::-1]
            small = cv2.resize(part, (1024, 1024), interpolation=cv2.INTER_AREA)
            yield f"real/{name}", decode_srgb(np.ascontiguousarray(small)), {}


def row(name: str, method: str, one: Evaluation, known: str, floor: float) -> list[str]:
    started = time.perf_counter()
    plan_of(one)
    took = time.perf_counter() - started
    tile = one.layer("base_color", (SIDE, SIDE)).pixels
    found = broken_by_joins(one)
    told = plan_of(one).evidence
    truth = truly_broken(known, one) if known and method != "strew" else None
    return [
        name,
        method,
        f"{found.get('count', '-')} ({100 * found.get('share', 0):.1f} %)"
        if found.get("pieces") != "no"
        else "no pieces",
        f"{truth.count} ({100 * truth.share:.1f} %)" if truth else "-",
        f"{found.get('narrow', '-')}",
        f"{told.get('trimmed', '-')} of {told.get('pieces', '-')}",
        f"{told.get('span', 0):.2f}" if "span" in told else "-",
        f"{find_repeats(tile).figure:.2f}",
        f"{drift(linear_to_lab(tile)):.2f}",
        f"{took / floor:.0f}",
    ]


def run(side: int) -> None:
    del side
    rows = []
    floor = best(lambda: blur(np.ascontiguousarray(piecewise("rubble_wall")[0]), 4.0, wraps=False))
    for kind in PIECEWISE:
        suggested = suggestion(ready(kind, tile__join__method="cut")).method
        for method in METHODS:
            mark = "*" if method == suggested else ""
            rows.append(
                row(kind, method + mark, ready(kind, tile__join__method=method, tile__join__whole=True), kind, floor)
            )
            print(" | ".join(rows[-1]), flush=True)
    for name, pixels, corners in surfaces():
        found = suggestion(evaluation(pixels, **size_of(SIDE), **corners))
        for method in dict.fromkeys((*METHODS, found.method)):
            changes = {"tile.join.method": method, "tile.join.whole": True, **size_of(SIDE), **corners}
            changes |= found.changes if method == found.method else {}
            mark = "*" if method == found.method else ""
            rows.append(row(name, method + mark, evaluation(pixels, **changes), "", floor))
            print(" | ".join(rows[-1]), flush=True)
    head = [
        "surface",
        "method",
        "broken",
        "by known pieces",
        "narrow",
        "trimmed",
        "span",
        "returns",
        "drift",
        "decide ×",
    ]
    table("Joins and pieces; * is suggested; span: share of the sample a tile shows across", head, rows)
