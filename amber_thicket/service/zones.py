"""Zones the colours of a surface suggest: few clusters of colour that hold together and lie apart."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.oklab import from_oklab, to_oklab
from amber_thicket.core.raster import Pixels

# Lightness counts half in Oklab; a further cluster has to explain so much of what is left.
_LIGHT, _WORTH, _MOST = 0.5, 0.45, 4
_PICKS, _LEAST_SHARE, _DIP = 3, 0.03, 0.8


def suggested_zones(evaluation: Evaluation) -> dict[str, Any]:
    """zones: each with name, share of the surface and one part by colour; why: in words. No zones where it is even."""
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    colour = evaluation.layer("tiled", size).pixels
    lab = shrink(to_oklab(blur(colour, 0.004 * size[0], wraps=True)), 4)
    points = (lab.reshape(-1, 3) * np.array([_LIGHT, 1, 1], np.float32)).astype(np.float32)
    labels, middles, explained = _clusters(points)
    if len(middles) < 2:
        return {"zones": [], "why": "The colours pass into each other: no regions lie apart."}
    order = np.argsort(-np.bincount(labels, minlength=len(middles)))
    picks = {int(n): _picks(lab.reshape(-1, 3)[labels == n]) for n in order}
    zones = []
    for number in (int(n) for n in order):
        others = [pick for other, them in picks.items() if other != number for pick in them]
        look = {"tolerance": 60, "light": _LIGHT, "soft": 30}
        part = {"kind": "colour", "picks": picks[number], "against": others, **look}
        share = float((labels == number).mean())
        zones.append({"name": _name(lab.reshape(-1, 3)[labels == number].mean(axis=0)), "share": share, "part": part})
    return {"zones": zones, "why": f"{len(zones)} colours explain {100 * explained:.0f} % of what differs."}


def _clusters(points: Pixels) -> tuple[NDArray[np.int64], Pixels, float]:
    """As many clusters as are worth it, by k-means: labels, middles, and the share of the variance they explain."""
    whole = float(((points - points.mean(axis=0)) ** 2).sum())
    best: tuple[NDArray[np.int64], Pixels, float] = (np.zeros(len(points), np.int64), points[:1], 0.0)
    left = whole
    for count in range(2, _MOST + 1):
        cv2.setRNGSeed(7)
        stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 1e-4)
        off, labels, middles = cv2.kmeans(points, count, None, stop, 4, cv2.KMEANS_PP_CENTERS)
        shares = np.bincount(labels.ravel(), minlength=count) / len(points)
        if off > (1 - _WORTH) * left or shares.min() < _LEAST_SHARE:
            break
        if count == 2 and _passing(points, middles) > _DIP:
            break
        left, best = float(off), (labels.ravel().astype(np.int64), middles, 1 - float(off) / max(whole, 1e-9))
    return best


def _passing(points: Pixels, middles: Pixels) -> float:
    """How many colours lie half way between two clusters, against the rarer of the two: near 1 they pass over."""
    axis = middles[1] - middles[0]
    along = (points - middles[0]) @ axis / max(float(axis @ axis), 1e-12)
    counts = [int(np.count_nonzero(np.abs(along - at) < 0.15)) for at in (0.0, 0.5, 1.0)]
    return float(counts[1]) / max(float(min(counts[0], counts[2])), 1.0)


def _picks(lab: Pixels) -> list[str]:
    """Colours that stand for a cluster: its middle, and its dark and bright side."""
    light = np.quantile(lab[:, 0], [0.2, 0.5, 0.8])
    return [_hex(lab[np.argsort(np.abs(lab[:, 0] - value))[: max(8, len(lab) // 20)]].mean(axis=0)) for value in light][
        :_PICKS
    ]


def _hex(lab: Pixels) -> str:
    codes = encode_srgb8(np.clip(from_oklab(lab[None, None]), 0, 1))[0, 0]
    return "#" + "".join(f"{int(code):02x}" for code in codes)


# Middles of hue names in Oklab degrees.
_HUES = {"red": 25, "brown": 60, "ochre": 85, "olive": 112, "green": 150, "teal": 195, "blue": 255, "violet": 310}


def _name(lab: Pixels) -> str:
    light, a, b = (float(v) for v in lab)
    tone = "dark" if light < 0.45 else "pale" if light > 0.72 else "mid"
    if np.hypot(a, b) < 0.022:
        return f"{tone.capitalize()} grey"
    hue = float(np.degrees(np.arctan2(b, a))) % 360
    nearest = min(_HUES, key=lambda name: abs((hue - _HUES[name] + 180) % 360 - 180))
    return f"{tone.capitalize()} {nearest}" if tone != "mid" else nearest.capitalize()
