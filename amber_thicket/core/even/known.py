"""Takes the sun's shading, its cast shadow and the sky's occlusion out of the colour where the height is known.

The light is not asked for: bearing, steepness, how deep the height is and how much of the light is sky are those that
explain the picture's tones best. The picture is taken to be albedo × ((1 − sky) · sun + sky · open sky), the sun by
Lambert's law with its cast shadow.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.relief import occlusion
from amber_thicket.core.relief.slope import slopes
from amber_thicket.core.settings import OperationSettings, setting

_GRID, _SAMPLES = 768, 20_000
_FIRST_DEPTH, _DEPTHS = 0.03, (0.004, 0.09)
_SKIES = np.linspace(0.05, 0.9, 18)
_REACH, _LARGE, _DARK, _SPILL = 1 / 18, 1 / 12, 1e-3, 0.02
_LEAST = 0.05


class Settings(OperationSettings):
    amount: float = setting(
        0.0,
        ge=0,
        le=100,
        step=5,
        unit="%",
        label="Known relief",
        help="Takes out the shading, shadow and occlusion that the height map which came along explains.",
    )


@dataclass(frozen=True)
class Light:
    """x, y: direction toward the sun, (right, up), times the cotangent of its elevation, in slopes of the height made
    `depth` tile widths deep. sky: share of the light that is sky. explained: share of the tone's spread explained."""

    x: float
    y: float
    depth: float
    sky: float
    explained: float

    @property
    def bearing(self) -> float:
        """Degrees from the right, counter-clockwise."""
        return float(np.degrees(np.arctan2(self.y, self.x)) % 360)


def decide_known(lit: Raster, height: Raster | None, *, frame: Frame, amount: float) -> Light | None:
    """The light that explains the picture best; None where no height is known."""
    if height is None:
        return None
    scale = min(1.0, _GRID / max(lit.pixels.shape[:2]))
    size = (max(16, round(lit.pixels.shape[1] * scale)), max(16, round(lit.pixels.shape[0] * scale)))
    tone = cv2.resize(np.maximum(luminance(lit.pixels), _DARK), size, interpolation=cv2.INTER_AREA)
    field = cv2.resize(height.pixels, size, interpolation=cv2.INTER_AREA)
    tile = frame.tile_width * scale
    return found_light(np.asarray(tone, np.float32), np.asarray(field, np.float32), tile)


def found_light(tone: Pixels, height: Pixels, tile: float) -> Light:
    """tone: luminance (H, W). height: (H, W) in [0, 1]. tile: px of one tile width."""
    wanted = _fine(np.log(tone), tile)
    picked = np.random.default_rng(0).permutation(tone.size)[:_SAMPLES]
    depth, x, y = _FIRST_DEPTH, 0.0, 0.0
    for _ in range(2):
        # The sky's part needs the depth, and the depth comes out of the fit: twice round is enough.
        scaled = np.ascontiguousarray(height * np.float32(depth * tile))
        right, up = slopes(scaled, wraps=False)
        sky = occlusion.from_height(scaled, depth=1.0, reach=tile * _REACH, wraps=False)
        x, y, deeper = _direction(*(part.ravel()[picked].astype(np.float64) for part in (right, up, sky, wanted)))
        depth = float(np.clip(depth * deeper, *_DEPTHS))
        x, y = x / deeper, y / deeper
    scaled = np.ascontiguousarray(height * np.float32(depth * tile))
    sky = occlusion.from_height(scaled, depth=1.0, reach=tile * _REACH, wraps=False)
    sun = sunlight(scaled, x, y, tile)
    costs = []
    for share in _SKIES:
        off = wanted - np.log((1 - share) * sun + share * sky + _SPILL)
        costs.append(float(np.abs(off - np.median(off)).mean()))
    best = int(np.argmin(costs))
    explained = 1 - costs[best] / max(float(np.abs(wanted - np.median(wanted)).mean()), 1e-9)
    return Light(x, y, depth, float(_SKIES[best]), round(explained, 3))


def _direction(
    right: NDArray[Any], up: NDArray[Any], sky: NDArray[Any], wanted: NDArray[Any]
) -> tuple[float, float, float]:
    """(x, y) toward the sun times the cotangent of its elevation, and how much deeper the height really is."""

    def off(p: NDArray[Any]) -> NDArray[Any]:
        facing = np.maximum(1 - p[0] * right - p[1] * up, 0) / np.sqrt(1 + p[3] ** 2 * (right * right + up * up))
        share = 1 / (1 + np.exp(-p[2]))
        difference = wanted - np.log((1 - share) * facing + share * sky + _SPILL)
        return np.append(difference - np.median(difference), 0.01 * p[2])

    straight = np.linalg.lstsq(np.column_stack([right, up, np.ones_like(right)]), wanted, rcond=None)[0]
    start = [-straight[0], -straight[1], -0.5, 1.0]
    found = least_squares(off, start, loss="soft_l1", f_scale=0.2, max_nfev=60)
    return float(found.x[0]), float(found.x[1]), float(np.clip(abs(found.x[3]), 0.3, 3.0))


def _fine(field: Pixels, tile: float) -> Pixels:
    """A field without its large-scale part, which Large-scale light takes care of."""
    return np.asarray(field - blur(field, tile * _LARGE, wraps=False, fast=True), np.float32)


def sunlight(height: Pixels, x: float, y: float, tile: float) -> Pixels:
    """Light of the sun against a flat place, 0 in cast shadow. height: px. x, y: as in Light."""
    right, up = slopes(height, wraps=False)
    facing = np.maximum(1 - x * right - y * up, 0) / np.sqrt(1 + right * right + up * up)
    return np.asarray(facing * _open(height, x, y, tile * _REACH), np.float32)


def _open(height: Pixels, x: float, y: float, reach: float) -> Pixels:
    """1 where the sun reaches, 0 where something nearer to it stands higher than its ray.

    The capture bench casts its shadows by itself: were it this same function, the bench could not show what is wrong
    with it.
    """
    length = float(np.hypot(x, y))
    if length < 1e-3:
        return np.ones_like(height)
    rows, columns = height.shape
    across, down = np.meshgrid(np.arange(columns, dtype=np.float32), np.arange(rows, dtype=np.float32))
    toward, rise = (np.float32(x / length), np.float32(-y / length)), np.float32(1 / length)
    over = np.full(height.shape, -1e9, np.float32)
    step = 1.0
    while step < max(reach, 2.0):
        ahead = cv2.remap(
            height,
            across + toward[0] * np.float32(step),
            down + toward[1] * np.float32(step),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REFLECT_101,
        )
        np.maximum(over, ahead - np.float32(step) * rise, out=over)
        step = step + 1 if step < 12 else step * 1.09
    edge = np.float32(0.35 * rise)
    open_ = np.clip(0.5 - (over - height - edge) / (2 * edge), 0, 1).astype(np.float32)
    return cv2.GaussianBlur(open_, (0, 0), 0.8)


def known(lit: Raster, height: Raster | None, *, frame: Frame, decided: Light | None, amount: float) -> Raster:
    """Linear RGB divided by the light the height explains, by amount per cent."""
    if height is None or decided is None:
        return lit
    scaled = np.ascontiguousarray(height.pixels * np.float32(decided.depth * frame.tile_width))
    sky = occlusion.from_height(scaled, depth=1.0, reach=frame.tile_width * _REACH, wraps=False)
    light = (1 - decided.sky) * sunlight(scaled, decided.x, decided.y, frame.tile_width) + decided.sky * sky + _SPILL
    gain = (light / max(float(np.median(light)), 1e-3)).clip(_LEAST, None) ** np.float32(-amount / 100)
    evidence = {"bearing": round(decided.bearing, 1), "sky": decided.sky, "explained": decided.explained}
    return Raster(np.asarray(lit.pixels * gain[..., None], np.float32), evidence=evidence)


OPERATION = Operation(
    id="even.known",
    label="Known relief",
    help="Light taken out by the height map that came along.",
    settings=Settings,
    reads=("evened_light", "?squared.height"),
    writes="evened_known",
    apply=known,
    decide=decide_known,
    decides_by=(),
    idle=lambda s: s.amount == 0,
)
