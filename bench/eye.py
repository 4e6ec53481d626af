"""Fit by eye, played by somebody who always picks the truer reading: on surfaces of the bench, and on real ones where
they are there (../shared/real, whose heights are artists' work). Gain of the gradient correlation, and clicks."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.service.by_eye import Question, fitted
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.relief import LIGHTS, agreement, photographed
from bench.timing import table
from tests.support import evaluation, size_of

REAL = Path(__file__).parents[2] / "shared" / "real"
SIDE = 512


def real_surfaces(side: int) -> Iterator[tuple[str, Evaluation, Pixels]]:
    """(name, capture that is not tiled, height) of each real surface there is."""
    for path in sorted(REAL.glob("*_base_color.jpg")):
        codes = cv2.cvtColor(cv2.imread(str(path)), cv2.COLOR_BGR2RGB)
        height = cv2.imread(str(path).replace("_base_color.jpg", "_height.png"), cv2.IMREAD_UNCHANGED)
        height = (height if height.ndim == 2 else height[..., 0]).astype(np.float32)
        codes, height = (cv2.resize(field, (side, side), interpolation=cv2.INTER_AREA) for field in (codes, height))
        ready = evaluation(decode_srgb(codes), **{"tile.join.method": "none", **size_of(side)})
        yield path.name.removesuffix("_base_color.jpg"), ready, height / max(float(height.max()), 1e-6)


def made_surfaces(side: int) -> Iterator[tuple[str, Evaluation, Pixels]]:
    """The same of surfaces of the bench in three lights."""
    for name, make in KINDS.items():
        surface = make(side, 6)
        for light, shot in LIGHTS.items():
            ready = photographed(surface, shot)
            size = {"square.size.width": side, "square.size.height": side}
            yield f"{name}, {light}", ready.with_changes(size), surface.height


def played(ready: Evaluation, height: Pixels) -> tuple[float, float, int]:
    """(correlation before and after, clicks) of somebody who picks the truer one. How steep it is changes nothing."""
    clicks = [1]

    def truth(one: Evaluation) -> float:
        size = (height.shape[1], height.shape[0])
        return agreement(one.layer("formed", size).pixels, height).correlation

    def choose(asked: Question, now: Evaluation) -> Any:
        clicks[0] += 1
        return int(np.argmax([truth(now.with_changes(row.changes)) for row in asked.shown]))

    before = truth(ready)
    return before, truth(ready.with_changes(fitted(ready, choose, ("cue", "size")))), clicks[0]


def run(side: int) -> None:
    side = side or SIDE
    rows: list[list[str]] = []
    if not REAL.is_dir():
        print(f"{REAL} is not there: only made-up surfaces are played")
    for kind, surfaces in (("real", real_surfaces(side)), ("made up", made_surfaces(side))):
        gains = []
        for name, ready, height in surfaces:
            before, after, clicks = played(ready, height)
            gains.append(after - before)
            rows.append([kind, name, f"{before:.2f}", f"{after:.2f}", f"{after - before:+.3f}", str(clicks)])
            print(" ".join(rows[-1]), flush=True)
        if gains:
            rows.append([kind, "mean", "", "", f"{np.mean(gains):+.3f}", ""])
    table(
        "Gradient correlation with the truth, before and after fitting by eye",
        ["", "surface", "before", "after", "gain", "clicks"],
        rows,
    )
