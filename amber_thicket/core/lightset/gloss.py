"""A first roughness from what the photographs of a light set hold beyond a matt surface.

Source of the lobe: Blinn, "Models of light reflection for computer synthesized pictures", SIGGRAPH 1977; the exponent p
that matches a roughness r as in Walter et al., "Microfacet models for refraction through rough surfaces", EGSR 2007:
p = 2 / r⁴ − 2, with width r².
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.lightset.solve import Solved
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels

MATT = 0.9
_BINS = np.linspace(0.80, 1.0, 21)
_LEAST = 400
# How far a place may differ from the whole, and how quickly it does with the strength of its glints.
_SPREAD, _PER_OCTAVE = 0.3, 0.07


class Gloss(NamedTuple):
    """roughness: of the surface as a whole. strength: of its mirror light, straight on, as a share of the exposure;
    0 where there are no glints to measure, and the surface is taken to be matt."""

    roughness: float
    strength: float


def halves(lamps: Pixels) -> Pixels:
    """(N, 3) unit vectors halfway between each lamp and the camera straight above."""
    half = lamps + np.array([0.0, 0.0, 1.0])
    return np.asarray(half / np.linalg.norm(half, axis=1, keepdims=True))


def measured(photographs: Pixels, lamps: Pixels, made: Solved) -> Gloss:
    """The lobe of glints averaged over the surface. photographs: (N, H, W, 3) as they were solved."""
    matt = made.albedo.mean(-1) / np.float32(np.mean(lamps[:, 2]))
    total, seen = np.zeros(_BINS.size - 1), np.zeros(_BINS.size - 1)
    for photo, lamp, half in zip(photographs, lamps.astype(np.float32), halves(lamps).astype(np.float32), strict=True):
        facing = made.normal @ lamp
        near, rest = made.normal @ half, photo.mean(-1) - matt * np.maximum(facing, 0)
        lit = (facing > 0.2) & (rest > -0.15 * matt)
        at = np.digitize(near[lit], _BINS) - 1
        inside = (at >= 0) & (at < total.size)
        total += np.bincount(at[inside], rest[lit][inside], total.size)
        seen += np.bincount(at[inside], minlength=total.size)
    known = seen > _LEAST
    if known.sum() < 4:
        return Gloss(MATT, 0.0)
    mean, middle = total[known] / seen[known], ((_BINS[1:] + _BINS[:-1]) / 2)[known]
    floor = float(np.percentile(mean, 10))
    lobe = mean - min(floor, mean[-1] * 0.5)
    good = lobe > 0.1 * max(lobe.max(), 1e-6)
    if good.sum() < 3 or lobe.max() < 0.004:
        return Gloss(MATT, 0.0)
    power, log_strength = np.polyfit(np.log(middle[good]), np.log(lobe[good]), 1)
    if power <= 0:
        return Gloss(MATT, 0.0)
    return Gloss(float(np.clip((2 / (power + 2)) ** 0.25, 0.12, MATT)), float(np.exp(log_strength)))


def roughness(made: Solved, gloss: Gloss, *, lamps: Pixels) -> Pixels:
    """(H, W) in [0, 1]: the whole's roughness, lower where glints are stronger than the slope there leads to expect."""
    if gloss.strength <= 0:
        return np.full(made.glint.shape, MATT, np.float32)
    nearest = np.max(np.einsum("hwc,kc->khw", made.normal, halves(lamps).astype(np.float32)), axis=0).clip(0, 1)
    expected = np.float32(gloss.strength) * nearest ** np.float32(2 / gloss.roughness**4 - 2) + np.float32(0.004)
    sigma = max(2.0, made.glint.shape[1] / 250)
    smooth = [blur(np.ascontiguousarray(v, np.float32), sigma, wraps=False) for v in (made.glint, expected)]
    octaves = np.log2(np.maximum(smooth[0], 1e-4) / np.maximum(smooth[1], 1e-4))
    octaves -= np.median(octaves)
    change = np.clip(-_PER_OCTAVE * octaves, -_SPREAD, _SPREAD)
    return (gloss.roughness + change).clip(0.05, 1.0).astype(np.float32)
