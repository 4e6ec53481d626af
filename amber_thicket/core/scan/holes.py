"""Places of a scan or a depth map where nothing was, filled from their rims."""

from __future__ import annotations

from amber_thicket.core.numeric.filters import fill_by_normalized_convolution
from amber_thicket.core.raster import Pixels

# Widths, px of a side of 1024, from which values are carried in, from far to near.
_FILL = (192.0, 48.0, 12.0, 3.0, 1.0)


def carried_in(values: Pixels, there: Pixels) -> Pixels:
    """(H, W[, C]): values that go on smoothly where nothing is. there: (H, W), 1 where something is and 0 elsewhere."""
    scale = max(there.shape) / 1024
    return fill_by_normalized_convolution(values, there, [sigma * scale for sigma in _FILL])
