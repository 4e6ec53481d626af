"""Camera RAW files of the simulated camera: DNG 1.4, an RGGB mosaic of 16 bit.

Source of the tags: "Digital Negative (DNG) specification", version 1.4; XYZ (D65) to linear BT.709: the
inverse of the matrix in IEC 61966-2-1.
"""

from __future__ import annotations

import io

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import decode_srgb

BLACK, WHITE = 200, 60_200
_TO_CAMERA = (3.2404542, -1.5371385, -0.4985314, -0.969266, 1.8760108, 0.041556, 0.0556434, -0.2040259, 1.0572252)
NEUTRAL = (0.5, 1.0, 0.7)


def _ratios(values: tuple[float, ...]) -> tuple[int, ...]:
    return tuple(number for value in values for number in (round(value * 10_000), 10_000))


def dng(mosaic: NDArray[np.uint16], neutral: tuple[float, float, float]) -> bytes:
    """A file of a mosaic (H, W) from a made-up camera whose primaries are those of BT.709. neutral: what it sees of
    grey."""
    tags = [
        (33421, "H", 2, (2, 2), True), (33422, "B", 4, bytes([0, 1, 1, 2]), True),
        (50706, "B", 4, bytes([1, 4, 0, 0]), True), (50708, "s", 0, "Thicket Bench", True),
        (50714, "H", 1, BLACK, True), (50717, "H", 1, WHITE, True), (50721, "2i", 9, _ratios(_TO_CAMERA), True),
        (50728, "2I", 3, _ratios(neutral), True), (50778, "H", 1, 21, True),
    ]  # fmt: skip
    stream = io.BytesIO()
    tifffile.imwrite(stream, mosaic, photometric=32803, planarconfig=1, extratags=tags, metadata=None)
    return stream.getvalue()


def raw_of(codes: NDArray[np.uint8], neutral: tuple[float, float, float] = NEUTRAL) -> bytes:
    """A photograph of the bench, 8-bit sRGB codes (H, W, 3), as the camera's sensor had it."""
    light = decode_srgb(codes) * np.array(neutral, np.float32)
    mosaic = light[..., 1].copy()
    mosaic[0::2, 0::2], mosaic[1::2, 1::2] = light[0::2, 0::2, 0], light[1::2, 1::2, 2]
    return dng(np.rint(BLACK + mosaic * (WHITE - BLACK)).clip(0, 65_535).astype(np.uint16), neutral)
