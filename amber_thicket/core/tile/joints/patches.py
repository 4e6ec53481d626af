"""Patches whose joins follow joints: what is compared across them, and what they cost."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.joints.depth import depth_field
from amber_thicket.core.tile.joints.price import COLOUR, FUSED, PIXEL, TRIMMED, usual_difference
from amber_thicket.core.tile.pieces import Pieces

# How much like a joint a pixel is counts so much more than its colour where places are looked for that fit.
_JOINTS, _WIDER = 2.0, 1.5
# How many places are tried for each patch.
TRIES = 4


def piece_features(pieces: Pieces, size: tuple[int, int]) -> Pixels:
    """(H, W, 5) of a sample of (width, height) px: how near a joint, lightness, two hues, depth within the piece."""
    field = depth_field(pieces)
    near = np.exp(-field.near / max(_WIDER * field.joint, 1.0))
    lab = field.lab / np.float32(usual_difference(field.lab))
    parts = np.concatenate([_JOINTS * near[..., None], lab, field.depth[..., None]], -1).astype(np.float32)
    # More channels than OpenCV takes at once.
    planes = [cv2.resize(np.ascontiguousarray(parts[..., i]), size, interpolation=cv2.INTER_LINEAR) for i in range(5)]
    return np.stack(planes, -1)


def along_joints(one: Pixels, other: Pixels) -> Pixels:
    """What a join costs where it parts such features: most where it would fuse two pieces, some where it trims one."""
    a, b = one[..., 4], other[..., 4]
    apart = np.sqrt(((one[..., 1:4] - other[..., 1:4]) ** 2).sum(-1))
    price: Pixels = PIXEL + FUSED * np.minimum(a, b) + TRIMMED * np.maximum(a, b) + COLOUR * apart
    return price.astype(np.float32)
