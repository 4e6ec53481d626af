"""Slopes of a height field by the Scharr operator.

Source: Scharr, "Optimale Operatoren in der Digitalen Bildverarbeitung", Heidelberg 2000 (3 × 3 kernel
3, 10, 3).
"""

from __future__ import annotations

import cv2

from amber_thicket.core.numeric.filters import pad
from amber_thicket.core.raster import Pixels


def slopes(height: Pixels, *, wraps: bool) -> tuple[Pixels, Pixels]:
    """Rise per pixel toward the right and toward the top. height: (H, W) in any unit, rows downwards."""
    padded = pad(height, 1, wraps=wraps)
    right = cv2.Scharr(padded, cv2.CV_32F, 1, 0, scale=1 / 32)
    down = cv2.Scharr(padded, cv2.CV_32F, 0, 1, scale=-1 / 32)
    return right[1:-1, 1:-1], down[1:-1, 1:-1]
