"""What the program works out for Square: proposed corners, lens bend from drawn lines."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation, output_size
from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8
from amber_thicket.core.square import lens
from amber_thicket.core.square.crop import detailed, doublings
from amber_thicket.core.square.propose import Proposal, propose
from amber_thicket.core.square.view import view_of
from amber_thicket.formats.png import png_bytes

_SIDE = 1024
_AROUND, _GLASS = 768, 140


def proposal(evaluation: Evaluation) -> Proposal:
    """Corners of something square in the capture, with how sure that is. Same capture, same answer."""
    key = f"proposal/{evaluation.gathered_key(_SIDE)}"
    focal = getattr(evaluation.inputs.picture, "shot", {}).get("focal_35")
    found: Proposal = evaluation.memory.get(key, lambda: propose(evaluation.gathered(_SIDE).pixels, focal))
    return found


class Enlarged(NamedTuple):
    """A place at 1:1, plainly enlarged and with own detail beside it, and what the detail gains.

    gain: finished pixels for one of the picture. finest: strength of the finest octave against plain enlarging.
    """

    picture: bytes
    gain: float
    doublings: int
    finest: float


def enlarged(evaluation: Evaluation, x: float, y: float) -> Enlarged:
    """Before and after of enlarging with own detail around a place of the tile (0..1)."""
    size = output_size(evaluation.recipe)
    sizes = evaluation.sizes(size)
    view, whole = evaluation.view(), evaluation.sample_box(sizes.work)
    scale = (whole[2] - whole[0]) / sizes.work.width
    times = doublings(view, whole, sizes.work.width)
    # The surroundings of the place are where detail is looked for: as much as a small picture has.
    side = _AROUND
    left = min(max(x * sizes.tile.width - side / 2, 0), max(sizes.work.width - side, 0)) * scale + whole[0]
    top = min(max(y * sizes.tile.height - side / 2, 0), max(sizes.work.height - side, 0)) * scale + whole[1]
    box = (left, top, left + side * scale, top + side * scale)
    pixels = evaluation.layer("gathered", size).pixels
    factor = evaluation.picture_size()[0] / pixels.shape[1]
    here = view_of(evaluation.recipe.settings("square.flat"), evaluation.recipe.settings("square.lens"),
                   (pixels.shape[1], pixels.shape[0]))  # fmt: skip
    box = tuple(edge / factor for edge in box)
    plain = detailed(pixels, here, box, (side, side), 0)
    learns = evaluation.recipe.settings("square.crop").resampling != "detail"
    after = detailed(pixels, here, box, (side, side), times, learns=learns) if times else plain
    part = slice((side - _GLASS) // 2, (side + _GLASS) // 2)
    both = [encode_srgb8(np.ascontiguousarray(p[part, part])) for p in (plain, after)]
    data = png_bytes(np.hstack(both), encoding="srgb")
    finest = [
        float(np.std(tone - cv2.GaussianBlur(tone, (0, 0), 1.0)))
        for tone in (encode_srgb(p[..., 1]) for p in (plain, after))
    ]
    return Enlarged(data, 1 / scale, times, finest[1] / max(finest[0], 1e-9))


def bend(evaluation: Evaluation, lines: Sequence[Sequence[Sequence[float]]]) -> dict[str, float]:
    """Settings of square.lens that make lines (points in 0..1 of the capture) straight."""
    width, height = evaluation.picture_size()
    return {f"square.lens.{name}": value for name, value in lens.solved(lines, width / height).items()}
