"""One colour out of several photographs that lie on each other: what most show alike, no less sharp than the first."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels

# A view that is so much brighter or darker at a place, log, counts half: glare, or something that passed.
_OTHER = 0.12
# Fine tone is judged by what is round about: at edges, views differ because they are not laid on exactly. What is
# so much brighter, log, at a single pixel goes all the same: a glint.
_BLOB, _SPARKLE = 3.0, 1.0
# Tone finer than this, px, is weighed between the first photograph and the others; so for each of these widths.
_FINE = (1.2, 2.4, 4.8)
# How far round about photographs are compared, px.
_AROUND = 6.0
# Of the noise of one photograph, what is left in one laid on another (cubic resampling), as variance.
_RESAMPLED = 0.6
# What looks like noise at places of no tone is partly the laying on: of its variance so much is taken for noise. With
# more the colour is smoother, but with little noise further from the truth than the first photograph is.
_NOISE_SHARE = 0.6
_BINS, _QUIET = 12, 0.15
_RIM = 16
# What holds for the whole picture is told from so many px on its longer side.
_LOOK = 900


class Common(NamedTuple):
    """What several views agree on. colour: (H, W, 3). others: (H, W, 3), the same without the first. off: (H, W), how
    much brighter the first view is than what most agree on, log."""

    colour: Pixels
    others: Pixels
    off: Pixels


def common(stack: Pixels, weights: Pixels) -> Common:
    """What most of several views (N, H, W, 3), linear, agree on; see Common. weights: (N, H, W), the first above 0."""
    tone = np.log(np.maximum(stack.mean(-1), 1e-3))
    told = np.where(weights > 0.05, tone, np.nan)
    with np.errstate(all="ignore"):
        middle = np.nanmedian(told, axis=0) if len(stack) > 2 else np.nanmin(told, axis=0)
    share = weights / (1 + ((tone - middle) / _OTHER) ** 4)
    part, beside = share[1:].sum(0), (stack[1:] * share[1:, ..., None]).sum(0)
    colour = (stack[0] * share[0][..., None] + beside) / np.maximum(part + share[0], 1e-6)[..., None]
    # Where no other reaches, it is the first.
    others = np.where(part[..., None] > 1e-6, beside / np.maximum(part, 1e-6)[..., None], stack[0])
    return Common(np.asarray(colour, np.float32), np.asarray(others, np.float32), tone[0] - middle)


def sharpened(first: Pixels, merged: Common, reach: Pixels, count: int) -> Pixels:
    """(H, W, 3): the merged colour with fine tone weighed anew, place by place: the first photograph's, which is noisy
    but lies where it is, and that of the others, which is smooth but not laid on exactly.

    reach: (H, W), 0..1, where any of the `count` other photographs reaches. Weights go by the variance of each; how
    noisy the photographs are is told by comparing them where there is least to see (sensor noise grows as the square
    root of light, so roots are compared).
    """
    here = (
        1
        / (1 + (blur(merged.off, _BLOB, wraps=False) / _OTHER) ** 4)
        / (1 + (np.maximum(merged.off, 0) / _SPARKLE) ** 4)
    )
    # Glare has no part in it, nor in what is round about.
    first = first * here[..., None] + merged.colour * (1 - here[..., None])
    out = blur(merged.colour, _FINE[-1], wraps=False)
    parts: tuple[Pixels, ...] = (first, merged.others, _root(first), _root(merged.others))
    sure = (reach > 0.99) & (here > 0.8)
    last = parts
    for sigma in _FINE:
        broader = tuple(blur(part, sigma, wraps=False) for part in parts)
        one, rest, told, other = (a - b for a, b in zip(last, broader, strict=True))
        gain, weight = _weigh(told, other, sure, _RESAMPLED / count)
        weight = np.where(reach > 0.05, 1 - reach * (1 - weight), 1)
        out += weight[..., None] * one + (1 - weight[..., None]) * np.float32(gain) * rest
        last = broader
    return np.maximum(out, 0)


def _root(pixels: Pixels) -> Pixels:
    """(H, W): the root of linear light, whose noise is alike in light and dark."""
    return np.asarray(np.sqrt(np.maximum(pixels, 0)).mean(-1), np.float32)


def _weigh(first: Pixels, others: Pixels, sure: Pixels, left: float) -> tuple[float, Pixels]:
    """(what the others' fine tone is to be multiplied by, the first photograph's weight (H, W) in 0..1).

    first, others: (H, W) fine tone. left: of the noise of one photograph, its share left in the others, as variance.
    """
    # Some places tell as much as all.
    step = max(1, max(first.shape) // _LOOK)
    some = np.s_[_RIM:-_RIM:step, _RIM:-_RIM:step]
    inner = sure[some]
    if inner.sum() < _BINS * _AROUND**2 / step**2:
        return 1.0, np.ones(first.shape, np.float32)
    one, other = first[some][inner], others[some][inner]
    gain = min(max(float(one @ other) / max(float(other @ other), 1e-12), 0.5), 2.0)
    apart = blur((first - np.float32(gain) * others) ** 2, _AROUND, wraps=False)
    tone = blur(others * others, _AROUND, wraps=False)[some][inner]
    noise = _noise(apart[some][inner], tone) / (1 + left * gain * gain)
    missed = np.maximum(apart - noise, left * gain * gain * noise + 1e-12)
    return gain, np.asarray(missed / (missed + noise), np.float32)


def _noise(apart: Pixels, tone: Pixels) -> float:
    """How far two pictures are apart, as variance, where there is no tone: what is not laid on exactly grows with tone,
    noise does not. apart, tone: (N,), ≥ 0."""
    order = np.argsort(tone, kind="stable")
    bins = [
        (float(tone[part].mean()), float(np.quantile(apart[part], _QUIET))) for part in np.array_split(order, _BINS)
    ]
    tones, quiet = np.array(bins).T
    quiet = np.maximum(quiet, 1e-12)
    design = np.column_stack([np.ones(_BINS), tones]) / quiet[:, None]
    level = float(np.linalg.lstsq(design, np.ones(_BINS), rcond=None)[0][0])
    return _NOISE_SHARE * min(max(level, 0.0), float(quiet.min()))
