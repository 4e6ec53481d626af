"""Whether a map was once a JPEG: its 8 × 8 blocks stand out as lines, however it was stored since.

Source: ITU-T T.81 (blocks of 8 × 8); the measure is the bend across lines that figures.py takes for seams.
"""

from __future__ import annotations

import numpy as np

from amber_thicket.core.check.figures import roughness_of_lines
from amber_thicket.core.raster import Pixels

# Maps that never were one come to 1.02 at the most, those of quality 80 to 1.1 to 1.3 but for coarse weaves (measured
# on six surfaces of the bench).
BLOCKY = 1.04
_BLOCK = 8


def blockiness(values: Pixels) -> float:
    """How much more a map bends at every eighth line than between, in the direction in which it does less; about 1
    where there are no blocks. values: (H, W, C) stored numbers as they are in the file."""
    if min(values.shape[:2]) < 8 * _BLOCK:
        return 1.0
    found = []
    for axis in (0, 1):
        # The border is no line of the picture's own.
        bends = roughness_of_lines(values, axis=axis)[2:-2]
        phases = bends[: bends.size // _BLOCK * _BLOCK].reshape(-1, _BLOCK).mean(axis=0)
        at = int(phases.argmax())
        found.append(float(phases[at] / max(float(np.delete(phases, at).mean()), 1e-9)))
    return min(found)
