"""What the program found out about a bracket or a focus stack, and pictures that prove it."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.merge.source import Merged
from amber_thicket.core.numeric.colour import encode_srgb8, linear_of_hex
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.errors import NotFound
from amber_thicket.service.preview import encoded

Shown = Literal["photograph", "taken"]
_SIDE = 900
# Colours that tell photographs apart, for the colour-blind as well. Source: Okabe & Ito, "Color universal design".
COLOURS = ("#e69f00", "#56b4e9", "#009e73", "#f0e442", "#0072b2", "#d55e00", "#cc79a7", "#999999")


def _merged(evaluation: Evaluation) -> Merged:
    found = evaluation.inputs.merged
    if found is None:
        raise NotFound(
            "This material is not merged of several photographs.", remedy="Add photographs of the same view."
        )
    return found


def described(evaluation: Evaluation, names: dict[str, str]) -> dict[str, Any]:
    """Each photograph with its exposure, its place and how much is taken from it. names: of files, by key."""
    merged = _merged(evaluation)
    found, size = merged.merging, (merged.width, merged.height)
    shares = np.bincount(found.chosen.ravel(), minlength=len(merged.names)) / found.chosen.size
    rows = []
    for number, key in enumerate(merged.names):
        middle = found.places[number] @ np.array([0.5, 0.5, 1.0])
        aside = (middle[:2] / middle[2] - 0.5) * np.array(size)
        rows.append(
            {
                "file": key,
                "name": names.get(key, ""),
                "colour": COLOURS[number % len(COLOURS)],
                "stops": round(-found.matches[number].middle, 2),
                "shift": round(float(np.hypot(*aside)), 1),
                "placed": found.placed[number],
                "share": round(float(shares[number]), 3),
                "moved": round(found.moved[number], 4),
            }
        )
    return {
        "by": merged.settings.by,
        "key": merged.key,
        "frames": rows,
        "lost": [round(share, 4) for share in found.clipped],
        "range": round(float(np.log2(max(found.peak, 1e-6))), 2),
    }


def picture(evaluation: Evaluation, number: int, what: Shown) -> bytes:
    """One photograph of the merged ones as it was taken, or which of them each place comes from, as JPEG."""
    merged = _merged(evaluation)
    if not 0 <= number < len(merged.frames):
        raise NotFound("There is no such photograph.", remedy=f"These are {len(merged.frames)}.")
    level = merged.look_level()
    pixels = (merged.read(level) if what == "taken" else merged.frames[number].read(level)).pixels
    pixels = shrink(pixels, max(1, max(pixels.shape[:2]) // _SIDE))
    codes = encode_srgb8(np.ascontiguousarray(pixels.clip(0, 1)))
    if what == "taken":
        chosen = cv2.resize(merged.merging.chosen, codes.shape[1::-1], interpolation=cv2.INTER_NEAREST)
        palette = np.stack([encode_srgb8(linear_of_hex(colour)[None, None])[0, 0] for colour in COLOURS])
        grey = cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY)[..., None].astype(np.float32)
        codes = np.rint(0.55 * grey + 0.45 * palette[chosen % len(COLOURS)]).astype(np.uint8)
    return encoded(codes, "jpg", 86)
