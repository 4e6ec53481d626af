"""The relief in three parts: its broad shape, its fine grain, and the veins that run through it.

Source of the ridge measure: Frangi et al., "Multiscale vessel enhancement filtering", MICCAI 1998 (eigenvalues of the
Hessian at several widths); crests are followed along their direction as in Koller et al., "Multiscale detection of
curvilinear structures", ICCV 1995.
"""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from amber_thicket.core.numeric.filters import blur, enlarge, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.operation import Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    on: bool = setting(False, label="Relief in parts", help="Adds three maps: broad shape, fine grain, and veins.")
    broad: float = setting(
        3.0, ge=0.2, le=20, step=0.1, unit="% of tile", label="Broad from", help="Shapes wider than this are broad."
    )
    veins: float = setting(
        0.6,
        ge=0.1,
        le=5,
        step=0.05,
        unit="% of tile",
        label="Vein width",
        help="How wide most veins are; finer and thicker ones are found as well.",
    )


class _None(OperationSettings):
    pass


def _around_middle(values: Pixels) -> Pixels:
    """Around ½, with 4.5 spreads from black to white."""
    spread = max(float(values.std()) * 4.5, 1e-6)
    return np.asarray((0.5 + (values - values.mean()) / spread).clip(0, 1), np.float32)


# Veins are looked for at so many times the width that is asked for, and followed along by so many of that.
# Where all that bends is round, its faint crests are no veins: they count against this much of the bending.
_ROUND = 0.3
_WIDTHS, _LENGTH, _STEPS = (0.2, 0.35, 0.6, 1.0, 1.7, 2.8, 4.0), 3.0, 7


def ridges(height: Pixels, width: float) -> Pixels:
    """(H, W) from 0 to 1.5: how much each place is the crest of a line, of some of several widths about `width` px.

    height: (H, W) that wraps. Each width is measured by its own strongest lines, so that a thick rib does not hide
    fine veins; a crest counts as far as it goes on along its own direction.
    """
    found = np.zeros_like(height)
    for share in _WIDTHS:
        sigma = 0.5 * width * share
        factor = 1
        while sigma / factor > 3 and height.shape[0] % (2 * factor) == 0 and height.shape[1] % (2 * factor) == 0:
            factor *= 2
        line, bend = _line(shrink(height, factor), max(sigma / factor, 0.6))
        line /= np.float32(max(float(np.percentile(line, 99)), _ROUND * float(np.percentile(bend, 99.9)), 1e-12))
        if factor > 1:
            line = enlarge(line, *height.shape, wraps=True)
        np.maximum(found, np.minimum(line, 1.5), out=found)
    return found


def _line(height: Pixels, sigma: float) -> tuple[Pixels, Pixels]:
    """(H, W) from 0: how strongly a crest about 2 sigma px wide goes on along its direction, and how much the surface
    bends there at all."""
    smooth = blur(height, sigma, wraps=True)
    xx = np.roll(smooth, 1, 1) + np.roll(smooth, -1, 1) - 2 * smooth
    yy = np.roll(smooth, 1, 0) + np.roll(smooth, -1, 0) - 2 * smooth
    x = (np.roll(smooth, -1, 1) - np.roll(smooth, 1, 1)) / 2
    xy = (np.roll(x, -1, 0) - np.roll(x, 1, 0)) / 2
    middle, half = (xx + yy) / 2, (xx - yy) / 2
    swing = np.sqrt(half**2 + xy**2)
    crest = np.maximum(swing - middle - np.abs(middle + swing), 0).astype(np.float32)
    bend = np.abs(middle) + swing
    # The direction along a crest, as a double angle, from what is around as well.
    swing = np.maximum(swing, 1e-12)
    cosine, sine = (
        blur(np.ascontiguousarray(crest * part / swing, np.float32), max(1.0, sigma), wraps=True) for part in (half, xy)
    )
    # Round a dome crests run together from all sides: no line.
    around = blur(crest, max(1.0, sigma), wraps=True)
    crest = crest * np.minimum(np.hypot(cosine, sine) / np.maximum(around, 1e-12), 1)
    angle = np.arctan2(sine, cosine) / 2
    across, down = np.cos(angle).astype(np.float32), np.sin(angle).astype(np.float32)
    rows, columns = crest.shape
    root = np.sqrt(crest)
    row, column = np.mgrid[0:rows, 0:columns].astype(np.float32)
    reach = _LENGTH * max(sigma, 1.0)
    margin = int(np.ceil(reach)) + 1
    padded = cv2.copyMakeBorder(root, margin, margin, margin, margin, cv2.BORDER_WRAP)
    total, whole = np.zeros_like(root), 0.0
    for step in np.linspace(-reach, reach, _STEPS):
        share = float(np.exp(-0.5 * (2 * step / reach) ** 2))
        at = np.float32(step)
        total += np.float32(share) * cv2.remap(
            padded, column + at * across + margin, row + at * down + margin, cv2.INTER_LINEAR
        )
        whole += share
    return np.asarray((total / np.float32(whole)) ** 2), bend


def part(which: str, height: Raster | None, /, *, frame: Frame, split: Any, **_: Any) -> Raster:
    """(H, W) in [0, 1]; ½ is level for broad and fine, 0 is no vein. height: (H, W) in [0, 1]."""
    if height is None:
        return Raster(np.full((frame.height, frame.width), ROLES[which].blank, np.float32))
    smooth = blur(height.pixels, frame.length(split.broad) / 2.5, wraps=True, fast=True)
    if which == "relief_broad":
        return Raster(_around_middle(smooth))
    if which == "relief_fine":
        return Raster(_around_middle(height.pixels - smooth))
    found = ridges(height.pixels, frame.length(split.veins))
    return Raster((found / np.float32(1.5)).clip(0, 1))


OPERATION = Operation(
    id="relief.split",
    label="Relief in parts",
    help="The broad shape, the fine grain and the veins of the relief as maps of their own.",
    settings=Settings,
)


def _operation(role: str) -> Operation:
    return Operation(
        id=f"relief.{role}",
        label=ROLES[role].label,
        help="One part of the relief.",
        settings=_None,
        reads=("height",),
        writes=role,
        version=2,
        apply=partial(part, role),
        also=("relief.split",),
        uses=lambda options: ("height",) if options["split"].on else (),
    )


PARTS = tuple(_operation(role) for role in ("relief_broad", "relief_fine", "relief_veins"))
