"""Curvature: where the surface bends outward (edges) or inward (grooves), in [0, 1] about a flat middle."""

from __future__ import annotations

from typing import Literal

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting

Side = Literal["both", "convex", "concave"]


class Settings(OperationSettings):
    side: Side = setting(
        "both",
        label="Shows",
        choices={"both": "Both", "convex": "Edges", "concave": "Grooves"},
        help="Both: flat is mid grey, edges are brighter, grooves darker. Edges or grooves alone: flat is black.",
    )
    width: float = setting(
        0.6, ge=0.1, le=5, step=0.1, unit="% of tile", label="Width", help="How wide a bend counts as an edge."
    )
    contrast: float = setting(
        1.0, ge=0.1, le=5, step=0.1, unit="×", label="Contrast", help="How soon a bend is fully bright or dark."
    )
    softness: float = setting(
        0.0,
        ge=0,
        le=2,
        step=0.05,
        unit="% of tile",
        label="Softness",
        help="Smooths the finished map.",
        folded=True,
    )
    in_pack: bool = setting(
        False, label="In the pack", help="Writes the map to a file of its own, where a profile can."
    )


def _bend(height: Raster, frame: Frame, width: float) -> Pixels:
    """Mean curvature over a width, in rise per run: how far a place stands above the ring around it, by its width."""
    sigma = max(frame.length(width) / 2, 0.5)
    out = blur(height.pixels, 0.6 * sigma, wraps=True) - blur(height.pixels, 1.6 * sigma, wraps=True)
    return out * np.float32(height.span * frame.tile_width / sigma)


def decide_curvature(height: Raster, *, frame: Frame, width: float, **_: object) -> float:
    """How far bends typically go, rise per run."""
    return max(float(np.abs(_bend(height, frame, width)).mean()), 1e-6)


def curvature(
    height: Raster,
    *,
    frame: Frame,
    decided: float,
    side: Side,
    width: float,
    contrast: float,
    softness: float,
    in_pack: bool,
) -> Raster:
    """(H, W) in [0, 1]. height: a layer that wraps, with its span."""
    bend = np.tanh(_bend(height, frame, width) * np.float32(0.4 * contrast / decided))
    if side == "both":
        bend = np.float32(0.5) + np.float32(0.5) * bend
    else:
        bend = np.maximum(bend if side == "convex" else -bend, 0)
    return Raster(blur(bend, frame.length(softness), wraps=True) if softness else bend)


def given_curvature(given: Raster, *, frame: Frame, **_: object) -> Raster:
    """The curvature map that was brought."""
    return given


OPERATION = Operation(
    id="relief.curvature",
    label="Curvature",
    help="Where the surface bends outward or inward.",
    settings=Settings,
    reads=("height",),
    writes="curvature",
    apply=curvature,
    decide=decide_curvature,
    decides_by=("width",),
    given=(ExistingMap("curvature", given_curvature),),
    matters=lambda options: {name: options[name] for name in ("side", "width", "contrast", "softness")},
)
