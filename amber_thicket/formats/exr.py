"""OpenEXR pictures: half or float, scan lines or tiles, RGB, RGBA or one channel. Source: OpenEXR specification."""

from __future__ import annotations

import tempfile
from typing import Any

import numpy as np
import OpenEXR

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats import limits
from amber_thicket.formats.decode import Decoded
from amber_thicket.formats.limits import check_size

_REMEDY = "Give an OpenEXR picture with R, G and B, or with one channel."
_MOST_CHANNELS, _NAMED = 64, 8


def read_exr(data: bytes, name: str) -> Decoded:
    """(H, W[, 3 or 4]) of linear light, half or float. The first part of several is taken. Raises UnreadableFile,
    TooLarge."""
    # The library opens files by name only.
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        with OpenEXR.File(file.name, header_only=True) as heads:
            _check_header(heads.header(), len(heads.parts), data, name)
            parts = len(heads.parts)
        with OpenEXR.File(file.name) as picture:
            channels = {key: np.asarray(channel.pixels) for key, channel in picture.channels().items()}
    notes = [f"first of {parts} parts"] if parts > 1 else []
    layer = next((k for k in channels if channels[k].ndim == 3 and k.split(".")[-1] in ("RGB", "RGBA")), None)
    if layer is None:
        flat = {k: v for k, v in channels.items() if v.ndim == 2 and k.split(".")[-1] != "A"}
        if not flat:
            raise UnreadableFile(f"{name} has no colour channels ({_names(channels)}).", remedy=_REMEDY, file=name)
        layer = next((k for k in flat if k.split(".")[-1] == "Y"), next(iter(flat)))
    if len(channels) > 1:
        notes.append(f"channel {layer} of {_names(channels)}")
    values = channels[layer]
    if values.dtype.kind != "f":
        # Numbers of objects and the like; no light.
        values = values.astype(np.float32)
    return Decoded(values, light=True, notes=notes)


def _names(channels: dict[str, Any]) -> str:
    shown = ", ".join(list(channels)[:_NAMED])
    return shown if len(channels) <= _NAMED else f"{shown} and {len(channels) - _NAMED} more"


def _check_header(header: dict[str, Any], parts: int, data: bytes, name: str) -> None:
    """Before anything is read: the window of the data, how many channels there are, and how many parts."""
    low, high = header["dataWindow"]
    width, height = int(high[0]) - int(low[0]) + 1, int(high[1]) - int(low[1]) + 1
    count = len(header.get("channels", ())) or 3
    if count > _MOST_CHANNELS:
        raise UnreadableFile(
            f"{name} has {count} channels.", remedy=f"Save it with at most {_MOST_CHANNELS}.", file=name
        )
    # Half the bytes of a float: what most files hold; float ones take twice that and are counted when they are read.
    check_size(
        width, height, name, samples=count * max(parts, 1), depth=2, length=len(data) + 4096, densest=limits.DEFLATE
    )
