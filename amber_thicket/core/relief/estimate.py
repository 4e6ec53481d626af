"""Height told by one picture: by its tone, by its shading, by its recesses.

Each estimate is one linear transfer of the picture (tone and shading) or a few smoothings of it (recesses), so it holds
at every size; lengths are those of a tile of 768 px. Source of the shading transfer: Pentland, "Linear shape from
shading", IJCV 4(2), 1990, regularised across the light.
"""

from __future__ import annotations

from functools import partial

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import fft
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
    wx = (2 * np.pi * fft.rfftfreq(shape[1])[None]).astype(np.float32) * scale
    wy = (2 * np.pi * fft.fftfreq(shape[0])[:, None]).astype(np.float32) * scale
    return wx, wy


def spectrum(tone: Pixels) -> Pixels:
    """What told_by_both works on. tone: (H, W), any mean; it wraps."""
    return np.asarray(fft.rfft2(tone - tone.mean(), workers=-1))


def told_by_both(
    found: Pixels, tile: float, shape: tuple[int, int], *, tone: float, shading: float, bearing: float
) -> Pixels:
    """Spectrum of the height told by brightness, bright is high, and of that whose flanks toward the light are bright,
    each times its gain; in one pass, as at full size every pass counts.

    tile: px of a tile width; shape: of the picture; bearing: degrees toward the light, from the right,
    counter-clockwise.
    """
    out = np.empty_like(found)
    gains = np.array([tone, shading, _REGULAR], np.float32)
    over_rows(partial(_transfer, found, *_terms(shape, tile, bearing), gains, out), len(found))
    return out


def _terms(shape: tuple[int, int], tile: float, bearing: float) -> tuple[Pixels, ...]:
    """What the transfers are made of: frequencies (x, y), the Gaussians of the finest and the coarsest width at each,
    and the direction toward the light."""
    wx, wy = (waves.ravel() for waves in _waves(shape, tile))
    # A Gaussian of both frequencies is one of each, times the other.
    ends = [np.exp(-0.5 * size**2 * waves**2) for size in (_FINEST, _COARSEST) for waves in (wx, wy)]
    a = np.radians(bearing)
    return wx, wy, *ends, np.array([np.cos(a), -np.sin(a)], np.float32)


@compiled(loose=True, inline=True)
def _told(u, v, band, turned, regular):  # type: ignore[no-untyped-def]
    """What one frequency is multiplied with for tone, and, times i, for shading."""
    square = max(u * u + v * v, np.float32(1e-12))
    along = turned[0] * u + turned[1] * v
    return np.float32(1.0) / np.sqrt(np.sqrt(square)), band * along / (along * along + regular * square)


@compiled(loose=True)
def _transfer(found, wx, wy, fine_x, fine_y, coarse_x, coarse_y, turned, gains, out, first, last):  # type: ignore[no-untyped-def]
    tone, shading, regular = gains[0], gains[1], gains[2]
    for y in range(first, last):
        fine, coarse = fine_y[y], coarse_y[y]
        for x in range(wx.size):
            soft, told = _told(wx[x], wy[y], fine_x[x] * fine - coarse_x[x] * coarse, turned, regular)
            out[y, x] = found[y, x] * complex(tone * soft, shading * told)
    if first == 0:
        # The mean says nothing about height.
        out[0, 0] = found[0, 0] * tone


def steepness_told(found: Pixels, tile: float, shape: tuple[int, int], bearing: float) -> tuple[float, float]:
    """steepness() of the heights told by tone and by shading, from the spectrum alone (Parseval's theorem)."""
    powers = np.zeros((len(found), 2))
    terms = _terms(shape, tile, bearing)
    rises = [(2 - 2 * np.cos(waves * (_PLAN / tile))).astype(np.float32) for waves in terms[:2]]
    over_rows(partial(_power_rows, found, *terms, *rises, np.float32(_REGULAR), shape[1] % 2, powers), len(found))
    tone, shading = np.sqrt(powers.sum(axis=0)) / (shape[0] * shape[1]) * tile / _PLAN
    return float(tone), float(shading)


@compiled(loose=True)
def _power_rows(  # type: ignore[no-untyped-def]
    found, wx, wy, fine_x, fine_y, coarse_x, coarse_y, turned, rise_x, rise_y, regular, odd, out, first, last
):
    """Power of the slopes of each row of frequencies. Half of the columns stand for their mirror images as well."""
    columns = wx.size
    for y in range(first, last):
        fine, coarse = fine_y[y], coarse_y[y]
        tone, shading = np.float32(0.0), np.float32(0.0)
        for x in range(columns):
            soft, told = _told(wx[x], wy[y], fine_x[x] * fine - coarse_x[x] * coarse, turned, regular)
            value = found[y, x]
            power = (value.real * value.real + value.imag * value.imag) * (rise_x[x] + rise_y[y])
            if x == 0 or (x == columns - 1 and not odd):
                power *= np.float32(0.5)
            tone += power * soft * soft
            shading += power * told * told
        out[y, 0], out[y, 1] = 2 * tone, 2 * shading


def told_by_recesses(tone: Pixels, tile: float) -> Pixels:
    """Height of a surface whose dark, narrow places are deep, (H, W). tone: gamma-coded, wraps."""
    scale = tile / _PLAN
    # The finest is smoothed exactly; of the wider ones any smooth part will do.
    softer = [blur(tone, width * scale, wraps=True, fast=width > _RECESSES[0]) for width in _RECESSES]
    found = np.empty_like(tone)
    over_rows(partial(_take_in, tone, *softer, np.float32(_BRIGHT), found), len(tone))
    found -= found.mean()
    return found


@compiled(loose=True, inline=True)
def _counted(band, bright):  # type: ignore[no-untyped-def]
    """What lies under its surroundings counts whole, what stands out a little."""
    return min(band, np.float32(0.0)) + bright * max(band, np.float32(0.0))


@compiled(loose=True)
def _take_in(tone, one, two, three, four, bright, found, first, last):  # type: ignore[no-untyped-def]
    """Adds up the bands between the widths."""
    for y in range(first, last):
        line, a, b, c, d, to = tone[y], one[y], two[y], three[y], four[y], found[y]
        for x in range(len(to)):
            fine = _counted(line[x] - a[x], bright) + _counted(a[x] - b[x], bright)
            to[x] = fine + _counted(b[x] - c[x], bright) + _counted(c[x] - d[x], bright)


def steepness(field: Pixels, tile: float) -> float:
    """Root mean square slope of a height (H, W) that wraps, per px of a tile of 768."""
    rises = np.zeros(len(field))
    over_rows(partial(_rises, field, rises), len(field))
    return float(np.sqrt(rises.sum() / field.size)) * tile / _PLAN


@compiled(loose=True)
def _rises(field, out, first, last):  # type: ignore[no-untyped-def]
    """Sum of squared steps to the neighbours before, of each row."""
    columns = field.shape[1]
    for y in range(first, last):
        here, above = field[y], field[y - 1 if y else len(field) - 1]
        across, down = here[0] - here[columns - 1], here[0] - above[0]
        total = across * across + down * down
        for x in range(1, columns):
            across, down = here[x] - here[x - 1], here[x] - above[x]
            total += across * across + down * down
        out[y] = total


def field_of(found: Pixels, shape: tuple[int, int]) -> Pixels:
    """The field of a spectrum, (H, W) float32."""
    return np.asarray(fft.irfft2(found, s=shape, workers=-1), np.float32)
