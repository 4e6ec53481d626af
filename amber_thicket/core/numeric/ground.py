"""The even ground that something lies on: its colour, from the border, and how far all else is from it."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Lightness counts little: the thing's own shadow lies on the ground.
# How even the border of a picture is that shows a ground, Lab.
_BORDER_EVEN = 9.0
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


def silhouette(pixels: Pixels) -> Pixels | None:
    """(H, W) in 0..1: where something lies on an even ground; None where the border of the picture is not even.

    pixels: (H, W, 3) linear.
    """
    lab = linear_to_lab(np.ascontiguousarray(pixels))
    rim = border(lab, 64)
    ground = np.median(rim, axis=0)[None]
    off = away(rim, ground)
    if np.percentile(off, 75) > _BORDER_EVEN:
        return None
    far = away(lab, ground)
    limit, _ = cv2.threshold(np.clip(far * 2.5, 0, 255).astype(np.uint8), 0, 255, cv2.THRESH_OTSU)
    limit = max(float(limit) / 2.5, 2.5 * float(np.percentile(off, 75)))
    if limit <= 0:
        # The same colour everywhere: nothing lies on it.
        return None
    soft = np.clip((far - 0.6 * limit) / (0.8 * limit), 0, 1).astype(np.float32)
    share = float((soft > 0.5).mean())
    return cv2.medianBlur(soft, 3) if 0.02 < share < 0.92 else None
