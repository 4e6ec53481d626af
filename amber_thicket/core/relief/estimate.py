"""Height told by one picture: by its tone, by its shading, by its recesses.

Each estimate is one linear transfer of the picture (tone and shading) or a few smoothings of it (recesses), so it holds
at every size; lengths are those of a tile of 768 px. Source of the shading transfer: Pentland, "Linear shape from
shading", IJCV 4(2), 1990, regularised across the light.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from scipy.fft import fftfreq, irfft2, rfft2, rfftfreq

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

_PLAN = 768.0
# Widths of relief that shading tells about, px of 768.
_FINEST, _COARSEST, _REGULAR = 0.5, 16.0, 0.5
# Tone is no height: steps of brightness are sharper than steps of relief. Its spectrum falls by half a power more, the
# fourth root of the squared frequency.
# Widths of recesses, px of 768, and how much of what stands out brightly counts beside them.
_RECESSES, _BRIGHT = (1.5, 3.0, 6.0, 12.0), 0.15


def _waves(shape: tuple[int, int], tile: float) -> tuple[Pixels, Pixels]:
    """Angular frequencies (x, y), per px of a tile of 768."""
    scale = np.float32(tile / _PLAN)
    wx = (2 * np.pi * rfftfreq(shape[1])[None]).astype(np.float32) * scale
    wy = (2 * np.pi * fftfreq(shape[0])[:, None]).astype(np.float32) * scale
    return wx, wy


def spectrum(tone: Pixels) -> Pixels:
    """What told_by_tone and told_by_shading work on. tone: (H, W), any mean; it wraps."""
    return np.asarray(rfft2(tone - tone.mean(), workers=-1))


def told_by_tone(found: Pixels, tile: float, shape: tuple[int, int]) -> Pixels:
    """Spectrum of the height told by brightness: bright is high. tile: px of a tile width; shape: of the picture."""
    return told_by_both(found, tile, shape, tone=1.0, shading=0.0, bearing=0.0)


def told_by_shading(found: Pixels, bearing: float, tile: float, shape: tuple[int, int]) -> Pixels:
    """Spectrum of the height whose flanks toward the light are the bright ones.

    bearing: degrees toward the light, from the right, counter-clockwise.
    """
    return told_by_both(found, tile, shape, tone=0.0, shading=1.0, bearing=bearing)


def told_by_both(
    found: Pixels, tile: float, shape: tuple[int, int], *, tone: float, shading: float, bearing: float
) -> Pixels:
    """Spectrum of both heights together, each times its gain; in one pass, as at full size every pass counts."""
    wx, wy = (waves.ravel() for waves in _waves(shape, tile))
    # A Gaussian of both frequencies is one of each, times the other.
    ends = [np.exp(-0.5 * size**2 * waves**2) for size in (_FINEST, _COARSEST) for waves in (wx, wy)]
    a = np.radians(bearing)
    turned = np.array([np.cos(a), -np.sin(a)], np.float32)
    out = np.empty_like(found)
    gains = np.array([tone, shading, _REGULAR], np.float32)
    over_rows(partial(_transfer, found, wx, wy, *ends, turned, gains, out), len(found))
    return out


@compiled(loose=True)
def _transfer(found, wx, wy, fine_x, fine_y, coarse_x, coarse_y, turned, gains, out, first, last):  # type: ignore[no-untyped-def]
    tone, shading, regular = gains[0], gains[1], gains[2]
    for y in range(first, last):
        v, fine, coarse = wy[y], fine_y[y], coarse_y[y]
        for x in range(wx.size):
            u = wx[x]
            square = max(u * u + v * v, np.float32(1e-12))
            along = turned[0] * u + turned[1] * v
            band = fine_x[x] * fine - coarse_x[x] * coarse
            told = shading * band * along / (along * along + regular * square)
            soft = tone / np.sqrt(np.sqrt(square))
            out[y, x] = found[y, x] * complex(soft, told)
    if first == 0:
        # The mean says nothing about height.
        out[0, 0] = found[0, 0] * tone


def told_by_recesses(tone: Pixels, tile: float) -> Pixels:
    """Height of a surface whose dark, narrow places are deep, (H, W). tone: gamma-coded, wraps."""
    scale = tile / _PLAN
    found, finer = np.zeros_like(tone), tone
    for width in _RECESSES:
        softer = blur(tone, width * scale, wraps=True)
        over_rows(partial(_take_in, finer, softer, np.float32(_BRIGHT), found), len(tone))
        finer = softer
    found -= found.mean()
    return found


@compiled(loose=True)
def _take_in(finer, softer, bright, found, first, last):  # type: ignore[no-untyped-def]
    """Adds one width: what lies under its surroundings counts whole, what stands out a little."""
    for y in range(first, last):
        for x in range(found.shape[1]):
            band = finer[y, x] - softer[y, x]
            found[y, x] += min(band, np.float32(0.0)) + bright * max(band, np.float32(0.0))


def steepness(field: Pixels, tile: float) -> float:
    """Root mean square slope of a height (H, W) that wraps, per px of a tile of 768."""
    across, down = field - np.roll(field, 1, 1), field - np.roll(field, 1, 0)
    return float(np.sqrt((np.vdot(across, across) + np.vdot(down, down)) / field.size)) * tile / _PLAN


def field_of(found: Pixels, shape: tuple[int, int]) -> Pixels:
    """The field of a spectrum, (H, W) float32."""
    return np.asarray(irfft2(found, s=shape, workers=-1), np.float32)
