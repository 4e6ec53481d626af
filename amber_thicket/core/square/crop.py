"""Which part of the capture becomes the sample."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import model_validator

from amber_thicket.core.gather.maps import unit
from amber_thicket.core.numeric import sampling
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.square.view import turned_back, view_of

LEAST = 1.0


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
    resampling: Literal["smooth", "sharp"] = setting(
        "sharp",
        label="Resampling",
        folded=True,
        choices={"smooth": "Smooth", "sharp": "Sharp"},
        help="How pixels are made when the sample is enlarged: smooth (cubic) or sharp (Lanczos).",
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


def crop(gathered: Raster, *, frame: Frame, lens: Any, flat: Any, resampling: str, **edges: Any) -> Raster:
    """The sample at frame size, flattened and cropped in one step.

    gathered: a layer of the capture (H, W[, C]), any scale. lens, flat: settings of square.lens and square.flat. The
    box is worked out on the whole capture, so that layers of other sizes show the very same part. Normals turn with it.
    """
    pixels = gathered.pixels
    height, width = pixels.shape[:2]
    view = view_of(flat, lens, (width, height))
    whole = view_of(flat, lens, frame.picture) if frame.picture[0] else view
    edge = fitted(Settings(**edges), whole.size, frame.width / frame.height)
    scale = (view.size[0] / whole.size[0], view.size[1] / whole.size[1])
    box = (edge[0] * scale[0], edge[1] * scale[1], edge[2] * scale[0], edge[3] * scale[1])
    size = (frame.width, frame.height)
    if view.plain:
        sample = sampling.region(pixels, box, size, mode=resampling)
    else:
        sample = sampling.warped(pixels, view, box, size)
    if gathered.vectors:
        return Raster(unit(sample if view.plain else turned_back(sample, view, box)), vectors=True)
    return Raster(sample.clip(0, None))


OPERATION = Operation(
    id="square.crop",
    label="Crop",
    help="Which part of the picture becomes the sample. Drag the handles on the picture.",
    settings=Settings,
    reads=("gathered",),
    writes="squared",
    apply=crop,
    also=("square.lens", "square.flat"),
    version=2,
)
