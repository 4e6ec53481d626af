"""OpenEXR pictures: half or float, scan lines or tiles, RGB, RGBA or one channel. Source: OpenEXR specification."""

from __future__ import annotations

import tempfile
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from amber_thicket.core.raster import Pixels
from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.limits import check_size

_REMEDY = "Give an OpenEXR picture with R, G and B, or with one channel."


def read_exr(data: bytes, name: str) -> tuple[NDArray[Any], Pixels | None, int, list[str]]:
    """(linear values (H, W[, 3]), alpha or None, bits, notes). The first part of several is taken."""
    # The library opens files by name only.
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        with OpenEXR.File(file.name, header_only=True) as heads:
            low, high = heads.header()["dataWindow"]
            check_size(int(high[0] - low[0] + 1), int(high[1] - low[1] + 1), name)
            parts = len(heads.parts)
        with OpenEXR.File(file.name) as picture:
            channels = {key: np.asarray(channel.pixels) for key, channel in picture.channels().items()}
    notes = [f"first of {parts} parts"] if parts > 1 else []
    layer = next((k for k in channels if channels[k].ndim == 3 and k.split(".")[-1] in ("RGB", "RGBA")), None)
    if layer is None:
        flat = {k: v for k, v in channels.items() if v.ndim == 2 and k.split(".")[-1] != "A"}
        if not flat:
            raise UnreadableFile(f"{name} has no colour channels ({', '.join(channels)}).", remedy=_REMEDY, file=name)
        layer = next((k for k in flat if k.split(".")[-1] == "Y"), next(iter(flat)))
    if len(channels) > 1:
        notes.append(f"channel {layer} of {', '.join(channels)}")
    values = channels[layer]
    alpha = None
    if values.ndim == 3 and values.shape[-1] == 4:
        alpha = np.nan_to_num(values[..., 3].astype(np.float32), nan=0.0).clip(0, 1)
        alpha = None if float(alpha.min()) >= 1 else alpha
        notes += ["has transparency"] if alpha is not None else []
        values = values[..., :3]
    return values, alpha, values.dtype.itemsize * 8, notes
