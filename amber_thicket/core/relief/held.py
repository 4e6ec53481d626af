"""The height with what was given back to it from the normal map, so that both stay one surface."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.normal import crisp_size_setting, crisper, crispness_setting, steeper
from amber_thicket.core.relief.shape import reach_of, within
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.slope import integrated, slopes


class Settings(OperationSettings):
    crispness: float = crispness_setting(
        "Crispness held",
        "Finest relief that was given to the height from the normal map; under 0 it is smoothed away.",
    )
    crisp_size: float = crisp_size_setting()
    detail: float = setting(
        0.0,
        ge=0,
        le=4,
        step=0.05,
        unit="×",
        label="Detail held",
        help="How much of the detail normal map that was brought stands in the height itself.",
    )


class Reach(NamedTuple):
    """The heights that become 0 and 1. unheld: of the detail's slopes, the share (rms) that no height has."""

    floor: float
    top: float
    unheld: float = 0.0


def _changed(height: Raster, detail: Raster | None, frame: Frame, how: dict[str, Any]) -> tuple[Pixels, float]:
    """(the field, (H, W), in depths of the height before; the share of the detail that no height has)."""
    field, unheld = height.pixels, 0.0
    if how["crispness"]:
        field = crisper(field, how["crispness"], frame.length(how["crisp_size"]))
    if detail is not None and how["detail"]:
        vectors = steeper(detail.pixels, how["detail"])
        raised = integrated(vectors)
        unheld = _unheld(vectors, raised)
        field = field + raised / np.float32(max(height.span * frame.tile_width, 1e-6))
    return field, unheld


def _unheld(vectors: Pixels, raised: Pixels) -> float:
    """How far the slopes of normals, rms, are from those of the height that comes nearest, as a share of them."""
    asked = vectors[..., :2] / np.maximum(vectors[..., 2:], np.float32(0.02))
    right, up = slopes(raised, wraps=True)
    off = asked + np.stack([right, up], -1)
    return float(np.sqrt((off**2).mean() / max(float((asked**2).mean()), 1e-12)))


def decide_held(height: Raster, detail: Raster | None, /, *, frame: Frame, **how: Any) -> Reach:
    """See Reach."""
    field, unheld = _changed(height, detail, frame, how)
    return Reach(*reach_of(field), unheld)


def held(height: Raster, detail: Raster | None, /, *, frame: Frame, decided: Reach, **how: Any) -> Raster:
    """Height in [0, 1] with what it was given, white is high, with its span. evidence unheld: per cent of the detail's
    slopes that turn in circles, which no height has."""
    field, _ = _changed(height, detail, frame, how)
    made = within(field, height, decided.floor, decided.top)
    return replace(made, evidence={**made.evidence, "unheld": round(100 * decided.unheld, 1)})


def _lies(options: dict[str, Any]) -> bool:
    """Whether a detail normal map is there to be held: one that was brought for the whole surface is none."""
    return bool(options["detail"] and options["maps"].normal_is == "detail")


OPERATION = Operation(
    id="relief.held",
    label="Held by the height",
    help="What was given back to the height from the normal map, so that both stay one surface.",
    settings=Settings,
    reads=("covered", "?tiled.normal"),
    writes="height",
    apply=held,
    decide=decide_held,
    also=("gather.maps",),
    uses=lambda options: ("covered", "?tiled.normal") if _lies(options) else ("covered",),
    matters=lambda options: [options["crispness"], options["crisp_size"], _lies(options) and options["detail"]],
    idle=lambda options: not (options.crispness or options.detail),
)
