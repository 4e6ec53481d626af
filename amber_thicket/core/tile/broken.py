"""Where a join cuts through what its two sides do not share: a brick that ends in the middle, a thread that stops."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from amber_thicket.core.numeric.libraries import cv2
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


def broken_along(paths: Sequence[tuple[Pixels, Pixels, Pixels]], size: tuple[int, int]) -> dict[str, Any]:
    """As broken(), for joins that are paths: (difference, x, y) of every pixel of each, in order. size: (width, height)
    of the tile. Quicker by far."""
    worst: tuple[int, list[float] | None] = 0, None
    found, whole = 0, 0
    for differs, x, y in paths:
        bad = np.convolve(differs, np.full(_NEAR, np.float32(1 / _NEAR)), mode="same") > _TOO_MUCH
        found, whole = found + int(bad.sum()), whole + bad.size
        edges = np.flatnonzero(np.diff(np.concatenate([[False], bad, [False]])))
        for first, last in zip(edges[::2], edges[1::2], strict=True):
            if last - first > worst[0]:
                across, down = x[first:last], y[first:last]
                room = _NEAR // 2
                low = (across.min() - room, down.min() - room)
                span = (np.ptp(across) + _NEAR, np.ptp(down) + _NEAR)
                box = [round(float(v / size[i % 2]), 4) for i, v in enumerate((*low, *span))]
                worst = int(last - first), box
    return {"broken": round(found / max(whole, 1), 4), "broken_box": worst[1]}


def _largest(bad: Pixels) -> list[float] | None:
    """The box around the largest of the places that touch, a little wider."""
    joined = cv2.dilate(bad.astype(np.uint8), np.ones((_NEAR, _NEAR), np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(joined)
    if count < 2:
        return None
    left, top, wide, high, _ = stats[1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())]
    height, width = bad.shape
    return [round(float(v), 4) for v in (left / width, top / height, wide / width, high / height)]
