"""Zones the colours of a surface suggest: few clusters of colour that hold together and lie apart."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.oklab import from_oklab
from amber_thicket.core.raster import Pixels
from amber_thicket.core.response.clusters import find_clusters, picks_of
from amber_thicket.core.response.zones import MOST_PICKS

# A picked colour's part of a zone reaches this far; the others' colours draw the border.
_TOLERANCE, _SOFT = 60, 30
# Colours that stand for a material.
_PICKS = 4
# px² at the size materials are told apart at, under which an outline is a speck.
_SPECK = 12


def suggested_zones(evaluation: Evaluation) -> dict[str, Any]:
    """zones: each with name, share of the surface and one part by colour; why: in words. No zones where it is even."""
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    found = find_clusters(evaluation.layer("tiled", size).pixels)
    if found.number < 2:
        return {"zones": [], "why": "It looks like one material: no colours lie apart and hold together."}
    # All others draw a zone's border: the more there are, the fewer colours stand for each.
    count = min(_PICKS, MOST_PICKS // (found.number - 1))
    picks = [[_hex(colour) for colour in picks_of(found, number, count)] for number in range(found.number)]
    zones = []
    for number, own in enumerate(picks):
        others = [pick for other, them in enumerate(picks) if other != number for pick in them]
        part = {
            "kind": "colour", "picks": own, "against": others,
            "tolerance": _TOLERANCE, "light": found.light, "soft": _SOFT,
        }  # fmt: skip
        here = found.labels == number
        name, share = _name(found.lab[here].mean(axis=0)), float(here.mean())
        zones.append({"name": name, "share": share, "part": part, "outline": _outline(here)})
    by = "colour" if found.light < 0.5 else "colour and lightness"
    return {"zones": zones, "why": f"{found.number} materials lie apart by {by}."}


def _outline(here: NDArray[np.bool_]) -> list[list[tuple[float, float]]]:
    """Borders of a mask (h, w) as lines of places, in shares of the tile; specks left out."""
    height, width = here.shape
    lines, _ = cv2.findContours(here.astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    kept = [cv2.approxPolyDP(line, 0.7, True)[:, 0] for line in lines if cv2.contourArea(line) >= _SPECK]
    return [[(round((x + 0.5) / width, 4), round((y + 0.5) / height, 4)) for x, y in line] for line in kept]


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
