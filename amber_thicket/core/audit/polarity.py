"""Which of height, normal and occlusion is the wrong way round, from what each says about the others."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.convention import UNSURE, recess_agreement, slope_agreement
from amber_thicket.core.shading.slope import integrated

# Colour is a weak witness: dark is deep only mostly.
_WEAK = 0.35


@dataclass(frozen=True)
class Sides:
    """True: the wrong way round; False: right; None: cannot be told. agree: how far height and normal say the same,
    −1..1. by: what decided, in words. sure: 0..1."""

    height: bool | None = None
    normal: bool | None = None
    occlusion: bool | None = None
    agree: float | None = None
    by: str = ""
    sure: float = 0.0


def sides(height: Pixels | None, vectors: Pixels | None, occlusion: Pixels | None, colour: Pixels | None) -> Sides:
    """height, occlusion: (H, W) in [0, 1] as stored; vectors: unit normals Y+; colour: linear RGB. All of one size.

    An occlusion map is mostly bright: that tells its own polarity. It then tells height and normal, which otherwise
    only tell each other.
    """
    agree = None if height is None or vectors is None else slope_agreement(height, vectors)
    dark = occlusion is not None and float(np.median(occlusion)) < 0.4
    witness, by = occlusion, "the occlusion map"
    if witness is not None and dark:
        witness = 1 - witness
    weight = 1.0
    if witness is None and colour is not None:
        witness, by, weight = luminance(colour), "dark places of the colour", _WEAK
    if witness is None:
        return Sides(agree=agree, occlusion=None)
    told: dict[str, float] = {}
    if height is not None:
        told["height"] = recess_agreement(height, witness) * weight
    if vectors is not None:
        told["normal"] = recess_agreement(integrated(vectors), witness) * weight
    if agree is not None and abs(agree) > UNSURE:
        # Both say the same of one surface, or the opposite: the surer one speaks for the other.
        sign = 1 if agree > 0 else -1
        surer = max(told, key=lambda name: abs(told[name]))
        other = "normal" if surer == "height" else "height"
        told[other] = sign * told[surer] if abs(told[surer]) > abs(told[other]) else told[other]
    wrong = {name: value < 0 if abs(value) >= UNSURE * weight else None for name, value in told.items()}
    sure = min(1.0, max((abs(v) for v in told.values()), default=0.0))
    return Sides(
        height=wrong.get("height"),
        normal=wrong.get("normal"),
        occlusion=None if occlusion is None else dark,
        agree=agree,
        by=by,
        sure=round(sure, 3),
    )
