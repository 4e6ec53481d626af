"""Mirrored light on dark things, told from what is pale by itself."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8, extremes, luminance, srgb_to_linear
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

Mask = NDArray[np.bool_]
# What is around a place is looked for so far off, in tile widths.
_AROUND = 0.03
# On what is darker than this, coded, glare may be fainter: so bright, coded, is what is added, and so white.
_DARK, _LEAST_BRIGHT, _WHITE, _COLOURED = 0.5, 0.3, 0.84, 0.35


def mirrored_on_dark(pixels: Pixels, tile: float, limit: float) -> Mask:
    """(H, W) bool: glare that is bright only beside the dark it lies on, as on a glossy leaf. What mirrored light adds
    there is white; what is pale by itself adds its own colour. limit: as in glare_mask()."""
    factor = max(1, round(tile / 768))
    small = shrink(pixels, factor)
    reach = 2 * max(1, round(0.5 * _AROUND * tile / factor)) + 1
    base = decode_srgb(cv2.medianBlur(encode_srgb8(small.clip(0, 1)), reach))
    added, under = small - base, luminance(base)
    (most, least), (brightest, darkest) = extremes(added), extremes(base)
    rise = np.log(np.maximum(luminance(small), 1e-4) / np.maximum(under, 1e-4))
    # On grey nothing tells what is mirrored from what is pale.
    coloured = brightest - darkest > _COLOURED * brightest
    white = coloured & (least > _WHITE * most) & (under < srgb_to_linear(np.array([_DARK]))[0])
    told: Mask = white & (rise > limit) & (most > srgb_to_linear(np.array([_LEAST_BRIGHT]))[0])
    if factor > 1:
        size = (pixels.shape[1], pixels.shape[0])
        told = np.asarray(cv2.resize(told.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0)
    return told
