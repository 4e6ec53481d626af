"""Files as an evaluation reads them: whole, or one channel of a packed one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from amber_thicket.core.raster import Raster


class Source(Protocol):
    """One file of a material. One that keeps what it read in the memory of results says so: keeps = True."""

    @property
    def key(self) -> str: ...

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    def read(self, level: int, *, data: bool = False, white: str = "as_shot", highlights: str = "blend") -> Raster:
        """(H, W, 3) float32, halved `level` times by area averaging: linear RGB, or the stored numbers of a data map.
        white, highlights: how a camera RAW is developed, as in gather.white."""
        ...

    def alpha(self, level: int) -> Raster:
        """(H, W) float32 in [0, 1]: how solid each pixel is, halved as often; 1 everywhere where nothing says so."""
        ...


def halvings(longer: int, most: int) -> int:
    """How often a side is halved until it has at most so many px."""
    level = 0
    while longer >> level > most:
        level += 1
    return level


@dataclass(frozen=True)
class OneChannel:
    """One channel of a file that holds several maps. channel: "r", "g", "b" or "a"."""

    whole: Source
    channel: str

    @property
    def key(self) -> str:
        return f"{self.whole.key}.{self.channel}"

    @property
    def width(self) -> int:
        return self.whole.width

    @property
    def height(self) -> int:
        return self.whole.height

    def read(self, level: int, **how: Any) -> Raster:
        """(H, W, 1) float32: the stored numbers of the channel."""
        if self.channel == "a":
            return Raster(self.whole.alpha(level).pixels[..., None])
        at = "rgb".index(self.channel)
        return Raster(np.ascontiguousarray(self.whole.read(level, **how).pixels[..., at : at + 1]))

    def alpha(self, level: int) -> Raster:
        return self.whole.alpha(level)


class Several(Protocol):
    """What maps are worked out of, many photographs as a rule. size: (width, height) px."""

    @property
    def key(self) -> str: ...

    @property
    def size(self) -> tuple[int, int]: ...


@dataclass(frozen=True)
class Made:
    """One map that is worked out of several photographs, read like a file; its pixels have the inside form already."""

    whole: Several
    role: str
    made = True

    @property
    def key(self) -> str:
        return f"{self.whole.key}.{self.role}"

    @property
    def width(self) -> int:
        return self.whole.size[0]

    @property
    def height(self) -> int:
        return self.whole.size[1]

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def channel_of(files: Mapping[str, Source], name: str) -> Source | None:
    """The file, or the channel of a file, that a setting of gather.maps names; None where there is none."""
    key, _, channel = name.partition(".")
    whole = files.get(key)
    return OneChannel(whole, channel) if whole and channel else whole
