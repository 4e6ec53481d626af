"""Whether a picture was shot from an angle: by lines at right angles, or by grain that grows finer to one side.

Seen from an angle, one side of a surface is farther away, so the same grain is finer there: spectra of windows over the
picture are the same but for a shift in scale, and those shifts lie on a plane. Source of the idea: Malik & Rosenholtz,
"Computing local surface orientation and shape from texture for curved surfaces", International Journal of Computer
Vision 23(2), 1997; the fit and its limits are ours.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.libraries import cv2, fft
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.propose import ENOUGH, rough_tilt

_SIDE, _WINDOWS, _PER_OCTAVE, _FARTHEST = 1200, 6, 10, 8
_EXPLAINED, _SLOPE = 0.35, 0.3
# Degrees off straight on from which lines tell of a tilt that shows.
OFF_STRAIGHT = 8.0


class Gradient(NamedTuple):
    """explained: share of the windows' scale shifts that a plane explains. octaves: how much finer the grain is a
    picture's width further on. toward: (x, y) direction in which it grows finer, unit length."""

    explained: float
    octaves: float
    toward: tuple[float, float]


class Tilt(NamedTuple):
    """found: shot from an angle. measured: in words. toward: (x, y) to the far side, or None where lines tell."""

    found: bool
    measured: str
    toward: tuple[float, float] | None = None


def tilt(pixels: Pixels) -> Tilt:
    """How far a picture looks shot from an angle. pixels: linear RGB (H, W, 3), 64 px at least each way."""
    order, degrees = rough_tilt(pixels)
    if order > ENOUGH:
        return Tilt(degrees > OFF_STRAIGHT, f"about {degrees:.0f}° by its lines")
    found = grain_gradient(coded_luminance(pixels))
    if found.explained > _EXPLAINED and found.octaves > _SLOPE:
        return Tilt(True, f"grain {2**found.octaves:.1f} × finer on one side", found.toward)
    return Tilt(False, "grain alike all over")


def grain_gradient(tone: NDArray[np.float32]) -> Gradient:
    """How the scale of the grain changes over the picture. tone: (H, W), coded."""
    scale = min(1.0, _SIDE / max(tone.shape))
    size = (max(1, round(tone.shape[1] * scale)), max(1, round(tone.shape[0] * scale)))
    small = cv2.resize(tone, size, interpolation=cv2.INTER_AREA)
    window = min(small.shape) // 3
    # What is larger than a window is light, not grain; so smooth a thing can be worked out small.
    eighth = cv2.resize(small, None, fx=1 / 8, fy=1 / 8, interpolation=cv2.INTER_AREA)
    large = cv2.resize(cv2.GaussianBlur(eighth, (0, 0), window / 32), size, interpolation=cv2.INTER_LINEAR)
    spectra, places = _spectra(small - large, window)
    shifts = np.zeros(len(spectra))
    at = np.arange(spectra.shape[1])
    for _ in range(4):
        common = np.mean(
            [np.interp(at + s * _PER_OCTAVE, at, row) for row, s in zip(spectra, shifts, strict=True)], axis=0
        )
        shifts = np.array([_shift(row, common) for row in spectra]) / _PER_OCTAVE
        shifts -= np.median(shifts)
    ones = np.column_stack([places, np.ones(len(places))])
    keep = np.ones(len(shifts), bool)
    for _ in range(3):
        plane = np.linalg.lstsq(ones[keep], shifts[keep], rcond=None)[0]
        off = np.abs(shifts - ones @ plane)
        keep = off <= np.quantile(off, 0.85)
    spread = float(((shifts[keep] - shifts[keep].mean()) ** 2).sum())
    left = float(((shifts[keep] - ones[keep] @ plane) ** 2).sum())
    length = float(np.hypot(plane[0], plane[1]))
    toward = (float(plane[0]) / length, float(plane[1]) / length) if length > 0 else (0.0, 0.0)
    return Gradient(1 - left / max(spread, 1e-9), length, toward)


def _spectra(tone: NDArray[Any], window: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Log energy over log frequency of windows (N, bands), and their places (N, 2) from the middle, in widths."""
    height, width = tone.shape
    frequency = np.hypot(np.fft.fftfreq(window)[:, None], np.fft.rfftfreq(window)[None]) * window
    low, high = np.log2(3), np.log2(window * 0.42)
    count = int((high - low) * _PER_OCTAVE)
    band = ((np.log2(np.maximum(frequency, 1)) - low) * _PER_OCTAVE).astype(int)
    used = (frequency >= 3) & (band < count)
    soft = np.exp(-0.5 * (np.arange(-6, 7) / 2.0) ** 2)
    among = np.log(np.convolve(np.bincount(band[used], minlength=count), soft, "same") + 1e-9)
    taper = np.outer(np.hanning(window), np.hanning(window)).astype(np.float32)
    weight = (frequency**2)[used]
    bands = band[used]
    spectra, places = [], []
    for y in np.linspace(0, height - window, _WINDOWS).astype(int):
        for x in np.linspace(0, width - window, max(_WINDOWS, round(_WINDOWS * width / height))).astype(int):
            spectrum = fft.rfft2(tone[y : y + window, x : x + window] * taper)[used]
            sums = np.bincount(bands, (spectrum.real**2 + spectrum.imag**2) * weight, count)
            spectra.append(np.log(np.convolve(sums, soft, "same") + 1e-9) - among)
            places.append([(x + window / 2) / width - 0.5, (y + window / 2 - height / 2) / width])
    return np.array(spectra), np.array(places)


def _shift(row: NDArray[Any], common: NDArray[Any]) -> float:
    """Bands by which a spectrum lies higher than the common one, to a fraction."""
    count = row.size
    cost = []
    for d in range(-_FARTHEST, _FARTHEST + 1):
        a, b = row[max(0, d) : count + min(0, d)], common[max(0, -d) : count + min(0, -d)]
        cost.append(float((((a - a.mean()) - (b - b.mean())) ** 2).mean()))
    best = int(np.argmin(cost))
    at = float(best - _FARTHEST)
    if 0 < best < len(cost) - 1:
        bend = cost[best - 1] - 2 * cost[best] + cost[best + 1]
        at += 0.5 * (cost[best - 1] - cost[best + 1]) / bend if bend > 0 else 0.0
    return at
