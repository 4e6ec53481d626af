"""What the pixels say about conventions: which way green points, what is deep."""

from __future__ import annotations

from typing import Literal

import numpy as np

from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.slope import slopes

UNSURE = 0.2


def correlation(one: Pixels, other: Pixels) -> float:
    a, b = one - one.mean(), other - other.mean()
    norm = float(np.sqrt((a * a).mean() * (b * b).mean()))
    return float((a * b).mean()) / norm if norm > 1e-12 else 0.0


def y_direction(vectors: Pixels) -> tuple[Literal["plus", "minus", "unknown"], float]:
    """Which way the second component points, and how sure (the correlation, -1…1).

    vectors: (H, W, 3), rows downwards. A surface has no curl: with Y+ slopes p = -x/z and q = -y/z the
    change of p toward the top equals the change of q toward the right. Their correlation after light
    smoothing is positive for Y+ and negative for Y−. Source: integrability, Frankot & Chellappa, IEEE
    TPAMI 10(4), 1988; the statistic is ours.
    """
    sure = curl_match(vectors)
    if abs(sure) < UNSURE:
        return "unknown", round(sure, 3)
    return ("plus" if sure > 0 else "minus"), round(sure, 3)


def curl_match(vectors: Pixels) -> float:
    """Correlation −1..1 of the two mixed second derivatives of the surface that normals (H, W, 3) describe."""
    z = np.maximum(vectors[..., 2], 0.05)
    p = blur(-vectors[..., 0] / z, 2, wraps=True)
    q = blur(-vectors[..., 1] / z, 2, wraps=True)
    _, p_up = slopes(p, wraps=True)
    q_right, _ = slopes(q, wraps=True)
    return correlation(p_up, q_right)


def recess_agreement(height: Pixels, occlusion: Pixels) -> float:
    """Correlation of occlusion with how far a place lies above its surroundings: positive when white is high.

    Both (H, W); −1..1.
    """
    factor = max(1, min(height.shape) // 512)
    small, open_sky = shrink(height, factor), shrink(occlusion, factor)
    above = small - blur(small, small.shape[1] * 0.02, wraps=False)
    return correlation(above, open_sky)


def slope_agreement(height: Pixels, vectors: Pixels) -> float:
    """Correlation of the height's slopes with those a Y+ normal map says, both axes together.

    height: (H, W), vectors: (H, W, 3); −1..1.
    """
    right, up = slopes(height, wraps=True)
    z = np.maximum(vectors[..., 2], 0.05)
    ours = np.stack([right, up])
    theirs = np.stack([-vectors[..., 0] / z, -vectors[..., 1] / z])
    return correlation(ours, theirs)
