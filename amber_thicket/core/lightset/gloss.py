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

MATT = 0.88
_TRIED = np.array([0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6, 0.65, 0.7, 0.75])
_PLACES, _FAINT = 40_000, 0.0015
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
    """The lobe that best explains, with a matt part, what all places show under all lamps. photographs: (N, H, W, 3) as
    they were solved.
    """
    step = max(1, int(np.sqrt(made.residual.size / _PLACES)))
    values = photographs[:, ::step, ::step].mean(-1).reshape(len(lamps), -1)
    normal = made.normal[::step, ::step].reshape(-1, 3)
    matt = made.albedo[::step, ::step].reshape(-1, 3).mean(-1)
    facing = np.maximum(lamps.astype(np.float32) @ normal.T, 0)
    near = np.maximum(halves(lamps).astype(np.float32) @ normal.T, 0)
    # Cast shadows say nothing of glints.
    lit = (facing > 0.15) & (values > 0.5 * matt * facing)
    found, least = Gloss(MATT, 0.0), np.inf
    for tried in _TRIED:
        lobe = near ** np.float32(2 / tried**4 - 2)
        strength, misfit = _shared(values * lit, facing * lit, lobe * lit)
        if misfit < least:
            least, found = misfit, Gloss(float(tried), strength)
    return found if found.strength > _FAINT and found.roughness < _TRIED[-1] else Gloss(MATT, 0.0)


def _shared(values: Pixels, facing: Pixels, lobe: Pixels) -> tuple[float, float]:
    """(strength, misfit) of values ≈ ρ · facing + strength · lobe, ρ of each place and one strength for all."""
    power = np.maximum((facing * facing).sum(0), 1e-6)
    rest = lobe - facing * ((facing * lobe).sum(0) / power)
    off = values - facing * ((facing * values).sum(0) / power)
    weight = np.ones_like(off)
    strength = 0.0
    for _ in range(3):
        strength = float((weight * rest * off).sum() / max(float((weight * rest * rest).sum()), 1e-9))
        away = np.abs(off - strength * rest)
        weight = 1 / (1 + (away / (2 * np.median(away) + 1e-6)) ** 2)
    return strength, float(np.mean(np.abs(off - strength * rest)))


def roughness(made: Solved, gloss: Gloss, *, lamps: Pixels) -> Pixels:
    """(H, W) in [0, 1]: the whole's roughness, lower where glints are stronger than the slope there leads to expect."""
    if gloss.strength <= 0:
        # Nothing shines: matt, a little more so where the colour is darker than around.
        tone = np.log(np.maximum(made.albedo.mean(-1), 1e-3))
        fine = tone - blur(np.ascontiguousarray(tone), tone.shape[1] / 40, wraps=False, fast=True)
        result: Pixels = (
            (MATT - 0.05 * np.tanh(fine / max(float(fine.std()), 1e-3))).clip(0.05, 0.98).astype(np.float32)
        )
        return result
    nearest = np.max(np.einsum("hwc,kc->khw", made.normal, halves(lamps).astype(np.float32)), axis=0).clip(0, 1)
    expected = np.float32(gloss.strength) * nearest ** np.float32(2 / gloss.roughness**4 - 2) + np.float32(0.004)
    sigma = max(2.0, made.glint.shape[1] / 250)
    smooth = [blur(np.ascontiguousarray(v, np.float32), sigma, wraps=False) for v in (made.glint, expected)]
    octaves = np.log2(np.maximum(smooth[0], 1e-4) / np.maximum(smooth[1], 1e-4))
    octaves -= np.median(octaves)
    change = np.clip(-_PER_OCTAVE * octaves, -_SPREAD, _SPREAD)
    return (gloss.roughness + change).clip(0.05, 1.0).astype(np.float32)
