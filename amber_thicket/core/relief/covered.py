"""The height with what lies on the surface."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.mix import mix
from amber_thicket.core.numeric.quantiles import quantiles
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief.shape import reach_of, within
from amber_thicket.core.response.covers import Cover
from amber_thicket.core.settings import OperationSettings

_Layer = Callable[[], Raster]
Borrow = Callable[[str, str, int], Raster | None]


class Settings(OperationSettings):
    pass


def _with_covers(
    field: Pixels, weights: Pixels, rows: Sequence[Cover], levels: Sequence[float], frame: Frame, borrowed: Borrow
) -> Pixels:
    for number, (cover, level) in enumerate(zip(rows, levels, strict=True)):
        weight = np.ascontiguousarray(weights[..., number])
        ground = field
        if cover.where == "level":
            # It lies flat; what stands out of it is not covered.
            ground = np.maximum(field, np.float32(level))
        elif cover.smooth:
            soft = blur(field, 0.5 * frame.length(cover.size), wraps=True)
            ground = cv2.addWeighted(field, 1 - cover.smooth / 100, soft, cover.smooth / 100, 0)
        other = borrowed(cover.material, "height", cover.repeat) if cover.material else None
        rise: Any = np.float32(cover.thick / 100) if other is None else np.float32(cover.thick / 100) * other.pixels
        field = mix(field, ground + rise, weight)
    return field


def _levels(field: Pixels, rows: Sequence[Cover]) -> tuple[float, ...]:
    return tuple(quantiles(field, (cover.share / 100,))[0] if cover.where == "level" else 0.0 for cover in rows)


def decide_covered(
    shaped: _Layer, covers: _Layer, /, *, frame: Frame, **options: Any
) -> tuple[float, float, tuple[float, ...]]:
    """The heights that become 0 and 1, and the level of each cover that has one."""
    rows = options["covers"].lying()
    if not rows:
        return 0.0, 1.0, ()
    field = shaped().pixels
    levels = _levels(field, rows)
    return *reach_of(_with_covers(field, covers().pixels, rows, levels, frame, options["borrowed"])), levels


def covered_height(
    shaped: _Layer, covers: _Layer, /, *, frame: Frame, decided: tuple[float, float, tuple[float, ...]], **options: Any
) -> Raster:
    """Height in [0, 1] with every cover on it, white is high, with its span."""
    rows = options["covers"].lying()
    before = shaped()
    if not rows:
        return before
    floor, top, levels = decided
    field = _with_covers(before.pixels, covers().pixels, rows, levels, frame, options["borrowed"])
    return within(field, before, floor, top)


def _matters(options: dict[str, Any]) -> Any:
    return [
        [row.where, row.share, row.size, row.thick, row.smooth, row.material, row.repeat]
        for row in options["covers"].lying()
    ]


OPERATION = Operation(
    id="relief.covered",
    label="Height, with covers",
    help="The height with what lies on the surface.",
    settings=Settings,
    reads=("shaped", "covers"),
    writes="covered",
    apply=covered_height,
    decide=decide_covered,
    also=("response.covers",),
    uses=lambda options: ("shaped", "covers") if options["covers"].lying() else ("shaped",),
    matters=_matters,
    borrows=lambda options: options["covers"].materials(),
    lazy=True,
    version=2,
)
