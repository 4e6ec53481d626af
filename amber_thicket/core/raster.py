"""Pixels together with their meaning."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from numpy.typing import NDArray

# float32 by contract. The stubs of numpy call mixed arithmetic float64, so the checker is not asked.
Pixels = NDArray[Any]


@dataclass(frozen=True)
class Frame:
    """The grid a layer is sampled on.

    width, height: pixels of this layer. tile_width: pixels of one whole tile at this scale, the
    yardstick of every spatial setting. wraps: the layer's edges meet (true from Tile on).
    tile_mm: physical width of one tile in millimetres, or None when it is not known.
    picture: (width, height) px of the whole capture the layer comes from; (0, 0) when it does not matter.
    exact: (width, height) before they were rounded down to whole pixels, so that every size has one scale; (0, 0) when
    nothing was rounded.
    part: left, top, right, bottom of the sample in shares of the flattened picture: where brush strokes on it lie.
    share: of the sample's width and height, about its middle, that the layer shows.
    """

    width: int
    height: int
    tile_width: float
    wraps: bool
    tile_mm: float | None = None
    picture: tuple[int, int] = (0, 0)
    exact: tuple[float, float] = (0.0, 0.0)
    part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    share: float = 1.0

    @property
    def extent(self) -> tuple[float, float]:
        """Width and height the whole of it would have if pixels could be split."""
        return self.exact if self.exact[0] else (float(self.width), float(self.height))

    def length(self, percent: float) -> float:
        """Pixels for a length given in per cent of the tile width."""
        return percent / 100.0 * self.tile_width


@dataclass(frozen=True)
class Raster:
    """A layer: float32 pixels and what they mean.

    pixels: (H, W) or (H, W, 3) float32. Colours are linear light with BT.709 primaries, scalars are in
    [0, 1], normals are unit vectors (+X right, +Y up, +Z out).
    vectors: the pixels are such normals, which turn with the picture and keep their length.
    span: for a height, how far white stands above black, as a fraction of the tile width.
    evidence: plain JSON values that say why the pixels are what they are.
    """

    pixels: Pixels
    span: float = 0.0
    vectors: bool = False
    evidence: dict[str, Any] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return int(self.pixels.nbytes)
