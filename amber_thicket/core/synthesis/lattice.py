"""Finds the repeat of courses, bricks, weaves, boards: how far one has to step to meet the same pattern again.

The picture is compared with itself at every shift in both directions at once: projections onto one axis give false
periods. Source of the masked form of the correlation: Padfield, "Masked object registration in the Fourier domain",
IEEE Transactions on Image Processing 21(5), 2012; what counts as a repeat is ours.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.libraries import cv2, fft, signal
from amber_thicket.core.raster import Pixels

SIDE = 640
_EVEN = 2e-4
PROMINENT = 0.2
_SHORTEST, _LONGEST, _NEAR_WHOLE = 0.04, 0.86, 0.12


@dataclass(frozen=True)
class Axis:
    """One axis of a repeat, in px of the picture looked at. periods: every shift at which the pattern comes back,
    finest first; likeness: the correlation at each, -1..1. prominence: how far the best one stands out."""

    periods: tuple[float, ...]
    likeness: tuple[float, ...]
    prominence: float

    @property
    def returns(self) -> bool:
        """Whether the pattern really comes back along this axis."""
        return self.prominence >= PROMINENT

    @property
    def finest(self) -> float:
        """One period, from all the shifts at which the pattern returns: the far ones tell it best."""
        first = self.periods[0]
        counts = np.rint(np.array(self.periods) / first)
        whole = np.abs(np.array(self.periods) / first - counts) < _NEAR_WHOLE
        counts, periods = counts[whole], np.array(self.periods)[whole]
        return float((counts * periods).sum() / (counts * counts).sum())

    def scaled(self, factor: float) -> Axis:
        return Axis(tuple(p * factor for p in self.periods), self.likeness, self.prominence)


@dataclass(frozen=True)
class Lattice:
    """The two axes: a lattice where the pattern returns along both, courses or boards where along one."""

    across: Axis
    down: Axis

    @property
    def axes(self) -> tuple[Axis, Axis]:
        return self.across, self.down

    def scaled(self, factor: float) -> Lattice:
        """The same repeat in px of a picture so many times as large."""
        return Lattice(self.across.scaled(factor), self.down.scaled(factor))


def find(pixels: Pixels) -> Lattice:
    """The repeat of a flattened picture. pixels: linear RGB (H, W, 3)."""
    height, width = pixels.shape[:2]
    if float(coded_luminance(pixels).std()) < _EVEN:
        # What differs by less than a twentieth of an 8-bit code is rounding, which returns everywhere.
        return Lattice(Axis((), (), 0.0), Axis((), (), 0.0))
    scale = min(1.0, SIDE / max(height, width))
    likeness = _likeness(_detail(pixels, scale))
    axes = [_axis(likeness, size * scale, 1 / scale, axis) for axis, size in ((1, width), (0, height))]
    return Lattice(axes[0], axes[1])


def _detail(pixels: Pixels, scale: float) -> list[NDArray[np.float32]]:
    """What is compared: tone without large-scale light, and its slopes."""
    tone = coded_luminance(pixels)
    size = (max(8, round(tone.shape[1] * scale)), max(8, round(tone.shape[0] * scale)))
    small = cv2.resize(tone, size, interpolation=cv2.INTER_AREA)
    flat = small - cv2.GaussianBlur(small, (0, 0), min(size) / 12)
    soft = cv2.GaussianBlur(small, (0, 0), 1.2)
    return [flat, cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1)]


def _likeness(channels: list[NDArray[np.float32]]) -> NDArray[np.float32]:
    """Correlation of a picture with itself at every shift, over what overlaps; (2H, 2W), shift 0 in the corner."""
    height, width = channels[0].shape
    size = (fft.next_fast_len(2 * height, real=True), fft.next_fast_len(2 * width, real=True))
    ones = np.ones((height, width), np.float32)
    mask = fft.rfft2(ones, s=size)

    def across(one: NDArray[Any], other: NDArray[Any]) -> NDArray[Any]:
        return np.asarray(fft.irfft2(np.conj(one) * other, s=size))

    total = np.zeros(size)
    for channel in channels:
        values = channel - channel.mean()
        seen, square = fft.rfft2(values, s=size), fft.rfft2(values * values, s=size)
        # Energies of the part of each copy that overlaps the other.
        energy = np.sqrt(np.maximum(across(mask, square) * across(square, mask), 0))
        total += across(seen, seen) / np.maximum(energy, 1e-9 * float((values * values).sum()) + 1e-12)
    overlap = across(mask, mask)
    total[overlap < 0.1 * height * width] = 0
    return (total / len(channels)).astype(np.float32)


def _axis(likeness: NDArray[np.float32], extent: float, per_px: float, axis: int) -> Axis:
    """The shifts along one axis at which the pattern returns; a little play across it forgives a slight turn."""
    rows = likeness if axis == 1 else likeness.T
    play = max(1, round(0.006 * extent))
    near = np.vstack([rows[: 1 + play], rows[-play:]])
    low, high = max(6, int(_SHORTEST * extent)), int(_LONGEST * extent)
    line = near[:, : high + 2].max(axis=0)
    smooth = cv2.GaussianBlur(line[None], (0, 0), sigmaX=1.0, sigmaY=1e-3)[0]
    peaks, facts = signal.find_peaks(smooth[low:high], prominence=0.05)
    if peaks.size == 0:
        return Axis((), (), 0.0)
    at, prominences = peaks + low, facts["prominences"]
    best = float(prominences.max())
    # Weaker returns than half of the best are parts of the pattern that happen to look alike.
    kept = at[(prominences >= 0.5 * best) & (smooth[at] >= 0.6 * smooth[at].max())]
    return Axis(
        tuple(_between(line, int(p)) * per_px for p in kept),
        tuple(round(float(line[p]), 3) for p in kept),
        round(best, 3),
    )


def _between(line: NDArray[np.float32], at: int) -> float:
    """The top of a peak to a fraction of a sample, by a parabola."""
    left, middle, right = (float(line[at + d]) for d in (-1, 0, 1))
    bend = left - 2 * middle + right
    return at + (0.5 * (left - right) / bend if bend < 0 else 0.0)
