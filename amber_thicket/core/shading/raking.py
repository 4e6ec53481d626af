"""From which side one photograph is lit, read from its shading, and the slopes that shading tells.

The light's axis is read from the spectrum: relief lit from one side shows slopes along the light and hides those
across. Half a turn cannot be told apart by it, and does not matter to the shading.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.libraries import fft
from amber_thicket.core.raster import Pixels

_LOW, _HIGH, _BINS = np.pi / 16, 0.7 * np.pi, 36
_LEAST_STRENGTH, _LEAST_FIT = 0.25, 0.35
_SIDEWAYS, _SURE = 0.35, 0.2
# Widths of relief that shading tells about, in px of a tile of 768.
_FINEST, _COARSEST, _PLAN = 0.5, 48.0, 768.0
_REGULAR = 0.5
# Wider relief than this hardly shades: what varies so slowly is the material's, and smeared along the light otherwise.
_WIDEST = 20.0
# How much the material counts against the shading where both have to be told apart, and the least and most it has.
_MATERIAL, _FLOORS = 0.5, (0.02, 20.0)
# Octaves that are looked at, from so many waves a tile on; the share of a direction that counts as along or across.
_WAVES, _OCTAVES, _ALONG = 6.0, 7, 0.8
# From this weight on, light from one side is seen in the colour; from measured photographs.
ONE_SIDE = 0.3


@dataclass(frozen=True)
class Raking:
    """bearing: degrees of the light's axis from the right, counter-clockwise, 0..180. strength: 0..1, how far
    slopes along the light outweigh those across; fit: 0..1, how well that explains the spectrum. weight: 0..0.8, how
    far the shading is to be believed; 0 where the light comes from no one side."""

    bearing: float
    strength: float
    fit: float
    weight: float


def raking(pixels: Pixels) -> Raking:
    """From which side a picture is lit. pixels: linear RGB (H, W, 3), any light in it."""
    tone = coded_luminance(pixels).astype(np.float64)
    window = np.outer(np.hanning(tone.shape[0]), np.hanning(tone.shape[1]))
    profile = _by_angle((tone - tone.mean()) * window)
    angles = (np.arange(_BINS) + 0.5) * np.pi / _BINS
    axes, floors = np.arange(0, np.pi, np.radians(2.5)), np.geomspace(0.03, 8, 18)
    model = np.log(floors[None, :, None] + np.cos(angles - axes[:, None, None]) ** 2)
    off = profile - (model - model.mean(axis=-1, keepdims=True))
    costs = np.abs(off - np.median(off, axis=-1, keepdims=True)).mean(axis=-1)
    at = np.unravel_index(int(costs.argmin()), costs.shape)
    cost, axis, floor = float(costs[at]), float(axes[at[0]]), float(floors[at[1]])
    strength = 1 / (1 + 2 * floor)
    fit = 1 - cost / max(float(np.abs(profile - np.median(profile)).mean()), 1e-9)
    apart = float(np.angle(np.exp(2j * (axis - _steepest(tone))))) / 2
    weight = float(np.clip(1.3 * strength * fit * max(0.0, np.cos(2 * apart)), 0, 0.8))
    # Angles of the spectrum turn with y downwards; the bearing is counted upwards.
    bearing = float(np.degrees(-axis) % 180)
    # What runs down a wall or grew upright looks like light from the side: that has to be surer.
    doubtful = np.sin(np.radians(bearing)) < _SIDEWAYS and weight < _SURE
    if strength < _LEAST_STRENGTH or fit < _LEAST_FIT or doubtful:
        weight = 0.0
    return Raking(round(bearing, 1), round(strength, 3), round(fit, 3), round(weight, 3))


def _by_angle(tone: NDArray[Any]) -> NDArray[np.float64]:
    """Log power by angle, over half octaves, each without its mean. Medians are not drawn off by joint lines."""
    spectrum = fft.rfft2(tone)
    power = (spectrum.real**2 + spectrum.imag**2).ravel()
    order, ends = _sectors(*tone.shape)
    found = np.zeros(len(ends) - 1)
    for sector, (begins, end) in enumerate(itertools.pairwise(ends)):
        if end > begins:
            here, half = power[order[begins:end]], (end - begins) // 2
            # The logarithm of the middle is the middle of logarithms, of two middle ones their mean.
            middle = np.partition(here, [half, half - 1])[half - 1 + (end - begins) % 2 : half + 1]
            found[sector] = np.log(middle + 1e-12).mean()
    octaves = found.reshape(-1, _BINS)
    return np.asarray((octaves - octaves.mean(axis=1, keepdims=True)).mean(axis=0))


@lru_cache(maxsize=8)
def _sectors(height: int, width: int) -> tuple[NDArray[np.int32], tuple[int, ...]]:
    """(places in half a spectrum, (H, W // 2 + 1), sorted by half octave and angle; where each such sector begins,
    and where the last one ends). The other half says the same."""
    wy, wx = 2 * np.pi * fft.fftfreq(height)[:, None], 2 * np.pi * fft.rfftfreq(width)[None]
    radius = np.hypot(wx, wy)
    bands = [_LOW]
    while bands[-1] * 2**0.5 < _HIGH:
        bands.append(bands[-1] * 2**0.5)
    ring = np.searchsorted(bands, radius, side="right") - 1
    angle = (np.arctan2(wy, wx) % np.pi / np.pi * _BINS).astype(np.int32)
    # Of frequencies straight up and down both signs are there.
    twice = (wx == 0) & (wy < 0)
    places = np.flatnonzero(((ring >= 0) & (radius < _HIGH) & ~twice).ravel()).astype(np.int32)
    sector = (ring * _BINS + np.minimum(angle, _BINS - 1)).ravel()[places]
    order = np.argsort(sector, kind="stable")
    ends = np.searchsorted(sector[order], np.arange(len(bands) * _BINS + 1))
    return places[order], tuple(int(end) for end in ends)


def _steepest(tone: NDArray[Any]) -> float:
    """The angle along which the picture changes most."""
    gy, gx = np.gradient(tone)
    return float(0.5 * np.arctan2(2 * (gx * gy).mean(), (gx * gx - gy * gy).mean()))


def material_floors(pixels: Pixels, light: Raking, tile: float) -> tuple[float, ...]:
    """How much of what varies along the light is the material's own, octave by octave: what varies across the light is
    not shading. pixels, tile: as for slope_along(). 0 is all shading; finer octaves than the picture has are left out.
    """
    tone = coded_luminance(pixels).astype(np.float64)
    window = np.outer(np.hanning(tone.shape[0]), np.hanning(tone.shape[1]))
    power = np.log(np.abs(fft.fft2((tone - tone.mean()) * window)) ** 2 + 1e-12)
    wx, wy = fft.fftfreq(tone.shape[1])[None] * tile, fft.fftfreq(tone.shape[0])[:, None] * tile
    waves = np.hypot(wx, wy)
    a = np.radians(light.bearing)
    share = (np.cos(a) * wx - np.sin(a) * wy) ** 2 / np.maximum(waves**2, 1e-12)
    found: list[float] = []
    for octave in range(_OCTAVES):
        ring = (waves >= _WAVES * 2**octave) & (waves < _WAVES * 2 ** (octave + 1))
        along, across = ring & (share > _ALONG), ring & (share < 1 - _ALONG)
        if _WAVES * 2 ** (octave + 1) > 0.45 * tile or not along.any() or not across.any():
            break
        # Along lie shading and material, across about a tenth of the one and all of the other.
        part = float(np.exp(min(np.median(power[across]) - np.median(power[along]), -1e-3)))
        found.append(float(np.clip((0.9 * part - 0.1) / (1 - part), *_FLOORS)))
    return tuple(found) or (1.0,)


def slope_along(
    pixels: Pixels, light: Raking, tile: float, floors: tuple[float, ...] = (), *, wraps: bool = False
) -> Pixels:
    """The slope along the light's axis that the shading tells, (H, W), but for one factor.

    pixels: linear RGB (H, W, 3). tile: px of one tile width, which the widths of what counts as relief go by. floors:
    as material_floors() gives them; the more is the material's own, the less is told (Wiener's filter); without them
    the same share of every octave. Nothing is told about slopes across the light. wraps: the picture's edges meet, and
    the slopes' will, too.
    """
    tone = coded_luminance(pixels).astype(np.float32)
    scale = tile / _PLAN
    margin = min(int(3 * _COARSEST * scale), min(tone.shape) - 1)
    padded = np.pad(tone - tone.mean(), margin, mode="wrap" if wraps else "reflect")
    size = [fft.next_fast_len(side, real=True) for side in padded.shape]
    wx = 2 * np.pi * fft.rfftfreq(size[1])[None].astype(np.float32)
    wy = 2 * np.pi * fft.fftfreq(size[0])[:, None].astype(np.float32)
    square = wx * wx + wy * wy
    widest = _WIDEST if floors else _COARSEST
    band = np.exp(-0.5 * (_FINEST * scale) ** 2 * square) - np.exp(-0.5 * (widest * scale) ** 2 * square)
    a = np.radians(light.bearing)
    along = np.float32(np.cos(a)) * wx - np.float32(np.sin(a)) * wy
    own: Pixels | np.float32 = np.float32(_REGULAR)
    if floors:
        waves = np.sqrt(np.maximum(square, 1e-12)) * np.float32(tile / (2 * np.pi))
        octave = np.log2(waves / np.float32(_WAVES)) - np.float32(0.5)
        own = np.exp(np.interp(octave, np.arange(len(floors)), np.log(floors))).astype(np.float32)
        own *= np.float32(_MATERIAL)
    told = along * along / np.maximum(along * along + own * square, 1e-12)
    slope = fft.irfft2(fft.rfft2(padded, s=size) * (band * told), s=size)
    return np.ascontiguousarray(slope[margin : margin + tone.shape[0], margin : margin + tone.shape[1]], np.float32)
