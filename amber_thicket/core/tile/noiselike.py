"""Tells whether a surface is noise-like: whether mixing patches of it looks the same as it does.

Compared with a copy whose phases are drawn at random, which is noise by construction: detail that comes in clusters,
or in lines, is no noise. Limits come from photographs, of which hardly one passes, and rendered plaster, which does.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amber_thicket.core.numeric.colour import coded_luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2, fft, special
from amber_thicket.core.raster import Pixels

CLUSTERED, LINED, LOOSE = 1.6, 1.07, 1.25
UNDIRECTED = 0.1
_SIDE, _BANDS = 512, (1.0, 2.0, 4.0, 8.0)


@dataclass(frozen=True)
class Noiselike:
    """clusters: how unevenly detail is spread, against noise; lines: how much it runs in lines. Noise is 1 and 1.
    direction: 0 when slopes point all ways alike, 1 when all lie along one line."""

    clusters: float
    lines: float
    direction: float

    @property
    def holds(self) -> bool:
        return self.clusters <= CLUSTERED and self.lines <= LINED

    @property
    def loose(self) -> bool:
        """Whether it looks made of pieces that lie any way round, in light from no one side."""
        return not self.holds and self.lines >= LOOSE and self.direction < UNDIRECTED

    @property
    def reason(self) -> str:
        """Why it is, or is not, in words."""
        found = f"detail clusters {self.clusters:.2f} × as much as noise (at most {CLUSTERED}), "
        found += f"runs in lines {self.lines:.2f} × as much (at most {LINED})"
        return f"It is noise-like: {found}." if self.holds else f"It is not noise-like: {found}."


def noiselike(pixels: Pixels) -> Noiselike:
    """pixels: linear RGB (H, W, 3) of a flattened, evened sample."""
    scale = min(1.0, _SIDE / max(pixels.shape[:2]))
    size = (max(32, round(pixels.shape[1] * scale)), max(32, round(pixels.shape[0] * scale)))
    tone = cv2.resize(coded_luminance(pixels), size, interpolation=cv2.INTER_AREA)
    tone = tone - blur(tone, min(size) / 8, wraps=False)
    order = tone.ravel().argsort().argsort()
    noise = special.ndtri((order + 0.5) / order.size).reshape(tone.shape).astype(np.float32)
    window = np.outer(np.hanning(size[1]), np.hanning(size[0])).astype(np.float32) ** 0.25
    spectrum = np.abs(fft.rfft2(noise * window))
    # Phases of white noise: those of a real picture.
    phases = fft.rfft2(np.random.default_rng(0).standard_normal(noise.shape))
    plain = np.asarray(fft.irfft2(spectrum * phases / np.maximum(np.abs(phases), 1e-9), s=noise.shape), np.float32)
    plain *= noise.std() / max(float(plain.std()), 1e-9)
    one, other = _clusters(noise), _clusters(plain)
    clusters = max(o / p for o, p in zip(one, other, strict=True))
    return Noiselike(round(clusters, 2), round(_lines(noise) / _lines(plain), 2), round(_direction(noise), 3))


def _clusters(noise: Pixels) -> list[float]:
    """How unevenly the energy of each band is spread."""
    spread = []
    for sigma in _BANDS:
        band = blur(noise, sigma, wraps=False) - blur(noise, 2 * sigma, wraps=False)
        energy = blur(band * band, 4 * sigma, wraps=False)
        spread.append(float(energy.std() / max(float(energy.mean()), 1e-12)) + 1e-3)
    return spread


def _lines(noise: Pixels) -> float:
    """Mean coherence of the slopes."""
    soft = blur(noise, 1.0, wraps=False)
    gy, gx = np.gradient(soft)
    xx, yy, xy = (blur(np.ascontiguousarray(p, np.float32), 4.0, wraps=False) for p in (gx * gx, gy * gy, gx * gy))
    return float((np.sqrt((xx - yy) ** 2 + 4 * xy * xy) / np.maximum(xx + yy, 1e-12)).mean())


def _direction(noise: Pixels) -> float:
    """How far the slopes of the whole picture lie along one line."""
    gy, gx = np.gradient(blur(noise, 1.5, wraps=False))
    xx, yy, xy = float((gx * gx).mean()), float((gy * gy).mean()), float((gx * gy).mean())
    return float(np.hypot(xx - yy, 2 * xy) / max(xx + yy, 1e-12))
