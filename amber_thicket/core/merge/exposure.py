"""An exposure bracket as one float picture: each place from where it is neither burnt out nor lost in noise.

A photograph that is no RAW went through its camera's tone curve, so that the ratio of two exposures depends on the
tone. It is measured, tone by tone, against the photograph all others are brought to. Source of the idea: Grossberg &
Nayar, "Determining the camera response from images: what is knowable?", IEEE TPAMI 25(11), 2003; weights by the light
that was gathered: Hasinoff et al., "Noise-optimal capture for high dynamic range photography", CVPR 2010.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

# Codes are trusted between these, linear; toward the ends they count less and less.
DARK, BRIGHT = 0.002, 0.90
_BINS = 48
# So many stops off what another photograph shows at one place is something that moved.
_MOVED = 0.35
# The ratio of two exposures changes from one bin of tones to the next by less than so many stops.
_STEP = 0.3
_EVIDENCE = 300


class ToneMatch(NamedTuple):
    """What brings a photograph's light to the reference's. tones: (B,) log2 of its linear tone, rising. stops: (B,)
    to add to it there; beyond both ends the last one goes on."""

    tones: Pixels
    stops: Pixels

    @property
    def middle(self) -> float:
        """How many stops darker the photograph is, where it says most."""
        return float(np.median(self.stops))

    def applied(self, pixels: Pixels) -> Pixels:
        """(H, W, 3) linear in the reference's light: each channel by the ratio at its own tone."""
        shown = np.log2(np.maximum(pixels, 1e-5))
        add = np.interp(shown.ravel(), self.tones, self.stops).reshape(shown.shape)
        return np.asarray(pixels * np.exp2(add), np.float32)


def match_tones(reference: Pixels, other: Pixels, stops: float | None) -> ToneMatch:
    """How `other` is brought to `reference`, both (h, w, 3) linear on one grid. stops: how much more light the other
    was given by its tags; used where no tone is well exposed in both."""
    a, b = (blur(np.ascontiguousarray(pixels), 1.0, wraps=False).reshape(-1) for pixels in (reference, other))
    told = (a > DARK) & (a < 0.8) & (b > DARK) & (b < 0.8)
    plain = -float(stops) if stops is not None else float(np.log2(max(np.median(a), 1e-4) / max(np.median(b), 1e-4)))
    if told.sum() < _EVIDENCE:
        return ToneMatch(np.array([-8.0, 0.0]), np.full(2, plain))
    tones, ratios = np.log2(b[told]), np.log2(a[told] / b[told])
    edges = np.quantile(tones, np.linspace(0, 1, _BINS + 1))
    at = np.clip(np.searchsorted(edges, tones, side="right") - 1, 0, _BINS - 1)
    order = np.argsort(at, kind="stable")
    parts = np.split(ratios[order], np.searchsorted(at[order], np.arange(1, _BINS)))
    middles = 0.5 * (edges[1:] + edges[:-1])
    found = _followed(parts, float(np.median(ratios)))
    smooth = np.convolve(np.pad(found, 2, mode="edge"), np.ones(5) / 5, mode="valid")
    # A brighter tone of one is never a darker one of the other.
    rising = np.maximum.accumulate(middles + smooth) - middles
    return ToneMatch(middles, rising)


def _followed(parts: list[Pixels], middle: float) -> Pixels:
    """The ratio of each bin of tones, from the middle tone outward: it changes slowly, and what moved is left aside."""
    start = int(np.argmin([abs(float(np.median(part)) - middle) if len(part) else np.inf for part in parts]))
    found = np.full(len(parts), middle)
    for way in (range(start, len(parts)), range(start, -1, -1)):
        last = middle
        for number in way:
            near = parts[number][np.abs(parts[number] - last) < _STEP]
            if len(near) >= 12 and 4 * len(near) >= len(parts[number]):
                last = float(np.median(near))
            found[number] = last
    return found


def trust(pixels: Pixels) -> Pixels:
    """(H, W) in 0..1: how well a photograph's own codes are exposed, by its least and its most channel."""
    most, least = pixels.max(-1), pixels.min(-1)
    high = np.clip((BRIGHT - most) / 0.25, 0, 1)
    low = np.clip((least - DARK) / 0.03, 0, 1)
    return np.asarray(high * high * (0.02 + 0.98 * low), np.float32)


def merge_exposures(frames: list[Pixels], matches: list[ToneMatch], covers: list[Pixels], *, ghosts: bool) -> Pixels:
    """(H, W, 3) linear in the light of the first, which may go over 1.

    frames: (H, W, 3) linear on one grid, the reference first. matches: what brings each to it. covers: (H, W) bool,
    where each reaches. ghosts: places that show something else than the reference are left out.
    """
    reference = frames[0]
    most = max(match.middle for match in matches)
    total = np.zeros(reference.shape[:2], np.float32)
    out = np.zeros_like(reference)
    own = trust(reference)
    for number, (pixels, match, covered) in enumerate(zip(frames, matches, covers, strict=True)):
        light = pixels if number == 0 else match.applied(pixels)
        # A photograph that was given more light has less noise for it.
        weight = own if number == 0 else trust(pixels)
        weight = weight * np.float32(2.0 ** -(match.middle - most) if number else 2.0**most) + np.float32(1e-6)
        weight = np.where(covered, weight, 0)
        if number and ghosts:
            weight = weight * (1 - moved(reference, light, own, trust(pixels)))
        out += light * weight[..., None]
        total += weight
    # Burnt out in all of them: the darkest says at least how bright it is; lost in all: the brightest one.
    darkest = int(np.argmax([match.middle for match in matches]))
    burnt = frames[darkest].min(-1) >= BRIGHT
    merged = out / np.maximum(total, 1e-9)[..., None]
    held = frames[darkest] if darkest == 0 else matches[darkest].applied(frames[darkest])
    return np.asarray(np.where(burnt[..., None], np.maximum(merged, held), merged), np.float32)


def moved(reference: Pixels, light: Pixels, own: Pixels, other: Pixels) -> Pixels:
    """(H, W) in 0..1: where a photograph shows something else than the reference does, and both could show it.

    reference, light: (H, W, 3) linear in one light. own, other: trust() of both.
    """
    a, b = (blur(np.log2(np.maximum(pixels.mean(-1), 1e-3)), 1.5, wraps=False) for pixels in (reference, light))
    both = (own > 0.25) & (other > 0.25)
    off = np.where(both, np.abs(a - b), 0).astype(np.float32)
    # Single pixels are noise or an edge half a pixel aside; what moved is larger.
    mask = (cv2.medianBlur((off > _MOVED).astype(np.uint8), 5) > 0).astype(np.uint8)
    return blur(cv2.dilate(mask, np.ones((9, 9), np.uint8)).astype(np.float32), 3.0, wraps=False).clip(0, 1)
