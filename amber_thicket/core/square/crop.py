"""Which part of the capture becomes the sample."""

from __future__ import annotations

import math
from typing import Any, Literal

import numpy as np
from pydantic import model_validator

from amber_thicket.core.numeric import sampling
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import Operation
from amber_thicket.core.progress import part_of_progress
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.square.enlarge import doubled
from amber_thicket.core.square.upscale_filters import LEAST_SIDE, learn_filters
from amber_thicket.core.square.view import View, turned_back, view_of

LEAST = 1.0
# Enlarging that makes detail.
OWN_DETAIL = ("learnt", "detail")
Box = tuple[float, float, float, float]


class Settings(OperationSettings):
    left: float = setting(
        0.0, ge=0, le=99, step=0.5, unit="% of picture", label="Left", help="Left edge of the sample in the picture."
    )
    top: float = setting(
        0.0, ge=0, le=99, step=0.5, unit="% of picture", label="Top", help="Upper edge of the sample in the picture."
    )
    right: float = setting(
        100.0, ge=1, le=100, step=0.5, unit="% of picture", label="Right", help="Right edge of the sample."
    )
    bottom: float = setting(
        100.0, ge=1, le=100, step=0.5, unit="% of picture", label="Bottom", help="Lower edge of the sample."
    )
    resampling: Literal["smooth", "sharp", "learnt", "detail"] = setting(
        "sharp",
        label="Enlarging",
        choices={"smooth": "Smooth", "sharp": "Sharp", "learnt": "Own detail", "detail": "Own, 0.1"},
        help="How pixels are made where the picture is too small: smooth, sharp, or with detail learnt from it and "
        "found elsewhere in it (as now, and as version 0.1 did).",
    )

    @model_validator(mode="after")
    def _has_room(self) -> Settings:
        if self.right - self.left < LEAST or self.bottom - self.top < LEAST:
            raise ValueError(f"the sample must keep at least {LEAST:g} % of the picture on each side")
        return self


def fitted(settings: Settings, picture: tuple[float, float], aspect: float) -> tuple[float, float, float, float]:
    """The largest box of the wanted aspect centred in the crop: (left, top, right, bottom) in pixels.

    picture: (width, height) px of the flattened picture. aspect: width over height of the sample. Nothing is ever
    stretched: what does not fit the aspect is left out evenly on both sides.
    """
    width, height = picture
    left, right = settings.left / 100 * width, settings.right / 100 * width
    top, bottom = settings.top / 100 * height, settings.bottom / 100 * height
    box_width = min(right - left, (bottom - top) * aspect)
    box_height = box_width / aspect
    left += (right - left - box_width) / 2
    top += (bottom - top - box_height) / 2
    return left, top, left + box_width, top + box_height


def sampled(settings: Settings, picture: tuple[float, float], frame: Frame) -> Box:
    """The part of the flattened picture that a frame's pixels show: the fitted box, or the middle of it, less what is
    left of a pixel."""
    width, height = frame.extent
    left, top, right, bottom = fitted(settings, picture, width / height)
    off_x, off_y = ((1 - frame.share) / 2 * side for side in (right - left, bottom - top))
    left, top, right, bottom = left + off_x, top + off_y, right - off_x, bottom - off_y
    return left, top, left + (right - left) * frame.width / width, top + (bottom - top) * frame.height / height


def doublings(view: View, box: Box, width: int) -> int:
    """How often the sample is doubled with detail of its own to come to width px; 0 where it is not too small."""
    covered = (box[2] - box[0]) / width if view.plain else view.scales(box, width)[0]
    return max(0, round(math.log2(1 / covered))) if covered < 1 else 0


def detailed(pixels: Pixels, view: View, box: Box, size: tuple[int, int], times: int, *, learns: bool = True) -> Pixels:
    """The sample looked up at about the picture's own scale and then doubled so often. pixels: (H, W, 3) linear.
    learns: with filters learnt from it as well."""
    factor = 1 << times
    small = (-(-size[0] // factor), -(-size[1] // factor))
    # A size that does not divide reaches over the box by less than one small pixel, and is cut after.
    right = box[0] + (box[2] - box[0]) * small[0] * factor / size[0]
    bottom = box[1] + (box[3] - box[1]) * small[1] * factor / size[1]
    sample = looked_up(pixels, view, (box[0], box[1], right, bottom), small, "sharp", least=0)
    filters = learn_filters(sample) if learns and min(sample.shape[:2]) >= LEAST_SIDE else None
    # Each doubling takes four times as long as the one before it.
    parts = [4.0**number for number in range(times)]
    for number in range(times):
        what = f"Enlarging with own detail, {number + 1} of {times}"
        with part_of_progress(sum(parts[:number]) / sum(parts), sum(parts[: number + 1]) / sum(parts), what):
            sample = doubled(sample, filters=filters)
    return np.ascontiguousarray(sample[: size[1], : size[0]])


def looked_up(
    pixels: Pixels, view: View, box: Box, size: tuple[int, int], resampling: str, *, least: float = -np.inf
) -> Pixels:
    """A part of the flattened picture at (width, height) px. box: left, top, right, bottom in its px. least: what would
    come to less is this."""
    if view.plain:
        mode = "smooth" if resampling == "smooth" else "sharp"
        return sampling.region(pixels, box, size, mode=mode, least=least)
    found = sampling.warped(pixels, view, box, size)
    return found if least == -np.inf else np.maximum(found, least, out=found)


def crop(gathered: Raster, *, frame: Frame, lens: Any, flat: Any, resampling: str, **edges: Any) -> Raster:
    """The sample at frame size, flattened and cropped in one step.

    gathered: a layer of the capture (H, W[, C]), any scale. lens, flat: settings of square.lens and square.flat. The
    box is worked out on the whole capture, so that layers of other sizes show the very same part. Normals turn with it.
    """
    pixels = gathered.pixels
    height, width = pixels.shape[:2]
    view = view_of(flat, lens, (width, height))
    whole = view_of(flat, lens, frame.picture) if frame.picture[0] else view
    edge = sampled(Settings(**edges), whole.size, frame)
    scale = (view.size[0] / whole.size[0], view.size[1] / whole.size[1])
    box = (edge[0] * scale[0], edge[1] * scale[1], edge[2] * scale[0], edge[3] * scale[1])
    size = (frame.width, frame.height)
    colour = pixels.ndim == 3 and not gathered.vectors
    if resampling in OWN_DETAIL and colour and (times := doublings(view, box, frame.width)):
        made = detailed(pixels, view, box, size, times, learns=resampling == "learnt")
        return Raster(made, evidence={"doublings": times})
    if gathered.vectors:
        normals = looked_up(pixels, view, box, size, resampling)
        return Raster(unit(normals if view.plain else turned_back(normals, view, box)), vectors=True)
    return Raster(looked_up(pixels, view, box, size, resampling, least=0))


OPERATION = Operation(
    id="square.crop",
    label="Crop",
    help="Which part of the picture becomes the sample. Drag the handles on the picture.",
    settings=Settings,
    reads=("gathered",),
    writes="squared",
    carries="squared",
    apply=crop,
    also=("square.lens", "square.flat"),
    version=2,
)
