"""Whether a file that was laid on a photograph really lies there: told by what both show, not by how it was laid.

Outlines of cut-out things are laid over each other; else the places where tone changes are compared, block by block.
Source of the block comparison: Lewis, "Fast normalized cross-correlation", Vision Interface, 1995; its limits are ours.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Distances are told in px of a picture of so many.
SIDE = 1024
# So far edges of outlines lie apart, px of 1024.
_EDGE_PASS, _EDGE_MOST = 1.6, 4.0
# What both show lies so far apart, px of 1024; light from another side moves the edges of a relief by some 3.
_APART_PASS, _APART_MOST = 2.0, 5.0
_BLOCKS, _REACH, _PEAK, _ALONE, _FEWEST = 4, 28, 0.18, 1.25, 3


FitLevel = Literal["pass", "attention", "blocked", "unknown"]
_WORSE: tuple[FitLevel, ...] = ("pass", "attention", "blocked")


class PlacementFit(NamedTuple):
    """level: "pass", "attention", "blocked", or "unknown" where nothing that both show was found. by: what told.
    overlap: of the outlines, shared over all, 0..1, or None. apart: px of 1024 that outlines or details lie apart, or
    None. covers: share of the picture that the file reaches over. inside: px of 1024 that what lies within both
    outlines is apart, or None."""

    level: FitLevel
    by: Literal["outline", "detail", "nothing"]
    overlap: float | None
    apart: float | None
    covers: float
    inside: float | None = None

    @property
    def told(self) -> str:
        """In words with figures."""
        partly = "" if self.covers > 0.995 else f"; it reaches over {100 * self.covers:.0f} % of the picture"
        if self.by == "nothing":
            return f"Cannot tell whether it lies right: nothing was found that both show{partly}."
        apart = f"{self.apart:.1f} px of {SIDE}" if self.apart is not None else "far"
        if self.by == "outline":
            inside = f", what lies inside {self.inside:.1f} px" if self.inside is not None else ""
            return (
                f"Outlines overlap by {100 * (self.overlap or 0):.1f} %, their edges lie {apart} apart{inside}{partly}."
            )
        return f"What both show lies {apart} apart{partly}."


def measure_fit(picture: Pixels, laid: Pixels, covered: Pixels, outline: Pixels | None = None) -> PlacementFit:
    """How well a file lies on a photograph.

    picture, laid: (H, W, 3) linear on one grid. covered: (H, W) bool, where the file reaches. outline: (H, W) in 0..1,
    the silhouette of the file on that grid, where it has one.
    """
    covers = float(covered.mean())
    here = silhouette(picture) if outline is not None else None
    if here is not None and outline is not None:
        one, other = here * covered, outline * covered
        overlap = float(np.minimum(one, other).sum() / max(float(np.maximum(one, other).sum()), 1e-6))
        rim = max(float(np.hypot(*np.gradient(one)).sum()), 1.0)
        edge = float(np.abs(one - other).sum()) / rim * SIDE / max(picture.shape[:2])
        # An outline that fits may still be laid the wrong way round: what lies inside is asked as well.
        inside = details_apart(picture, laid, covered & (here > 0.5) & (outline > 0.5))
        levels = [_level(edge, _EDGE_PASS, _EDGE_MOST)]
        if inside is not None:
            levels.append(_level(inside, _APART_PASS, _APART_MOST))
        return PlacementFit(max(levels, key=_WORSE.index), "outline", overlap, edge, covers, inside)
    apart = details_apart(picture, laid, covered)
    if apart is None:
        return PlacementFit("unknown", "nothing", None, None, covers)
    return PlacementFit(_level(apart, _APART_PASS, _APART_MOST), "detail", None, apart, covers)


def _level(apart: float, fine: float, most: float) -> FitLevel:
    return "pass" if apart <= fine else "attention" if apart <= most else "blocked"


def details_apart(one: Pixels, other: Pixels, covered: Pixels) -> float | None:
    """How far what both show lies apart, px of 1024, by the median over blocks; None where that cannot be told.

    one, other: (H, W, 3) linear. covered: (H, W) bool.
    """
    scale = SIDE / max(one.shape[:2])
    fields = [_changes(pixels) for pixels in (one, other)]
    rows, columns = one.shape[:2]
    found = []
    for row in range(_BLOCKS):
        for column in range(_BLOCKS):
            part = np.s_[
                row * rows // _BLOCKS : (row + 1) * rows // _BLOCKS,
                column * columns // _BLOCKS : (column + 1) * columns // _BLOCKS,
            ]
            if covered[part].mean() > 0.9:
                found.append(_block_apart(fields[0][part], fields[1][part]))
    told = [apart for apart in found if apart is not None]
    if len(told) < _FEWEST or 3 * len(told) < len(found):
        whole = _block_apart(*(field * covered for field in fields), far=True) if covered.mean() > 0.2 else None
        aside: float = float(np.hypot(*whole)) * scale if whole is not None else 0.0
        return aside if aside > _APART_MOST else None
    # Blocks that are aside each in its own way are as wrong as ones that are aside together.
    middle: float = float(np.median([np.hypot(*apart) for apart in told])) * scale
    return middle


def _changes(pixels: Pixels) -> Pixels:
    """(H, W) where tone changes, evened over the picture so that light and contrast matter less."""
    tone = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), 1e-3)).astype(np.float32)
    slope = np.hypot(*np.gradient(blur(tone, 0.8, wraps=False))).astype(np.float32)
    usual = blur(slope, max(slope.shape) / 40, wraps=False, fast=True)
    result: Pixels = np.minimum(slope / (usual + 1e-3), 3.0).astype(np.float32)
    return result


def _block_apart(one: Pixels, other: Pixels, *, far: bool = False) -> tuple[float, float] | None:
    """(px down, px right) that one block lies beside the other; None where no one place fits clearly best."""
    reach = min(one.shape) // 3 if far else min(_REACH, min(one.shape) // 4)
    middle = np.ascontiguousarray(one[reach:-reach, reach:-reach])
    if min(middle.shape) < 8 or float(middle.std()) < 1e-3:
        return None
    fits = cv2.matchTemplate(np.ascontiguousarray(other), middle, cv2.TM_CCOEFF_NORMED)
    _, best, _, (x, y) = cv2.minMaxLoc(fits)
    if best < _PEAK or not (0 < x < fits.shape[1] - 1 and 0 < y < fits.shape[0] - 1):
        return None
    rest = fits.copy()
    rest[max(0, y - 4) : y + 5, max(0, x - 4) : x + 5] = -1
    if best < _ALONE * float(rest.max()):
        return None
    down = y - reach + _between(*(float(fits[y + n, x]) for n in (-1, 0, 1)))
    right = x - reach + _between(*(float(fits[y, x + n]) for n in (-1, 0, 1)))
    return down, right


def _between(before: float, peak: float, after: float) -> float:
    bend = before - 2 * peak + after
    return 0.5 * (before - after) / bend if bend < 0 else 0.0
