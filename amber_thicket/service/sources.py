"""Captures in the blob store as sources of an evaluation."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from amber_thicket.core.graph import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Raster
from amber_thicket.formats.picture import Picture, read_picture

_DECODER = 1


class StoredSource:
    """A capture read from its bytes when needed; halved copies share the memory of results."""

    def __init__(self, info: dict[str, Any], read: Callable[[], bytes], memory: Memory) -> None:
        self.key = f"{info['blob']}.{_DECODER}"
        self.width: int = info["width"]
        self.height: int = info["height"]
        self._name: str = info["file"]
        self._read = read
        self._memory = memory

    def read(self, level: int) -> Raster:
        """Linear RGB, halved `level` times."""
        if level == 0:
            return Raster(read_picture(self._read(), self._name).pixels)
        larger: Raster = self._memory.get(f"{self.key}/{level - 1}", lambda: self.read(level - 1))
        return Raster(shrink(larger.pixels, 2))


def describe(picture: Picture, blob: str, length: int, name: str) -> dict[str, Any]:
    """What the database keeps of a capture."""
    height, width = picture.pixels.shape[:2]
    return {
        "blob": blob,
        "file": name,
        "bytes": length,
        "format": picture.format,
        "width": width,
        "height": height,
        "bits": picture.bits,
        "floating": picture.floating,
        "notes": list(picture.notes),
        "findings": findings(picture),
    }


def findings(picture: Picture) -> list[dict[str, str]]:
    """Simple findings about a capture: what was measured and what to do about it."""
    import numpy as np

    from amber_thicket.core.numeric.colour import encode_srgb, luminance

    found: list[dict[str, str]] = []
    height, width = picture.pixels.shape[:2]
    step = max(1, int((height * width / 600_000) ** 0.5))
    codes = encode_srgb(np.ascontiguousarray(picture.pixels[::step, ::step]))

    def say(level: str, what: str, measured: str, advice: str) -> None:
        found.append({"level": level, "what": what, "measured": measured, "advice": advice})

    side = min(width, height)
    if side < 512:
        say("attention", "Small", f"{width} × {height} px", "Finished maps over this size hold no more detail.")
    else:
        say("pass", "Size", f"{width} × {height} px", f"Enough for maps of {2 ** int(np.log2(side))} px.")
    white, black = float((codes >= 254 / 255).any(-1).mean()), float((codes <= 1 / 255).all(-1).mean())
    if white > 0.005:
        say("attention", "Burnt out", f"{white * 100:.1f} % of pixels", "Expose darker, or crop the bright part away.")
    if black > 0.005:
        say("attention", "Crushed blacks", f"{black * 100:.1f} % of pixels", "Expose brighter, or light the recesses.")
    if white <= 0.005 and black <= 0.005:
        say("pass", "Exposure", "nothing clipped", "")
    grid = shrink(np.maximum(luminance(picture.pixels), 1e-4), max(1, side // 8))
    uneven = float(np.percentile(grid, 90)) / max(float(np.percentile(grid, 10)), 1e-4)
    if uneven > 1.6:
        say(
            "attention",
            "Uneven light",
            f"{uneven:.1f} : 1 across the picture",
            "Even takes it out; check the amount there.",
        )
    else:
        say("pass", "Light", f"{uneven:.1f} : 1 across the picture", "")
    if picture.bits == 8:
        say("note", "Bit depth", "8 bit", "Shoot RAW or 16 bit where height is read from tone.")
    else:
        say("pass", "Bit depth", f"{picture.bits} bit{' float' if picture.floating else ''}", "")
    return found
