"""Radiance HDR panoramas. Source: Radiance picture file format (Ward)."""

from __future__ import annotations

import re

import numpy as np

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats import limits
from amber_thicket.formats.decode import Decoded
from amber_thicket.formats.limits import check_size

START = b"#?"
_SIZE = re.compile(rb"\n[-+]Y (\d{1,9}) [-+]X (\d{1,9})\n")
# Where the line with the size stands at the latest.
_HEAD = 65_536


def read_radiance(data: bytes, name: str) -> Decoded:
    """(H, W, 3) float32 of linear light. Raises UnreadableFile, TooLarge."""
    import cv2

    size = _SIZE.search(data[:_HEAD])
    if size is None:
        raise UnreadableFile(f"{name} is no Radiance HDR picture that can be read.", remedy="Save it again.", file=name)
    # Runs pack at most 127 equal bytes into two.
    check_size(int(size[2]), int(size[1]), name, samples=4, length=len(data), densest=limits.PACKBITS)
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if found is None or found.ndim != 3:
        raise UnreadableFile(f"{name} is no Radiance HDR picture that can be read.", remedy="Save it again.", file=name)
    return Decoded(np.nan_to_num(found[..., 2::-1].astype(np.float32)), light=True)
