"""Covers places of a picture with other parts of it that go on what lies around them, in every layer alike."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.mosaic import Mosaic, mosaic, moved
from amber_thicket.core.synthesis.patch_search import PatchSearch, Steps
from amber_thicket.core.synthesis.patchwork import Mask, composed
from amber_thicket.core.synthesis.regrow import avoid
from amber_thicket.core.synthesis.tile_plan import SPLIT, split_bands

_FEATHER = 1.2


def covering(seen: Pixels, places: Mask, steps: Steps, *, unfit: Mask | None = None) -> Mosaic:
    """The patches over places, at plan size. seen: features of the picture, (H, W, C). steps: what patches are moved
    by. unfit: what no patch may be made of, if more than the places. The first piece is the picture itself."""
    rows, columns = places.shape
    work = composed(seen, np.zeros((rows, columns), np.int32), [moved(0, 0, (0, 0, columns, rows))])
    avoid(work, PatchSearch(seen, places if unfit is None else unfit, steps), places)
    return mosaic(work.labels, work.placements, _FEATHER, {})


def patched(pixels: Pixels, plan: Mosaic) -> Pixels:
    """A layer (H, W[, C]) of any size with the patches of such a plan mixed in. Linear in the layer."""
    width = pixels.shape[1]
    scale = width / plan.labels.shape[1]
    spare = int(np.ceil(3 * SPLIT[0] * width))
    out = pixels.copy()
    for placement, (left, top, masks) in list(zip(plan.placements, plan.shares, strict=True))[1:]:
        size = round(masks.shape[2] * scale), round(masks.shape[1] * scale)
        box = Window(round(left * scale), round(top * scale), *size)
        wide = box.wider(spare)
        dx, dy = round(placement.matrix[0, 2] * scale), round(placement.matrix[1, 2] * scale)
        difference = pixels[wide.further(dx, dy).on(pixels.shape)] - pixels[wide.on(pixels.shape)]
        add = np.zeros((box.height, box.width, *pixels.shape[2:]), np.float32)
        for band, part in enumerate(split_bands(difference, float(width))):
            share = cv2.resize(masks[band], size, interpolation=cv2.INTER_LINEAR)
            if band == 2 and scale > 1:
                share = np.clip((share - 0.5) * scale**0.5 + 0.5, 0, 1)
            inner = part[spare : spare + box.height, spare : spare + box.width]
            add += inner * (share if pixels.ndim == 2 else share[..., None])
        out[box.on(pixels.shape)] += add
    return out
