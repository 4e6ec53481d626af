"""Height from one photograph of every surface of the bench in three lights, by each estimator, against the truth."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.shading.slope import slopes
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface
from bench.timing import table
from tests.support import evaluation, size_of

LIGHTS = {
    "low sun": Shot(bearing=120, elevation=30, sky=0.4),
    "high sun": Shot(bearing=75, elevation=55, sky=0.7),
    "overcast": Shot(sun=0.0, sky=1.0, gloss=0.0),
}
ESTIMATORS = ("tone", "shading", "recesses", "auto")
_EDGE = 8


class Agreement(NamedTuple):
    """correlation: of the gradients of made and true height, −1..1. degrees: median angle between their normals once
    both are equally steep."""

    correlation: float
    degrees: float


def agreement(made: Pixels, true: Pixels) -> Agreement:
    """How well a height (H, W), in any unit, tells the true one, after both are smoothed by a pixel."""
    inside = np.s_[_EDGE:-_EDGE, _EDGE:-_EDGE]
    fields = [blur(np.ascontiguousarray(field, np.float32), 1.0, wraps=False) for field in (made, true)]
    (a, b), (c, d) = ([part[inside] for part in slopes(field, wraps=False)] for field in fields)
    power, whole = float((a * a + b * b).sum()), float((c * c + d * d).sum())
    ours, theirs = (
        from_height(field, depth=depth, wraps=False)[inside]
        for field, depth in ((fields[0], (whole / max(power, 1e-12)) ** 0.5), (fields[1], 1.0))
    )
    angle = np.degrees(np.arccos(np.clip((ours * theirs).sum(-1), -1, 1)))
    return Agreement(float((a * c + b * d).sum()) / max((power * whole) ** 0.5, 1e-12), float(np.median(angle)))


def photographed(surface: Surface, shot: Shot, **changes: object) -> Evaluation:
    """The surface as a capture that is not tiled, so that what is made lies on the truth."""
    pixels = decode_srgb(photograph(surface, shot, np.random.default_rng(1)))
    return evaluation(pixels, **{"tile.join.method": "none", **size_of(1024)}, **changes)


def run(side: int) -> None:
    side = side or 768
    rows = []
    for name, make in KINDS.items():
        surface = make(side, 5)
        for light, shot in LIGHTS.items():
            cells = []
            for estimator in ESTIMATORS:
                ready = photographed(surface, shot, **{"relief.cues.estimator": estimator})
                layer = ready.layer("formed", (side, side))
                found = agreement(layer.pixels, surface.height)
                cells.append(f"{found.correlation:.2f} {found.degrees:4.1f}°")
            rows.append([name, light, *cells, f"{100 * layer.evidence['shading']:.0f} %"])
            print(" ".join(rows[-1]), flush=True)
    head = ["surface", "light", *ESTIMATORS, "shading counts"]
    table(f"Gradient correlation and median normal error of the height at {side}²", head, rows)
