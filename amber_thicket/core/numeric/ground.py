"""The even ground that something lies on: its colour, from the border, and how far all else is from it."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.raster import Pixels

# Lightness counts little: the thing's own shadow lies on the ground.
_WEIGHT = np.array([0.35, 1.0, 1.0], np.float32)


def border(pixels: Pixels, share: int) -> Pixels:
    """(N, C) pixels of the border, a 1/share of the shorter side wide. pixels: (H, W, C)."""
    wide = max(2, min(pixels.shape[:2]) // share)
    inner = pixels[wide:-wide]
    parts = (pixels[:wide], pixels[-wide:], inner[:, :wide], inner[:, -wide:])
    return np.concatenate([part.reshape(-1, pixels.shape[2]) for part in parts])


def away(lab: Pixels, marks: Pixels) -> Pixels:
    """Distance of Lab colours (..., 3) to the nearest of (K, 3) marks, with lightness counted little."""
    found = [np.sqrt((((lab - mark.astype(np.float32)) * _WEIGHT) ** 2).sum(-1)) for mark in marks]
    return np.asarray(np.min(found, axis=0))
