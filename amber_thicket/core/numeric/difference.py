"""How different two colours look: CIEDE2000.

Source: Sharma, Wu & Dalal, "The CIEDE2000 color-difference formula: implementation notes", Color Research and
Application 30(1), 2005; ISO/CIE 11664-6.
"""

from __future__ import annotations

import numpy as np

from amber_thicket.core.raster import Pixels


def ciede2000(one: Pixels, other: Pixels) -> Pixels:
    """(...,) ΔE00 of CIE Lab colours (..., 3); about 1 is just seen side by side."""
    (l1, a1, b1), (l2, a2, b2) = (np.moveaxis(np.asarray(lab, np.float64), -1, 0) for lab in (one, other))
    mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean7 / (mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    grey = c1 * c2 == 0
    turn = np.where(grey, 0, (h2 - h1 + 180) % 360 - 180)
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = np.where(grey, h1 + h2, (h1 + turn / 2) % 360)
    t = 1 - 0.17 * _cos(hm - 30) + 0.24 * _cos(2 * hm) + 0.32 * _cos(3 * hm + 6) - 0.2 * _cos(4 * hm - 63)
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((hm - 275) / 25) ** 2))))
    return np.asarray(np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh)))


def _cos(degrees: Pixels) -> Pixels:
    return np.asarray(np.cos(np.radians(degrees)))
