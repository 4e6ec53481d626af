"""The 24 patches of the common colour target: what each looks like by its published values.

Source: McCamy, Marcus & Davidson, "A color-rendition chart", Journal of Applied Photographic Engineering 2(3), 1976:
CIE 1931 chromaticity and luminance factor of every patch under illuminant C. Brought to D65 by the Bradford transform
(CIE 160:2004) and to linear BT.709 by IEC 61966-2-1. Prints differ from each other by a ΔE00 of 1 to 2.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from amber_thicket.core.raster import Pixels

ROWS, COLUMNS = 4, 6
# x, y, luminance factor; row by row from the dark skin tone to black.
PATCHES: tuple[tuple[str, float, float, float], ...] = (
    ("dark skin", 0.4002, 0.3504, 0.1005), ("light skin", 0.3773, 0.3446, 0.3582),
    ("blue sky", 0.2470, 0.2514, 0.1933), ("foliage", 0.3372, 0.4220, 0.1329),
    ("blue flower", 0.2651, 0.2400, 0.2427), ("bluish green", 0.2608, 0.3430, 0.4306),
    ("orange", 0.5060, 0.4070, 0.3005), ("purplish blue", 0.2110, 0.1750, 0.1200),
    ("moderate red", 0.4533, 0.3058, 0.1977), ("purple", 0.2845, 0.2020, 0.0656),
    ("yellow green", 0.3800, 0.4887, 0.4429), ("orange yellow", 0.4729, 0.4375, 0.4306),
    ("blue", 0.1866, 0.1285, 0.0611), ("green", 0.3046, 0.4782, 0.2339),
    ("red", 0.5385, 0.3129, 0.1200), ("yellow", 0.4480, 0.4703, 0.5910),
    ("magenta", 0.3635, 0.2325, 0.1977), ("cyan", 0.1958, 0.2519, 0.1977),
    ("white", 0.3101, 0.3163, 0.9001), ("neutral 8", 0.3101, 0.3163, 0.5910),
    ("neutral 6.5", 0.3101, 0.3163, 0.3620), ("neutral 5", 0.3101, 0.3163, 0.1977),
    ("neutral 3.5", 0.3101, 0.3163, 0.0900), ("black", 0.3101, 0.3163, 0.0313),
)  # fmt: skip
# Patches without a colour, of which white and the greys tell the light.
NEUTRALS = (18, 19, 20, 21, 22, 23)
_WHITE_C, _WHITE_D65 = (0.31006, 0.31616), (0.31271, 0.32902)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_TO_BT709 = np.array(
    [[3.2404542, -1.5371385, -0.4985314], [-0.969266, 1.8760108, 0.041556], [0.0556434, -0.2040259, 1.0572252]]
)


def _xyz(x: float, y: float, luminance: float) -> Pixels:
    return np.array([x / y, 1.0, (1 - x - y) / y]) * luminance


@cache
def reference_linear() -> Pixels:
    """(24, 3) linear BT.709 of all patches, row by row; some lie outside of what it can hold and go below 0."""
    cone_c, cone_d = (_BRADFORD @ _xyz(*white, 1.0) for white in (_WHITE_C, _WHITE_D65))
    adapt = np.linalg.inv(_BRADFORD) @ np.diag(cone_d / cone_c) @ _BRADFORD
    return np.stack([_TO_BT709 @ adapt @ _xyz(x, y, luminance) for _, x, y, luminance in PATCHES])
