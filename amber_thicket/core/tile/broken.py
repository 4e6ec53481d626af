"""Where a join cuts through what its two sides do not share: a brick that ends in the middle, a thread that stops."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from amber_thicket.core.raster import Pixels

# px of plan size over which a join is judged; how often the difference of random places is too much.
_NEAR, _TOO_MUCH = 9, 1.0


def broken(joins: Pixels) -> dict[str, Any]:
    """joins: (H, W), 0 off the joins, on them how much the sides differ against random places.

    Returns the share of the joins whose surroundings differ by more than random places do, 0..1, and the box
    [left, top, width, height] around the largest such place in fractions of the tile, None where there is none.
    """
    on = (joins > 0).astype(np.float32)
    if not on.any():
        return {"broken": 0.0, "broken_box": None}
    margin = _NEAR // 2
    wide = [cv2.copyMakeBorder(field, margin, margin, margin, margin, cv2.BORDER_WRAP) for field in (joins, on)]
    total, count = (
        cv2.boxFilter(field, -1, (_NEAR, _NEAR), normalize=False)[margin:-margin, margin:-margin] for field in wide
    )
    bad = (on > 0) & (total > _TOO_MUCH * count)
    share = float(bad.sum() / on.sum())
    return {"broken": round(share, 4), "broken_box": _largest(bad)}


def _largest(bad: Pixels) -> list[float] | None:
    """The box around the largest of the places that touch, a little wider."""
    joined = cv2.dilate(bad.astype(np.uint8), np.ones((_NEAR, _NEAR), np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(joined)
    if count < 2:
        return None
    left, top, wide, high, _ = stats[1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())]
    height, width = bad.shape
    return [round(float(v), 4) for v in (left / width, top / height, wide / width, high / height)]
